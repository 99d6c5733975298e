import { provideZonelessChangeDetection, type Type } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import {
  defaultStyle,
  FeaturesBuilder,
  HelkError,
  infoOf,
  measureRaster,
  numberColumn,
  textColumn,
  type Dataset,
  type Features,
  type FeaturesInfo,
  type RasterInfo,
  type VectorStyle,
} from '@helk/core';
import { suggestLags } from '@helk/core/methods/surface/variogram';
import { empiricalVariogram, fitVariogram } from '@helk/core/numeric/variogram';
import type {
  ApiProjectDetail,
  ApiRun,
  ApiServiceCollection,
  ApiServiceHits,
  ApiServiceTake,
} from '@helk/core/api/schemas';
import { Api } from './api/api';
import { ColumnCharts } from './evidence/column-charts';
import { groupsOf, isGrouping, numbersOf } from './evidence/column-values';
import { HistogramChart } from './evidence/histogram';
import { PickBars } from './evidence/pick-bars';
import { features } from './kinds/features';
import { rangeWords } from './kinds/range-words';
import { VariogramWork } from './evidence/variogram-work';
import { Catalogue } from './gather/catalogue';
import { BenchStore } from './state/bench.store';
import { Cursor } from './state/cursor';
import { Edits } from './state/edits';
import { Judge } from './state/judge';
import { Picks } from './state/picks';
import { ProjectStore, type DatasetItem } from './state/project.store';
import { ServiceStore } from './state/service.store';
import { VariogramBench } from './state/variogram';
import { datasetOf, runOf, projectOf, described } from './testing';
import { NOTHING_WRITTEN } from './state/written';

const crs = {
  code: 'EPSG:32627',
  name: 'WGS 84 / UTM zone 27N',
  proj4: '+proj=utm +zone=27 +datum=WGS84 +units=m +no_defs',
  geographic: false,
  unit: 'm',
};

/** A net of 64 probes over a tilted, wavy field. */
function probes(): Features {
  const b = new FeaturesBuilder();
  const [depth, block, id]: [number[], string[], number[]] = [[], [], []];
  for (let i = 0; i < 64; i++) {
    const [x, y] = [535000 + 100 * (i % 8) + ((i * 37) % 40), 6450000 + 100 * Math.floor(i / 8) + ((i * 53) % 40)];
    b.point(x, y);
    depth.push(100 + 40 * Math.sin(x / 180) + 30 * Math.cos(y / 220) + ((i * 29) % 11));
    block.push(i % 8 < 4 ? 'west' : 'east');
    id.push(i + 1);
  }
  return b.build('point', crs, [
    numberColumn('probe', id),
    textColumn('block', block),
    numberColumn('depth', depth, 'cm'),
  ]);
}
const grid = { crs, x: 535000, y: 6450800, dx: 100, dy: 100, columns: 8, rows: 8 };
const surface = (shift: number, role?: string): Dataset =>
  measureRaster(
    grid,
    Float32Array.from({ length: 64 }, (_, i) => i + shift),
    {
      name: 'depth',
      unit: 'cm',
      ...(role ? { role } : {}),
    },
  );
const item = (id: string, name: string, data: Dataset, over: object = {}): ApiProjectDetail['datasets'][number] =>
  datasetOf(id, { data }, { name, ...over });
const made = (id: string, method: string, params: object, outputs: string[]): ApiRun =>
  runOf(id, method, { inputs: { points: ['probes0001'] }, params: params as never, outputs, createdAt: id });
const estimate = (runId: string): object => ({ runId, role: 'estimate' });

class FakeApi {
  started: { method: string; inputs: object; params: Record<string, unknown> }[] = [];
  taken: ApiServiceTake | null = null;
  searched: { words: string; bbox: number[] | null }[] = [];
  broken = false;
  methods = () => Promise.resolve(described());
  patchDataset = () => new Promise<never>(() => undefined);
  projects = () => Promise.resolve([projectOf('project1')]);
  project = (): Promise<ApiProjectDetail> =>
    Promise.resolve({
      project: projectOf('project1'),
      datasets: [
        item('probes0001', 'Probes', probes()),
        item('idw0000001', 'Inverse distance', surface(0), estimate('run1')),
        item('nearest001', 'Nearest', surface(5), estimate('run2')),
        item('krige00001', 'Kriging', surface(-5), estimate('run3')),
        item('error00001', 'Standard error', surface(1, 'error'), { runId: 'run3', role: 'standardError' }),
        item('other00001', 'Of moisture', surface(2), estimate('run4')),
        item('edited0001', 'Probes edited', probes(), { runId: 'run9', role: 'features' }),
      ],
      runs: [
        made('run1', 'surface.idw', { value: 'depth' }, ['idw0000001']),
        made('run2', 'surface.nearest', { value: 'depth' }, ['nearest001']),
        made('run3', 'surface.kriging', { value: 'depth' }, ['krige00001', 'error00001']),
        made('run4', 'surface.idw', { value: 'moisture' }, ['other00001']),
      ],
      ...NOTHING_WRITTEN,
      workbench: null,
    });
  follow = () => () => undefined;
  saveWorkbench = () => Promise.resolve();
  features = (): Promise<Features> => Promise.resolve(probes());
  startRun = (_p: string, r: { method: string; inputs: object; params: Record<string, unknown> }): Promise<ApiRun> => {
    this.started.push(r);
    return Promise.resolve(made('run9', r.method, r.params, ['edited0001']));
  };
  services = () => Promise.resolve([{ title: 'Stand-in', about: 'Invented', address: 'http://127.0.0.1:1/portal' }]);
  searchService = (body: { words: string; bbox: number[] | null }): Promise<ApiServiceHits> => {
    this.searched.push(body);
    if (this.broken) return Promise.reject(new HelkError('service.unreachable', 'host cannot be reached.'));
    const hits = ['peat', 'wells'].filter((c) => c.includes(body.words));
    return Promise.resolve({
      address: 'http://127.0.0.1:1/portal',
      title: 'Survey office',
      description: '',
      catalogue: true,
      total: hits.length,
      hits: hits.map((collection) => ({
        collection,
        title: `All ${collection}`,
        description: '',
        keywords: ['soil'],
        updated: '2024-01-01',
        license: 'free',
        extent: [-20.4, 58.1, -20.3, 58.2],
      })),
    });
  };
  describeService = (body: { collection: string }): Promise<ApiServiceCollection> =>
    body.collection === 'wells'
      ? Promise.reject(new HelkError('service.invalid', 'It sent a web page.'))
      : Promise.resolve({
          id: 'peat',
          title: 'All peat',
          description: 'Depths',
          extent: [-20.4, 58.1, -20.3, 58.2],
          count: 3,
          crs: [],
          storage: 'EPSG:32627',
          columns: [
            { name: 'depth', title: 'Depth of peat', type: 'number', unit: 'cm', examples: ['12', '0'] },
            { name: 'note', title: '', type: 'string', unit: null, examples: [] },
          ],
          preview: [{ geometry: 'polygon', count: 3, rings: [[-20.4, 58.1, -20.3, 58.1, -20.3, 58.2, -20.4, 58.1]] }],
        });
  takeService = (_p: string, body: ApiServiceTake): Promise<ApiRun> => {
    this.taken = body;
    return Promise.resolve(made('run8', 'import', {}, []));
  };
}

describe('points and surfaces in the client', () => {
  let api: FakeApi;
  const store = () => TestBed.inject(ProjectStore);
  const until = async (what: () => boolean): Promise<void> => {
    for (let k = 0; k < 300 && !what(); k++) await new Promise((r) => setTimeout(r, 15));
    expect(what()).withContext('waited for').toBeTrue();
  };
  beforeEach(async () => {
    localStorage.clear();
    api = new FakeApi();
    TestBed.configureTestingModule({
      providers: [provideZonelessChangeDetection(), { provide: Api, useValue: api }],
    });
    await until(() => store().datasetEntities().length > 0);
  });
  const set = (id = 'probes0001'): DatasetItem => store().datasetEntityMap()[id]!;
  async function show<T>(type: Type<T>, id: string): Promise<ComponentFixture<T>> {
    const f = TestBed.createComponent(type);
    f.componentRef.setInput('item', set(id));
    f.nativeElement.style.cssText = 'display:flex;width:760px;height:300px';
    document.body.append(f.nativeElement);
    f.detectChanges();
    await f.whenStable();
    return f;
  }
  const at = (f: ComponentFixture<unknown>, id: string): HTMLElement =>
    (f.nativeElement as HTMLElement).querySelector(`[data-testid="${id}"]`)!;

  describe('typed values', () => {
    it('wait beside the old ones, go when they are the same again, and are kept as one run', async () => {
      const edits = TestBed.inject(Edits);
      const [, block, depth] = probes().columns;
      edits.set('probes0001', depth!, [0], '12,5');
      edits.set('probes0001', block!, [1, 2, 3], 'north');
      edits.set('probes0001', depth!, [4], '');
      expect(edits.count('probes0001')).toBe(5);
      expect(edits.of('probes0001', 'depth', 4)).toBeNull();
      expect(edits.of('probes0001', 'depth', 5)).toBeUndefined();
      expect(() => edits.set('probes0001', depth!, [0], 'deep')).toThrowError(/is no number/);
      edits.set('probes0001', block!, [3], 'west');
      expect(edits.count('probes0001')).toBe(4);

      const bench = TestBed.inject(BenchStore);
      bench.show('probes0001', 1, true);
      await edits.keep('probes0001');
      expect(api.started[0]!.params).toEqual({ edits: 'depth @ 1 = 12,5; block @ 2-3 = north; depth @ 5 =' });
      expect(edits.count('probes0001')).toBe(0);
      expect(bench.pane().layers.map((l) => l.dataset)).toContain('edited0001');
      expect(bench.selected()).toBe('edited0001');
    });
  });

  describe('charts of columns', () => {
    it('tell groups from measures, and keep missing values out', () => {
      const [id, block, depth] = probes().columns;
      expect([id, block, depth].map((c) => isGrouping(c!))).toEqual([false, true, false]);
      const g = groupsOf(block!);
      expect(g.names).toEqual(['east', 'west']);
      expect([...g.of.slice(0, 8)]).toEqual([1, 1, 1, 1, 0, 0, 0, 0]);
      const holes = { ...depth!, missing: Uint8Array.from({ length: 64 }, (_, i) => (i === 2 ? 1 : 0)) };
      expect(numbersOf(holes)[2]).toBeNaN();
    });

    it('start with what was measured; a drag over bars and a click on a box pick rows', async () => {
      const f = await show(ColumnCharts, 'probes0001');
      await until(() => (at(f, 'chart-value') as HTMLSelectElement).value === 'depth');
      const brush = at(f, 'chart-brush');
      const picks = TestBed.inject(Picks);
      const point = (type: string, x: number, y: number): void => {
        const r = brush.getBoundingClientRect();
        brush.dispatchEvent(
          new PointerEvent(type, {
            clientX: r.left + x * r.width,
            clientY: r.top + y * r.height,
            pointerId: 1,
            bubbles: true,
          }),
        );
      };
      spyOn(Element.prototype, 'setPointerCapture');
      await new Promise((r) => setTimeout(r, 60));
      point('pointerdown', 0.02, 0.5);
      point('pointermove', 0.99, 0.5);
      point('pointerup', 0.99, 0.5);
      expect(picks.count('probes0001')).toBe(64);
      const kinds = [...(f.nativeElement as HTMLElement).querySelectorAll('button')];
      kinds.find((b) => b.textContent!.trim() === 'by group')!.click();
      f.detectChanges();
      await f.whenStable();
      await new Promise((r) => setTimeout(r, 60));
      point('pointerdown', 0.2, 0.5);
      point('pointerup', 0.2, 0.5);
      expect(picks.count('probes0001')).toBe(32);
      kinds.find((b) => b.textContent!.trim() === 'against')!.click();
      f.detectChanges();
      await f.whenStable();
      expect(at(f, 'chart-words').textContent).toMatch(/r = −?-?\d\.\d\d over 64 rows/);
    });

    it('of a raster tell the cells of a range with their area, and let them stand out', async () => {
      const info = set('idw0000001').info as RasterInfo;
      const f = TestBed.createComponent(HistogramChart);
      f.componentRef.setInput('band', info.bands[0]);
      f.nativeElement.style.cssText = 'display:block;position:relative;width:600px;height:200px';
      document.body.append(f.nativeElement);
      const got: [number, number][] = [];
      f.componentInstance.chosen.subscribe((v) => got.push(v));
      f.detectChanges();
      await f.whenStable();
      await new Promise((r) => setTimeout(r, 60));
      const brush = at(f, 'histogram-brush');
      const r = brush.getBoundingClientRect();
      spyOn(Element.prototype, 'setPointerCapture');
      for (const [type, x] of [
        ['pointerdown', 0],
        ['pointerup', 1],
      ] as const)
        brush.dispatchEvent(
          new PointerEvent(type, { clientX: r.left + x * r.width, clientY: r.top + 50, pointerId: 1 }),
        );
      expect(got).toEqual([[0, 63]]);
      // 64 cells of a hectare, 0 to 63.
      expect(rangeWords(info, 0, [0, 63])).toBe('0 to 63 cm: 64 cells, 100 %, 64 ha');
      const { counts, min, max } = info.bands[0]!.facts!.histogram!;
      const step = (max - min) / counts.length;
      const first = counts.slice(0, 3).reduce((a, b) => a + b, 0);
      expect(rangeWords(info, 0, [min, min + 3 * step])).toContain(`: ${first} cells`);
    });

    it('have bars over which a range is chosen, by keys too', async () => {
      const f = TestBed.createComponent(PickBars);
      f.componentRef.setInput('bars', [10, 50, 100, 20]);
      f.componentRef.setInput('ends', [0, 1, 2, 3, 4]);
      f.componentRef.setInput('unit', 'cm');
      const got: [number, number][] = [];
      f.componentInstance.chosen.subscribe((v) => got.push(v));
      f.detectChanges();
      await f.whenStable();
      const slider = (f.nativeElement as HTMLElement).querySelector('[role=slider]')!;
      const key = (k: string, shiftKey = false): boolean =>
        slider.dispatchEvent(new KeyboardEvent('keydown', { key: k, shiftKey, cancelable: true }));
      key('ArrowRight');
      key('ArrowRight');
      key('ArrowRight', true);
      key('ArrowLeft');
      expect(got).toEqual([
        [0, 1],
        [1, 2],
        [1, 3],
        [1, 2],
      ]);
      f.detectChanges();
      expect((f.nativeElement as HTMLElement).textContent).toContain('1 to 2 cm');
    });
  });

  describe('the variogram that is worked on', () => {
    it('is fitted by a worker as the method would, says what is wrong, and follows what is held', async () => {
      const bench = TestBed.inject(VariogramBench);
      bench.item.set(set());
      TestBed.tick();
      await until(() => bench.fit() !== null);
      expect(bench.value()).toBe('depth');
      const f = probes();
      const info = infoOf(f) as Parameters<typeof suggestLags>[0];
      const metres = (k: string): number => parseFloat(String(suggestLags(info)[k]!.value));
      const xy = Array.from({ length: 64 }, (_, i) => i);
      const lags = empiricalVariogram(
        xy.map((i) => f.xy[2 * i]!),
        xy.map((i) => f.xy[2 * i + 1]!),
        f.columns[2]!.values as Float64Array,
        metres('lag'),
        metres('maxDistance'),
      );
      expect(bench.lags()).toEqual(lags);
      bench.set({ model: 'spherical' });
      TestBed.tick();
      await until(() => bench.fit()?.model === 'spherical');
      expect(bench.fit()).toEqual(fitVariogram(lags, 'spherical'));
      bench.set({ nugget: '5', sill: '900', range: '0.3 km', map: true });
      TestBed.tick();
      await until(() => bench.map() !== null);
      expect(bench.fit()).toEqual(jasmine.objectContaining({ nugget: 5, sill: 900, range: 300 }));
      bench.set({ nugget: '1000' });
      expect(bench.wrong()).toContain('cannot be below the nugget');
      bench.set({ nugget: 'x' });
      expect(bench.wrong()).toContain('is no number');
      bench.release();
      bench.set({ lag: '9 km' });
      expect(bench.wrong()).toContain('wider than the greatest distance');
    });

    it('has handles that keys move, a circle on the map, and goes into kriging as it stands', async () => {
      const f = await show(VariogramWork, 'probes0001');
      const bench = TestBed.inject(VariogramBench);
      const cursor = TestBed.inject(Cursor);
      await until(() => bench.fit() !== null);
      f.detectChanges();
      await until(() => cursor.ring() !== null);
      const before = bench.fit()!;
      at(f, 'handle-range').dispatchEvent(
        new KeyboardEvent('keydown', { key: 'ArrowRight', shiftKey: true, cancelable: true }),
      );
      TestBed.tick();
      await until(() => bench.fit()!.range > before.range * 1.05);
      // The others stay where they were.
      expect(bench.fit()!.sill).toBeCloseTo(before.sill, -1);
      f.detectChanges();
      at(f, 'variogram-krige').click();
      const sheet = TestBed.inject(BenchStore).sheet()!;
      expect(sheet.method).toBe('surface.kriging');
      expect(sheet.inputs).toEqual({ points: ['probes0001'] });
      expect(sheet.params['model']).toBe(before.model);
      expect(parseFloat(String(sheet.params['range']))).toBeCloseTo(bench.fit()!.range, 3);
      f.destroy();
      expect(cursor.ring()).toBeNull();
    });
  });

  describe('estimates held against each other', () => {
    it('are those of the same column on the same grid, with points in their colours and the error beside', () => {
      const judge = TestBed.inject(Judge);
      const bench = TestBed.inject(BenchStore);
      expect(judge.siblings(set('idw0000001')).map((d) => d.name)).toEqual(['Inverse distance', 'Nearest', 'Kriging']);
      expect(judge.siblings(set('other00001')).length).toBe(1);
      expect(judge.siblings(set('error00001'))).toEqual([]);
      judge.hold(set('nearest001'));
      expect(bench.panes().map((p) => p.layers.map((l) => l.dataset))).toEqual([
        ['idw0000001', 'probes0001'],
        ['nearest001', 'probes0001'],
        ['krige00001', 'probes0001'],
        ['error00001'],
      ]);
      expect((bench.panes()[0]!.layers[1]!.own as VectorStyle).by).toEqual({ kind: 'raster', column: 'depth' });
      expect(bench.sharedScale()).toBeTrue();
      // One scale for the three, its own for the error.
      const scales = bench.scales();
      expect(scales.get('1/idw0000001')).toBe(scales.get('3/krige00001')!);
      expect(scales.get('1/idw0000001')!.low).toBe(-5);
      expect(scales.get('4/error00001')).not.toBe(scales.get('1/idw0000001')!);
      expect(defaultStyle(set('idw0000001').info as RasterInfo).ramp).toBe('viridis');
    });

    it('residuals are coloured around zero and sized by how far off they are', () => {
      const f = probes();
      const columns = [numberColumn('residual_kriging', f.columns[2]!.values as Float64Array, 'cm')];
      const shows = described().find((m) => m.id === 'surface.validate')!.outputs['residuals']!.shows!;
      const look = features.look(infoOf({ ...f, columns }) as FeaturesInfo, shows, '#112233');
      expect(look.by).toEqual(jasmine.objectContaining({ kind: 'classes', column: 'residual_kriging', around: 0 }));
      expect(look.size!.column).toBe('residual_kriging');
    });
  });

  describe('a service that is looked into', () => {
    it('is searched, read and taken from with what was chosen', async () => {
      const s = TestBed.inject(ServiceStore);
      await s.look('127.0.0.1:1/portal');
      expect(s.found()!.hits.map((h) => h.collection)).toEqual(['peat', 'wells']);
      await s.choose('peat');
      // The system of what is there already.
      expect(s.crs()).toBe('EPSG:32627');
      const f = TestBed.createComponent(Catalogue);
      document.body.append(f.nativeElement);
      f.detectChanges();
      await f.whenStable();
      const text = (f.nativeElement as HTMLElement).textContent!;
      for (const words of ['3 polygons', 'Depth of peat', '2024-01-01', 'soil', '12, 0', 'Take 3'])
        expect(text).toContain(words);
      s.toggle('note');
      f.detectChanges();
      expect((f.nativeElement as HTMLElement).textContent).toContain('Take 3 with 1 of 2 columns');
      await s.take([-20.4, 58.1, -20.35, 58.15]);
      expect(api.taken).toEqual({
        address: '127.0.0.1:1/portal',
        collection: 'peat',
        columns: ['depth'],
        bbox: [-20.4, 58.1, -20.35, 58.15],
        crs: 'EPSG:32627',
        name: 'All peat',
      });
      expect(s.open()).toBeFalse();
      // Opened again it stands as it was left.
      await s.look('127.0.0.1:1/portal');
      expect(s.chosen()).toBe('peat');
      expect(api.searched.length).toBe(1);
    });

    it('says why it cannot be read, of the whole and of one dataset', async () => {
      const s = TestBed.inject(ServiceStore);
      await s.look('127.0.0.1:1/portal');
      await s.choose('wells');
      expect(s.problemOfIt()).toContain('web page');
      await s.search('peat', null);
      expect(s.chosen()).toBeNull();
      api.broken = true;
      await s.search('', [0, 0, 1, 1]);
      expect(s.problem()).toContain('cannot be reached');
      expect(s.found()).toBeNull();
      expect(api.searched.at(-1)).toEqual(jasmine.objectContaining({ bbox: [0, 0, 1, 1] }));
    });
  });
});
