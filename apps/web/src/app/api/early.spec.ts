import { askEarly, earlyAnswer, earlyEvents, LAST_PROJECT } from './early';

/** A stream of events that tells what it is told to. */
class FakeSource {
  static readonly CLOSED = 2;
  static made: FakeSource[] = [];
  readyState = 1;
  onmessage: ((m: MessageEvent) => void) | null = null;
  constructor(readonly url: string) {
    FakeSource.made.push(this);
  }
  close(): void {
    this.readyState = FakeSource.CLOSED;
  }
}
const rest = (): Promise<void> => new Promise((r) => setTimeout(r, 5));

describe('what is asked before anybody needs it', () => {
  const real = window.EventSource;
  let asked: string[];
  let status: number;
  beforeEach(() => {
    asked = [];
    status = 200;
    FakeSource.made = [];
    localStorage.clear();
    (window as { EventSource: unknown }).EventSource = FakeSource;
    spyOn(window, 'fetch').and.callFake((path) => {
      asked.push(String(path));
      const body =
        path === '/api/projects'
          ? [
              { id: 'broken0001', problem: 'x' },
              { id: 'whole00001', problem: null },
            ]
          : {};
      return Promise.resolve(new Response(JSON.stringify(body), { status }));
    });
  });
  afterEach(async () => {
    (window as { EventSource: unknown }).EventSource = real;
    for (const p of ['/api/methods', '/api/projects', '/api/projects/whole00001', '/api/projects/last000001'])
      await earlyAnswer(p);
    earlyEvents('nothing');
  });

  it('is the project that was open last, with its events first', async () => {
    localStorage.setItem(LAST_PROJECT, 'last000001');
    askEarly();
    expect(asked).toEqual(['/api/methods', '/api/projects', '/api/projects/last000001']);
    expect(FakeSource.made.map((s) => s.url)).toEqual(['/api/projects/last000001/events']);
    const source = FakeSource.made[0]!;
    source.onmessage!(new MessageEvent('message', { data: '1' }));
    const events = earlyEvents('last000001')!;
    expect(events.held.map((m) => m.data as string)).toEqual(['1']);
    expect(earlyEvents('last000001')).toBeNull();
    expect((await earlyAnswer('/api/projects/last000001'))!.ok).toBeTrue();
    expect(await earlyAnswer('/api/projects/last000001')).toBeUndefined();
  });

  it('is the first project that can be opened where none was', async () => {
    askEarly();
    for (let k = 0; k < 200 && asked.length < 3; k++) await rest();
    expect(asked).toContain('/api/projects/whole00001');
    expect(asked).not.toContain('/api/projects/broken0001');
  });

  it('is not asked for by a name that no project has', () => {
    localStorage.setItem(LAST_PROJECT, '../../secrets');
    askEarly();
    expect(asked).toEqual(['/api/methods', '/api/projects']);
    expect(FakeSource.made).toEqual([]);
  });

  it('is not taken where it was refused, and another project’s events are let go of', async () => {
    status = 404;
    localStorage.setItem(LAST_PROJECT, 'last000001');
    askEarly();
    expect(await earlyAnswer('/api/projects/last000001')).toBeUndefined();
    expect(earlyEvents('other00001')).toBeNull();
    expect(FakeSource.made[0]!.readyState).toBe(FakeSource.CLOSED);
  });
});
