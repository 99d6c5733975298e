import Database from 'better-sqlite3';
import type { ApiFinding, ApiProblem, ApiProject, ApiSheet } from '@helk/core/api/schemas';
import { setupNode } from '@helk/node';
import { TestServer } from '../testing';

setupNode();

const PNG = Uint8Array.from(
  atob('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=='),
  (c) => c.charCodeAt(0),
);
const finding = (title: string, over: object = {}) => ({
  title,
  kind: 'panes',
  seen: {},
  rests: [],
  drawing: null,
  ...over,
});
const sheet = (name: string, parts: object[] = []) => ({
  sheet: {
    format: 'helk-sheet',
    version: 1,
    name,
    page: { width: 297, height: 210, margin: 12, paper: '#ffffff' },
    parts,
    many: null,
  },
});

describe('what is carried away', () => {
  const test = new TestServer();
  const { call, project, detail } = test;
  let p = '';
  beforeAll(async () => {
    await test.up();
    p = await project();
  });
  afterAll(() => test.remove());

  const at = (path: string): string => `/api/projects/${p}/${path}`;

  it('keeps findings in an order, changes them, and brings removed ones back', async () => {
    const ids: string[] = [];
    for (const title of ['first', 'second', 'third'])
      ids.push((await call<ApiFinding>(at('findings'), 'POST', finding(title))).data.id);
    const order = [ids[2]!, ids[0]!];
    const put = await call<ApiFinding[]>(at('findings'), 'PUT', { ids: order });
    expect(put.data.map((f) => f.title).slice(0, 2)).toEqual(['third', 'first']);
    await call(at(`findings/${ids[0]}`), 'PUT', finding('first', { note: 'seen twice' }));
    expect((await call(at(`findings/${ids[2]}`), 'DELETE')).status).toBe(204);
    const kept = async (): Promise<ApiFinding[]> => (await detail(p)).findings.filter((f) => ids.includes(f.id));
    expect((await kept()).map((f) => [f.title, f.note])).toEqual([
      ['first', 'seen twice'],
      ['second', ''],
    ]);
    expect((await call(at(`findings/${ids[2]}/restore`), 'POST')).status).toBe(200);
    expect((await kept()).map((f) => f.title)).toEqual(['third', 'first', 'second']);
    expect((await call(at('findings/nowhere00'), 'DELETE')).status).toBe(404);
    const bad = await call<ApiProblem>(at('findings'), 'POST', finding(''));
    expect([bad.status, bad.data.detail]).toEqual([400, 'Body title: A title is needed.']);
  });

  it('keeps sheets, and refuses those whose parts do not fit together', async () => {
    const made = await call<ApiSheet>(at('sheets'), 'POST', sheet('Watershed'));
    expect(made.status).toBe(201);
    const renamed = await call<ApiSheet>(at(`sheets/${made.data.id}`), 'PUT', sheet('The gauge’s watershed'));
    expect(renamed.data.sheet.name).toBe('The gauge’s watershed');
    const lost = { kind: 'north', id: 'n', x: 1, y: 1, width: 9, height: 9, frame: 'f', of: 'true', told: true };
    const bad = await call<ApiProblem>(at(`sheets/${made.data.id}`), 'PUT', sheet('Watershed', [lost]));
    expect([bad.status, bad.data.code]).toEqual([422, 'sheet.invalid']);
    expect(bad.data.detail).toContain('a frame that is not there');
    const names = async (): Promise<string[]> => (await detail(p)).sheets.map((s) => s.sheet.name);
    expect(await names()).toContain('The gauge’s watershed');
    await call(at(`sheets/${made.data.id}`), 'DELETE');
    expect(await names()).not.toContain('The gauge’s watershed');
    await call(at(`sheets/${made.data.id}/restore`), 'POST');
    expect(await names()).toContain('The gauge’s watershed');
  });

  it('takes in pictures and drawings, and nothing else', async () => {
    const put = (bytes: Uint8Array) => call<{ id: string } & ApiProblem>(at('pictures'), 'POST', bytes);
    const text = (v: unknown) => new TextEncoder().encode(typeof v === 'string' ? v : JSON.stringify(v));
    const { id } = (await put(PNG)).data;
    const back = await fetch(`${test.base}${at(`pictures/${id}`)}`);
    expect(back.headers.get('content-type')).toBe('image/png');
    expect(new Uint8Array(await back.arrayBuffer())).toEqual(PNG);
    const box = { kind: 'box', x: 0, y: 0, width: 5, height: 5, fill: '#ffffff' };
    const inside = { kind: 'group', clip: { x: 0, y: 0, width: 5, height: 5 }, items: [box] };
    expect((await put(text({ width: 10, height: 10, items: [box, inside] }))).status).toBe(201);
    for (const bytes of [
      text('<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>'),
      text({ width: 10, height: 10, items: [{ ...box, kind: 'script' }] }),
      text({ width: 10, height: 10, items: [{ ...box, kind: 'image', image: 'https://elsewhere/x.png' }] }),
      text({ width: -1, height: 10, items: [] }),
      text('{'),
      new Uint8Array(0),
    ]) {
      const r = await put(bytes);
      expect([r.status, r.data.code]).toEqual([422, 'picture.invalid']);
    }
    expect((await call(at('pictures/nowhere00'))).status).toBe(404);
  });

  it('goes with the file of the project, which is refused where any of it is damaged', async () => {
    await call(at('findings'), 'POST', finding('kept'));
    await call(at('sheets'), 'POST', sheet('Kept'));
    await call(at('pictures'), 'POST', PNG);
    const file = new Uint8Array(await (await fetch(`${test.base}${at('file')}`)).arrayBuffer());
    const open = (bytes: Uint8Array) => call<ApiProject & ApiProblem>('/api/projects/file?name=x.helk', 'POST', bytes);
    const copy = await open(file);
    expect(copy.status).toBe(201);
    const [a, b] = [await detail(p), await detail(copy.data.id)];
    expect(b.findings).toEqual(a.findings);
    expect(b.sheets).toEqual(a.sheets);
    for (const sql of [
      `UPDATE findings SET body = '{"title":""}'`,
      `UPDATE sheets SET body = '{}'`,
      `UPDATE pictures SET type = 'text/html'`,
      `UPDATE pictures SET bytes = x'3c7376673e'`,
    ]) {
      const db = new Database(Buffer.from(file));
      db.exec(sql);
      const r = await open(new Uint8Array(db.serialize()));
      db.close();
      expect([r.status, r.data.code]).withContext(sql).toEqual([422, 'project.invalid']);
    }
  });
});
