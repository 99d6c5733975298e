import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import {
  CATEGORY_COLOURS,
  crsOfCode,
  FeaturesBuilder,
  measureRaster,
  numberColumn,
  PLAIN_VECTOR,
  textColumn,
  type Dataset,
  type RasterStyle,
  type VectorStyle,
} from '@helk/core';
import type { ApiDataset, ApiProjectDetail, ApiRun, ProjectEvent } from '@helk/core/api/schemas';
import { Api } from '../api/api';
import { datasetOf, described, projectOf, runOf } from '../testing';
import { BenchStore } from './bench.store';
import { Looks } from './looks';
import { ProjectStore } from './project.store';
import { NOTHING_WRITTEN } from './written';

const crs = crsOfCode(32627);
function shapes(columns = [numberColumn('n', [1])], geometry: 'line' | 'polygon' = 'line') {
  const b = new FeaturesBuilder();
  b.coordinate(0, 0);
  b.coordinate(10, 10);
  if (geometry === 'polygon') b.coordinate(10, 0);
  b.endRing();
  b.endPart();
  b.endFeature();
  return b.build(geometry, crs, columns);
}
const grid = (unit: string, role?: string): Dataset =>
  measureRaster({ crs, x: 0, y: 20, dx: 10, dy: 10, columns: 2, rows: 2 }, Float32Array.of(1, 2, 3, 4), {
    name: 'z',
    unit,
    ...(role ? { role } : {}),
  });
const set = (id: string, data: Dataset, over: Partial<ApiDataset> = {}): ApiDataset =>
  datasetOf(id, { data }, { name: id, ...over });

const runs: ApiRun[] = [
  runOf('streamrun1', 'terrain.streams', { inputs: { elevation: ['ground0001'] }, outputs: ['streams001'] }),
  runOf('subsetrun1', 'features.subset', { inputs: { features: ['roads00001'] }, outputs: ['subset0001'] }),
  runOf('smoothrun1', 'raster.smooth', { inputs: { raster: ['ground0001'] }, outputs: ['smooth0001'] }),
  runOf('sloperun01', 'terrain.slope', { inputs: { elevation: ['ground0001'] }, outputs: ['slope00001'] }),
];

class FakeApi {
  patched: { id: string; look: object }[] = [];
  refuse = false;
  on: (e: ProjectEvent) => void = () => undefined;
  methods = () => Promise.resolve(described());
  projects = () => Promise.resolve([projectOf('project1')]);
  project = (): Promise<ApiProjectDetail> =>
    Promise.resolve({
      project: projectOf('project1'),
      datasets: [
        set('ground0001', grid('m', 'elevation')),
        set('roads00001', shapes()),
        set('areas00001', shapes(undefined, 'polygon')),
        set('paths00001', shapes()),
        set('streams001', shapes([numberColumn('order', [2])]), { runId: 'streamrun1', role: 'streams' }),
        set('subset0001', shapes(), { runId: 'subsetrun1', role: 'subset' }),
        set('smooth0001', grid('m', 'elevation'), { runId: 'smoothrun1', role: 'smoothed' }),
        set('slope00001', grid('°', 'slope'), { runId: 'sloperun01', role: 'slope' }),
        ...Array.from({ length: CATEGORY_COLOURS.length }, (_, i) =>
          set(`many00000${i}`.slice(0, 12), shapes([textColumn('t', ['a'])])),
        ),
      ],
      runs,
      ...NOTHING_WRITTEN,
      workbench: null,
    });
  follow = (_id: string, on: (e: ProjectEvent) => void) => {
    this.on = on;
    return () => undefined;
  };
  detail = () => Promise.resolve(null);
  saveWorkbench = () => Promise.resolve();
  features = () => Promise.resolve(shapes());
  patchDataset = (_p: string, id: string, patch: { look: object }): Promise<ApiDataset> => {
    this.patched.push({ id, look: patch.look });
    return this.refuse ? Promise.reject(new Error('It is full.')) : Promise.resolve(set(id, shapes()));
  };
}
const rest = (ms = 0): Promise<void> => new Promise((r) => setTimeout(r, ms));

describe('how datasets are drawn', () => {
  let api: FakeApi;
  let store: InstanceType<typeof ProjectStore>;
  let bench: InstanceType<typeof BenchStore>;
  let looks: Looks;
  const item = (id: string) => store.datasetEntityMap()[id]!;
  const look = <L>(id: string): L => looks.of(item(id)) as L;
  beforeEach(async () => {
    localStorage.clear();
    api = new FakeApi();
    TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection(), { provide: Api, useValue: api }] });
    store = TestBed.inject(ProjectStore);
    bench = TestBed.inject(BenchStore);
    looks = TestBed.inject(Looks);
    await rest(30);
    TestBed.tick();
  });

  it('is what the method says that made it, so far as the columns are there', () => {
    const streams = look<VectorStyle>('streams001');
    expect(streams.size).toEqual({ column: 'order', largest: 4 });
    expect(streams.colour).toBe('#1f78b4');
    expect(look<VectorStyle>('roads00001').size).toBeNull();
  });

  it('gives no two layers of a pane one colour, as long as there are colours', () => {
    const pane = bench.addPane();
    const many = store.datasetEntities().filter((d) => d.id.startsWith('many'));
    for (const d of many) bench.show(d.id, pane, true);
    const colours = many.map((d) => look<VectorStyle>(d.id).colour);
    expect(new Set(colours).size).toBe(many.length);
  });

  it('is that of the set it was kept from, in another colour where both are seen', () => {
    bench.show('roads00001', 1, true);
    bench.restyle(1, 'roads00001', { width: 5, colour: '#123456' });
    expect(look<VectorStyle>('subset0001').width).toBe(5);
    bench.show('subset0001', 1, true);
    expect(look<VectorStyle>('subset0001').width).toBe(5);
    expect(look<VectorStyle>('subset0001').colour).not.toBe('#123456');
  });

  it('is that of what it was made from where the values mean the same, never seen through', () => {
    bench.show('ground0001', 1, false);
    bench.restyle(1, 'ground0001', { ramp: 'tide', opacity: 0.4 });
    expect(look<RasterStyle>('smooth0001')).toEqual(jasmine.objectContaining({ ramp: 'tide', opacity: 1 }));
    expect(look<RasterStyle>('slope00001').ramp).toBe('ember');
  });

  it('lets a grid that is asked for be seen: beneath lines and faint areas, not beneath filled ones', () => {
    const order = (): string[] => bench.pane().layers.map((l) => l.dataset);
    bench.show('areas00001', 1, true);
    bench.show('ground0001', 1, false);
    expect(order()).toEqual(['ground0001', 'areas00001']);
    bench.restyle(1, 'areas00001', { fill: 0.9 });
    bench.show('roads00001', 1, true);
    bench.show('slope00001', 1, false);
    expect(order()).toEqual(['areas00001', 'slope00001', 'roads00001']);
  });

  it('stays when it is taken out of a pane, and is the same in every pane', () => {
    bench.show('roads00001', 1, true);
    bench.restyle(1, 'roads00001', { colour: '#abcdef' });
    bench.removeLayer(1, 'roads00001');
    const two = bench.addPane();
    bench.show('roads00001', two, true);
    expect(look<VectorStyle>('roads00001').colour).toBe('#abcdef');
  });

  it('is another one in a pane that has its own way, and as everywhere again without it', () => {
    bench.show('roads00001', 1, true);
    const two = bench.addPane();
    bench.show('roads00001', two, true);
    bench.setOwn(two, 'roads00001', true);
    bench.restyle(two, 'roads00001', { colour: '#111111' });
    const layer = (pane: number) => bench.panes().find((p) => p.id === pane)!.layers[0]!;
    const of = (pane: number): string =>
      looks.of<VectorStyle>(
        item('roads00001'),
        bench
          .panes()
          .find((p) => p.id === pane)!
          .layers.at(-1),
      ).colour;
    expect(of(two)).toBe('#111111');
    expect(look<VectorStyle>('roads00001').colour).not.toBe('#111111');
    bench.restyle(1, 'roads00001', { colour: '#222222' });
    expect(of(two)).toBe('#111111');
    bench.setOwn(two, 'roads00001', false);
    expect(of(two)).toBe('#222222');
    expect(layer(1)).toBeDefined();
  });

  it('is told to the server once a slider rests, and an older echo does not undo it', async () => {
    bench.show('paths00001', 1, true);
    await rest(320);
    api.patched = [];
    for (const width of [1, 2, 3, 4]) bench.restyle(1, 'paths00001', { width });
    expect(look<VectorStyle>('paths00001').width).toBe(4);
    expect(api.patched).toEqual([]);
    // Something else about it is told meanwhile, with the way of drawing that the server still has.
    api.on({ type: 'datasets', datasets: [set('paths00001', shapes(), { name: 'Paths', look: { ...PLAIN_VECTOR } })] });
    expect(item('paths00001').name).toBe('Paths');
    expect(look<VectorStyle>('paths00001').width).toBe(4);
    await rest(320);
    expect(api.patched.map((p) => (p.look as VectorStyle).width)).toEqual([4]);
    // Another tab draws it: that is newer.
    api.on({ type: 'datasets', datasets: [set('paths00001', shapes(), { look: { ...PLAIN_VECTOR, width: 9 } })] });
    expect(look<VectorStyle>('paths00001').width).toBe(9);
  });

  it('that cannot be kept says so', async () => {
    api.refuse = true;
    bench.show('paths00001', 1, true);
    await rest(320);
    expect(store.notices().at(-1)?.text).toBe('It is full.');
  });

  it('goes with a set that takes the place of another', () => {
    bench.show('roads00001', 1, true);
    bench.restyle(1, 'roads00001', { colour: '#321321' });
    bench.replaceLayer('roads00001', 'paths00001');
    expect(bench.pane().layers.map((l) => l.dataset)).toContain('paths00001');
    expect(look<VectorStyle>('paths00001').colour).toBe('#321321');
  });

  it('is left alone by a panel in a pane of its own; what is shown next goes to the map', () => {
    bench.show('roads00001', 1, true);
    bench.showPanel('roads00001', 'table');
    expect(bench.panes().map((p) => [p.kind, p.panel?.id ?? ''])).toEqual([
      ['map', ''],
      ['panel', 'table'],
    ]);
    bench.show('paths00001', bench.activePane(), true);
    expect(bench.panes().map((p) => p.kind)).toEqual(['map', 'panel']);
    api.on({ type: 'removed', ids: ['roads00001'] });
    TestBed.tick();
    expect(bench.panes().map((p) => p.kind)).toEqual(['map', 'map']);
  });
});
