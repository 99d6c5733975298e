import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { crsOfCode, FeaturesBuilder, measureRaster, numberColumn, wgs84, type Features } from '@helk/core';
import type { ApiProjectDetail, ProjectEvent } from '@helk/core/api/schemas';
import { Api } from '../api/api';
import { Drawing } from '../draw/drawing';
import { BenchStore } from '../state/bench.store';
import { Cursor } from '../state/cursor';
import { Clicking } from '../state/clicking';
import { Picks } from '../state/picks';
import { ProjectStore } from '../state/project.store';
import { datasetOf, described, projectOf } from '../testing';
import { MapPane } from './map-pane';
import { PaneShell } from './pane';
import { NOTHING_WRITTEN } from '../state/written';

const crs = crsOfCode(32627);
const hill = measureRaster(
  { crs, x: 530_000, y: 6_460_000, dx: 100, dy: 100, columns: 20, rows: 20 },
  Float32Array.from({ length: 400 }, (_, i) => i),
  { name: 'hill', unit: 'm', role: 'elevation' },
);
function wells(x: number, y: number, system = crs): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < 3; i++) b.point(x + 100 * i, y);
  return b.build('point', system, [numberColumn('n', [1, 2, 3])]);
}
const near = wells(530_900, 6_459_000);
const far = wells(700_000, 6_000_000);

class FakeApi {
  on: (e: ProjectEvent) => void = () => undefined;
  methods = () => Promise.resolve(described());
  projects = () => Promise.resolve([projectOf('project1')]);
  project = (): Promise<ApiProjectDetail> =>
    Promise.resolve({
      project: projectOf('project1'),
      datasets: [
        datasetOf('hill000001', { data: hill }, { name: 'Hill' }),
        datasetOf('wells00001', { data: near }, { name: 'Wells' }),
        datasetOf('far0000001', { data: far }, { name: 'Far wells' }),
      ],
      runs: [],
      ...NOTHING_WRITTEN,
      workbench: null,
    });
  follow = (_: string, on: (e: ProjectEvent) => void) => {
    this.on = on;
    return () => undefined;
  };
  detail = () => Promise.resolve(null);
  saveWorkbench = () => Promise.resolve();
  patchDataset = () => new Promise<never>(() => undefined);
  features = (_: string, id: string) => Promise.resolve(id === 'wells00001' ? near : far);
}
class FakeDrawing {
  tiles = 0;
  first = Promise.resolve();
  warmed: string[] = [];
  warm = (s: { source: { dataset: string } }): void => void this.warmed.push(s.source.dataset);
  tile = (): Promise<ImageBitmap | null> => {
    this.tiles++;
    return createImageBitmap(new ImageData(256, 256));
  };
  value = (r: { x: number; y: number }) => {
    const [c, row] = [Math.floor((r.x - 530_000) / 100), Math.floor((6_460_000 - r.y) / 100)];
    const inside = c >= 0 && row >= 0 && c < 20 && row < 20;
    return Promise.resolve({ value: inside ? 20 * row + c : null, column: c, row });
  };
}

describe('a pane with a map', () => {
  let api: FakeApi;
  let bench: InstanceType<typeof BenchStore>;
  let f: ComponentFixture<PaneShell>;
  const el = (): HTMLElement => f.nativeElement as HTMLElement;
  const settle = async (times = 4): Promise<void> => {
    for (let k = 0; k < times; k++) {
      await new Promise((r) => setTimeout(r, 40));
      f?.componentRef.setInput('pane', bench.panes()[0]!);
      f?.detectChanges();
    }
  };
  const text = (): string => el().textContent!.replace(/\s+/g, ' ');
  const button = (label: RegExp): HTMLButtonElement | undefined =>
    [...el().querySelectorAll('button')].find((b) => label.test(b.getAttribute('aria-label') ?? b.textContent));
  interface Inside {
    map: import('ol/Map').default;
  }
  const pane = (): Inside => {
    const found = f.debugElement.query((d) => d.componentInstance instanceof MapPane);
    return found.componentInstance as unknown as Inside;
  };
  /** Names of what is drawn, by height. */
  const layers = (): number => pane().map.getLayers().getLength();

  beforeEach(async () => {
    localStorage.clear();
    api = new FakeApi();
    TestBed.configureTestingModule({
      providers: [
        provideZonelessChangeDetection(),
        { provide: Api, useValue: api },
        { provide: Drawing, useValue: new FakeDrawing() },
      ],
    });
    TestBed.inject(ProjectStore);
    bench = TestBed.inject(BenchStore);
    await new Promise((r) => setTimeout(r, 30));
    TestBed.tick();
    f = TestBed.createComponent(PaneShell);
    f.componentRef.setInput('pane', bench.panes()[0]!);
    el().style.cssText = 'display:block;width:600px;height:420px';
    document.body.append(el());
    await settle();
  });
  afterEach(() => {
    f.destroy();
    el().remove();
  });

  it('opens with the last thing that has a picture, gone to, with key and scale', () => {
    expect(text()).toContain('Hill');
    expect(text()).toContain('Hill, m');
    expect(text()).toContain('399');
    const [x, y] = pane().map.getView().getCenter()!;
    expect(Math.abs(x! - 531_000)).toBeLessThan(300);
    expect(Math.abs(y! - 6_459_000)).toBeLessThan(300);
    expect(text()).toMatch(/\d+ (m|km)/);
  });

  it('draws what is added above, hides, and takes out what is taken out', async () => {
    const alone = layers();
    bench.show('wells00001', 1, true);
    await settle();
    expect(layers()).toBeGreaterThan(alone);
    expect(text()).toContain('Wells');
    button(/^Hide Wells/)!.click();
    await settle();
    expect(bench.panes()[0]!.layers[1]!.visible).toBeFalse();
    expect(el().querySelectorAll('[data-testid^=key-]').length).toBe(1);
    button(/^Take Wells out/)!.click();
    await settle();
    expect(layers()).toBe(alone);
  });

  it('stays where it is when something far away is shown, says so, and goes there when asked', async () => {
    const before = pane().map.getView().getCenter()!;
    bench.show('far0000001', 1, true);
    await settle();
    expect(pane().map.getView().getCenter()).toEqual(before);
    button(/^Far wells is out of view/)!.click();
    await settle(8);
    expect(Math.abs(pane().map.getView().getCenter()![0]! - 700_100)).toBeLessThan(300);
    expect(button(/out of view/)?.getAttribute('aria-label')).toContain('Hill');
  });

  it('shows the value under the cursor, and a ring for that of another pane', async () => {
    const cursor = TestBed.inject(Cursor);
    cursor.at.set({ x: 530_550, y: 6_459_450, pane: 2 });
    await settle();
    expect(el().querySelector('[data-testid=cursor-value]')!.textContent.trim()).toBe('105 m');
    cursor.at.set({ x: 500_000, y: 6_459_450, pane: 2 });
    await settle();
    expect(el().querySelector('[data-testid=cursor-value]')).toBeNull();
    bench.set({ linkedCursor: false });
    cursor.at.set({ x: 530_550, y: 6_459_450, pane: 2 });
    await settle();
    expect(el().querySelector('[data-testid=cursor-value]')).toBeNull();
  });

  it('a click reads and leaves what is picked and chosen; with Ctrl, or with the tool, it picks', async () => {
    const picks = TestBed.inject(Picks);
    const clicking = TestBed.inject(Clicking);
    bench.show('wells00001', 1, true);
    bench.select('hill000001');
    picks.pick('wells00001', Uint8Array.of(1, 0, 0), 'replace');
    await settle();
    const { map } = pane();
    map.renderSync();
    const click = async (x: number, y: number, held: MouseEventInit = {}): Promise<void> => {
      const event = {
        pixel: map.getPixelFromCoordinate([x, y]),
        coordinate: [x, y],
        originalEvent: new MouseEvent('click', held),
      };
      for (const type of ['click', 'singleclick']) map.dispatchEvent({ ...event, type } as never);
      await settle();
    };
    await click(531_000, 6_459_000);
    expect(bench.readout()).toEqual({ x: 531_000, y: 6_459_000 });
    expect(clicking.readOf('wells00001')).toBe(1);
    expect([...picks.of('wells00001')!]).toEqual([1, 0, 0]);
    expect(bench.selected()).toBe('hill000001');
    await click(531_000, 6_459_000, { ctrlKey: true });
    expect([...picks.of('wells00001')!]).toEqual([1, 1, 0]);
    expect(bench.selected()).toBe('wells00001');
    await click(531_000, 6_459_000, { ctrlKey: true });
    expect([...picks.of('wells00001')!]).toEqual([1, 0, 0]);
    clicking.picking.set(true);
    await click(531_000, 6_459_000);
    expect([...picks.of('wells00001')!]).toEqual([0, 1, 0]);
    clicking.picking.set(false);
    // Where nothing lies, nothing is read of it any more.
    await click(530_100, 6_459_900);
    expect(clicking.readOf('wells00001')).toBeNull();
    expect([...picks.of('wells00001')!]).toEqual([0, 1, 0]);
  });

  it('looks at the same place when the project is given another system', async () => {
    const before = pane().map.getView().getCenter()!;
    bench.set({ readout: { x: before[0]!, y: before[1]! } });
    api.on({ type: 'project', project: projectOf('project1', { crs: wgs84() }) });
    TestBed.tick();
    await settle();
    const [lon, lat] = pane().map.getView().getCenter()!;
    expect(lon).toBeCloseTo(-20.47, 1);
    expect(lat).toBeCloseTo(58.27, 1);
    expect(bench.readout()!.x).toBeCloseTo(lon!, 6);
    expect(layers()).toBeGreaterThan(2);
  });

  it('lets go of everything with its dataset', async () => {
    const whole = layers();
    api.on({ type: 'removed', ids: ['hill000001'] });
    TestBed.tick();
    await settle();
    expect(layers()).toBe(whole - 1);
    expect(text()).toContain('Choose a dataset in the ledger');
  });

  it('swipes where there is something below, and only there', async () => {
    expect(button(/^Swipe/)).toBeUndefined();
    const other = datasetOf('other00001', { data: hill }, { name: 'Other hill' });
    api.on({ type: 'datasets', datasets: [other] });
    TestBed.tick();
    bench.show('other00001', 1, true);
    await settle();
    button(/^Swipe the top/)!.click();
    await settle();
    expect(bench.panes()[0]!.swipe).toBe(0.5);
    const handle = el().querySelector<HTMLElement>('[role=slider][aria-label=Swipe]')!;
    handle.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight' }));
    expect(bench.panes()[0]!.swipe).toBeCloseTo(0.55, 9);
  });
});
