import { provideZonelessChangeDetection, type Type } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import {
  crsOfCode,
  FeaturesBuilder,
  numberColumn,
  textColumn,
  type ClassEntry,
  type Features,
  type Raster,
  type RasterInfo,
  type Table,
} from '@helk/core';
import type { ApiDataset, ApiProjectDetail, ApiRun } from '@helk/core/api/schemas';
import { Api } from '../api/api';
import { AskBox } from '../ask/ask-box';
import { ErrorMatrix } from '../evidence/error-matrix';
import { bandPlaces, spectraConfig } from '../evidence/spectra-config';
import { SpectraPanel } from '../evidence/spectra-panel';
import { SceneOffer } from '../ledger/scene-offer';
import { Sketch } from '../draw/sketch';
import { BenchStore } from '../state/bench.store';
import { Naming } from '../state/naming';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Scenes } from '../state/scenes';
import { Training } from '../state/training';
import { datasetOf, described, projectOf, runOf } from '../testing';
import { Label } from './label';
import { Train } from './train';
import { WorkSide } from './work-side';
import { worksOf } from './works';
import { NOTHING_WRITTEN } from '../state/written';

const grid = { crs: crsOfCode(32627), x: 535000, y: 6450800, dx: 20, dy: 20, columns: 8, rows: 6 };
const measure = (name: string, wavelength: number) => ({
  name,
  unit: '',
  kind: 'measure' as const,
  storedType: 'uint16' as const,
  missingCode: null,
  role: name,
  wavelength,
  cells: Float32Array.from({ length: 48 }, (_, i) => i + wavelength),
});
const scene: Raster = { kind: 'raster', grid, bands: [measure('red', 660), measure('nir', 842)] };
const classes = (labels: string[]): Raster => ({
  kind: 'raster',
  grid,
  bands: [
    {
      name: 'cluster',
      unit: null,
      kind: 'category',
      storedType: 'uint8',
      missingCode: null,
      classes: labels.map((label, i) => ({ value: i + 1, label, colour: null })),
      cells: Int32Array.from({ length: 48 }, (_, i) => 1 + (i % labels.length)),
    },
  ],
});
function places(): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < 5; i++) b.point(grid.x + 10 + 20 * i, grid.y - 30);
  return b.build('point', grid.crs, [
    numberColumn('class', [1, 2, 3, 4, 1]),
    textColumn('label', ['1', '2', '3', '4', '1']),
  ]);
}
const matrix: Table = {
  kind: 'table',
  columns: [
    textColumn('found', ['reed', 'moor', 'total', 'user’s', 'user’s by area', '± user’s by area']),
    numberColumn('reed', [8, 2, 10, 0.8, 0.8, 0.26]),
    numberColumn('moor', [0, 10, 10, 1, 1, 0]),
    numberColumn('total', [8, 12, 20, NaN, NaN, NaN]),
    numberColumn('producer’s', [1, 0.833, 0.9, NaN, NaN, NaN], ''),
    numberColumn('producer’s by area', [1, 0.9, 0.92, NaN, NaN, NaN], ''),
    numberColumn('± producer’s by area', [0, 0.1, 0.09, NaN, NaN, NaN], ''),
    numberColumn('share of area', [0.4, 0.6, 1, NaN, NaN, NaN], ''),
    numberColumn('± share of area', [0.08, 0.08, NaN, NaN, NaN, NaN], ''),
  ],
};
const single = (id: string, name: string) =>
  datasetOf(id, { data: { kind: 'raster', grid, bands: [measure('b1', 500)] } as Raster }, { name, batch: 'drop1' });

/** Glances by their ids. */
const ANSWERS: Record<string, unknown> = {
  'imagery.spectra': {
    bands: [
      { name: 'red', unit: '', role: 'red', wavelength: 660 },
      { name: 'nir', unit: '', role: 'nir', wavelength: 842 },
    ],
    groups: [1, 2, 3, 4].map((key) => ({ key, label: String(key), n: 12, mean: [key, 10 * key], sd: [1, 2] })),
    share: 1,
  },
  'imagery.examplePlaces': { classes: [{ value: 1, places: [{ x: 535030, y: 6450770, side: 2 }] }] },
  'imagery.examples': {
    bands: [
      { name: 'red', unit: '', wavelength: 660 },
      { name: 'nir', unit: '', wavelength: 842 },
    ],
    classes: [
      { label: 'moor', cells: 40, mean: [1, 2], sd: [1, 1] },
      { label: 'reed', cells: 2, mean: [3, 4], sd: [1, 1] },
    ],
    pairs: [{ a: 'moor', b: 'reed', jeffriesMatusita: 1.23 }],
    few: ['reed'],
  },
  'imagery.matrixPlaces': { rows: [1, 3] },
};

class FakeApi {
  started: { method: string; inputs: Record<string, string[]>; params: Record<string, unknown> }[] = [];
  told: { id: string; classes?: ClassEntry[]; name?: string; bandName?: string }[] = [];
  drafts = new Map<string, unknown>();
  asked: [string, unknown][] = [];
  /** Patches wait for this. */
  slow: Promise<unknown> = Promise.resolve();
  taken: string[] = [];
  private readonly all = new Map<string, ApiDataset>(
    [
      datasetOf('scene00001', { data: scene }, { name: 'Scene' }),
      datasetOf(
        'cluster001',
        { data: classes(['cluster 1', 'cluster 2', 'cluster 3', 'cluster 4']) },
        { name: 'Clusters', runId: 'run1', role: 'clusters' },
      ),
      datasetOf('places0001', { data: places() }, { name: 'Places', runId: 'run2', role: 'places' }),
      datasetOf('matrix0001', { data: matrix }, { name: 'Matrix', runId: 'run3', role: 'matrix' }),
      datasetOf('cover00001', { data: classes(['reed', 'moor']) }, { name: 'Cover' }),
      single('single0001', 'spring_B04'),
      single('single0002', 'spring_B03'),
    ].map((d) => [d.id, d]),
  );
  methods = () => Promise.resolve(described());
  projects = () => Promise.resolve([projectOf('project1')]);
  project = (): Promise<ApiProjectDetail> =>
    Promise.resolve({
      project: projectOf('project1'),
      datasets: [...this.all.values()],
      runs: [
        runOf('run1', 'imagery.cluster', { inputs: { scene: ['scene00001'] }, outputs: ['cluster001'] }),
        runOf('run2', 'imagery.samplePlaces', { inputs: { classes: ['cluster001'] }, outputs: ['places0001'] }),
        runOf('run3', 'imagery.accuracy', {
          inputs: { classes: ['cover00001'], reference: ['places0001'] },
          params: { classColumn: 'label' },
          figures: { n: 20, overall: 0.9, kappa: 0.8, overallAdjusted: 0.92, overallAdjustedError: 0.04 },
          outputs: ['matrix0001'],
        }),
      ],
      ...NOTHING_WRITTEN,
      workbench: null,
    });
  follow = () => () => undefined;
  saveWorkbench = () => Promise.resolve();
  features = (_p: string, id: string) => Promise.resolve(id === 'matrix0001' ? matrix : places());
  patchDataset = async (_p: string, id: string, patch: object): Promise<ApiDataset> => {
    this.told.push({ id, ...patch });
    await this.slow;
    const d = this.all.get(id)!;
    const given = (patch as { classes?: ClassEntry[] }).classes;
    if (given) {
      const info = structuredClone(d.info) as unknown as RasterInfo;
      info.bands[0]!.classes = given;
      this.all.set(id, { ...d, info: info as never });
    }
    return this.all.get(id)!;
  };
  glance = (_p: string, id: string, body: { params: unknown }) => {
    this.asked.push([id, body.params]);
    return Promise.resolve(ANSWERS[id]);
  };
  draft = (_p: string, d: string, work: string) => Promise.resolve(this.drafts.get(`${d} ${work}`) ?? null);
  keepDraft = (_p: string, d: string, work: string, value: unknown) => {
    this.drafts.set(`${d} ${work}`, value);
    return Promise.resolve();
  };
  startRun = (_p: string, r: (typeof this.started)[number]): Promise<ApiRun> => {
    this.started.push(r);
    return Promise.resolve(runOf(`made${this.started.length}`, r.method, { outputs: ['cover00001'] }));
  };
  takeIn = async (_p: string, f: File): Promise<ApiRun> => {
    this.taken.push(await f.text());
    return runOf('taken', 'import', { outputs: ['places0001'] });
  };
}

describe('works on a dataset', () => {
  // Components are loaded when they are first shown.
  const usual = jasmine.DEFAULT_TIMEOUT_INTERVAL;
  beforeAll(() => (jasmine.DEFAULT_TIMEOUT_INTERVAL = 30_000));
  afterAll(() => (jasmine.DEFAULT_TIMEOUT_INTERVAL = usual));
  let api: FakeApi;
  const store = () => TestBed.inject(ProjectStore);
  const until = async (what: () => boolean, why = 'waited for'): Promise<void> => {
    for (let k = 0; k < 1000 && !what(); k++) await new Promise((r) => setTimeout(r, 10));
    expect(what()).withContext(why).toBeTrue();
  };
  beforeEach(async () => {
    localStorage.clear();
    api = new FakeApi();
    TestBed.configureTestingModule({
      providers: [provideZonelessChangeDetection(), { provide: Api, useValue: api }],
    });
    await until(() => store().datasetEntities().length > 0);
  });
  afterEach(() => document.querySelectorAll('.shown').forEach((e) => e.remove()));
  const set = (id: string): DatasetItem => store().datasetEntityMap()[id]!;
  async function show<T>(type: Type<T>, id?: string): Promise<ComponentFixture<T>> {
    const f = TestBed.createComponent(type);
    if (id) f.componentRef.setInput('item', set(id));
    const host = f.nativeElement as HTMLElement;
    host.classList.add('shown');
    host.style.cssText = 'display:flex;flex-direction:column;width:344px;height:600px';
    document.body.append(host);
    f.detectChanges();
    await f.whenStable();
    return f;
  }
  const text = (f: ComponentFixture<unknown>): string => (f.nativeElement as HTMLElement).textContent ?? '';
  const button = (f: ComponentFixture<unknown>, name: string): HTMLButtonElement =>
    [...(f.nativeElement as HTMLElement).querySelectorAll('button')].find(
      (b) => b.textContent?.trim() === name || b.getAttribute('aria-label') === name,
    )!;
  const begun = (f: ComponentFixture<unknown>): boolean =>
    !!(f.nativeElement as HTMLElement).querySelector('[data-row]');
  const press = (on: EventTarget, key: string, over: object = {}): void =>
    void on.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...over }));

  it('are offered for what they are for', () => {
    const of = (id: string): string[] => worksOf(set(id)).map((w) => w.id);
    expect(of('scene00001')).toEqual(['train']);
    expect(of('cluster001')).toEqual(['interpret']);
    expect(of('places0001')).toEqual(['label']);
    expect(of('matrix0001')).toEqual([]);
  });

  it('are found by their own words in the ask box, while one is chosen that they fit', async () => {
    const bench = TestBed.inject(BenchStore);
    TestBed.tick();
    bench.select('cluster001');
    const f = await show(AskBox);
    const field = (f.nativeElement as HTMLElement).querySelector('input')!;
    field.value = 'what are these clusters';
    field.dispatchEvent(new Event('input'));
    await f.whenStable();
    press(field, 'Enter');
    expect(bench.work()).toEqual({ id: 'interpret', dataset: 'cluster001' });
  });

  it('take the room of the stage and give it back', () => {
    const bench = TestBed.inject(BenchStore);
    bench.set({ stage: 'methods' });
    bench.openWork('interpret', 'cluster001');
    bench.openWork('train', 'scene00001');
    expect(bench.stage()).toBeNull();
    bench.leaveWork();
    expect([bench.work(), bench.stage()]).toEqual([null, 'methods']);
  });

  describe('naming', () => {
    it('loses no name, however fast they come, and tells the server the last of them', async () => {
      const naming = TestBed.inject(Naming);
      let go!: () => void;
      api.slow = new Promise<void>((r) => (go = r));
      naming.name(set('cluster001'), 1, 'reed');
      await until(() => api.told.length === 1);
      naming.name(set('cluster001'), 2, 'moor');
      naming.name(set('cluster001'), 3, 'Reed');
      expect(naming.of(set('cluster001')).map((c) => c.label)).toEqual(['reed', 'moor', 'reed', 'cluster 4']);
      go();
      await until(() => api.told.length === 2);
      expect(api.told.at(-1)!.classes!.map((c) => c.label)).toEqual(['reed', 'moor', 'reed', 'cluster 4']);
      await until(() => (set('cluster001').info as RasterInfo).bands[0]!.classes![2]!.label === 'reed');
    });

    it('gives what is named alike one colour, remembers names for other projects, and takes every step back', () => {
      const naming = TestBed.inject(Naming);
      const of = () => naming.of(set('cluster001'));
      naming.name(set('cluster001'), 1, 'water');
      expect(of()[0]!.colour).toBe('#4f88b3');
      naming.name(set('cluster001'), 4, 'water');
      naming.colour(set('cluster001'), 4, '#123456');
      expect(of().map((c) => c.colour === '#123456')).toEqual([true, false, false, true]);
      naming.unsure(set('cluster001'), 2);
      expect(of()[1]!.unsure).toBeTrue();
      expect(naming.known()[0]).toEqual({ label: 'water', colour: '#123456' });
      expect(JSON.parse(localStorage.getItem('helk.classes')!)[0].label).toBe('water');
      for (let k = 0; k < 4; k++) naming.undo(set('cluster001'));
      expect(naming.canUndo('cluster001')).toBeFalse();
      expect(of().map((c) => c.label)).toEqual(['cluster 1', 'cluster 2', 'cluster 3', 'cluster 4']);
    });

    it('goes from one to the next by the keyboard, lights what it is at, and makes one recoding of it all', async () => {
      const bench = TestBed.inject(BenchStore);
      // The workbench opens as it was left first.
      TestBed.tick();
      bench.openWork('interpret', 'cluster001');
      const f = await show(WorkSide);
      await until(() => text(f).includes('named'), 'the work');
      await until(() => !!(f.nativeElement as HTMLElement).querySelector('polyline'), 'spectra');
      expect(text(f)).toContain('0 of 4 named');
      const range = TestBed.inject(Picks).range;
      expect(range()).toEqual({ dataset: 'cluster001', band: 0, low: 1, high: 1, alone: true });
      const list = (f.nativeElement as HTMLElement).querySelector<HTMLElement>('[data-testid=class-list]')!;
      press(list, 'ArrowDown');
      await f.whenStable();
      expect(range()!.low).toBe(2);
      press(list, '?');
      press(list, 'ArrowUp');
      await until(() => range()!.low === 1, 'the first again');
      /** Types a name where the field is; what takes the focus away meanwhile (another window, another test) only delays it. */
      const give = async (value: number, name: string): Promise<void> => {
        for (let tries = 0; tries < 200 && !text(f).includes(`${value} of 4 named`); tries++) {
          const field = list.querySelector<HTMLInputElement>(`[aria-label="Name of class ${value}"]`);
          if (field) {
            field.value = name;
            field.dispatchEvent(new Event('input'));
            // What is begun is completed from what has been named.
            if (name === 're') press(field, 'Tab');
            press(field, 'Enter');
          } else if (!list.querySelector('[aria-label^="Name of class"]')) press(list, 'Enter');
          await new Promise((r) => setTimeout(r, 50));
        }
        expect(text(f)).toContain(`${value} of 4 named`);
      };
      for (const [k, name] of ['reed', 'moor', 're'].entries()) {
        await give(k + 1, name);
      }
      expect(text(f)).toContain('reed holds 2');
      expect(text(f)).toContain('One has no name');
      expect(text(f)).toContain('One is unsure');
      button(f, 'Make the map').click();
      await until(() => api.started.length === 1, 'a run');
      expect(api.started[0]!.method).toBe('raster.recode');
      expect(api.started[0]!.params['rules']).toMatch(
        /^1 -> 1 reed #\w{6}; 3 -> 1 reed #\w{6}; 2 -> 2 moor #\w{6}; others -> missing$/,
      );
      await until(() => api.told.some((t) => t.name === 'Land cover'), 'its name');
      f.destroy();
      expect(range()).toBeNull();
    });
  });

  describe('labelling', () => {
    it('goes through the places in an order of chance, keeps how far it came, and holds the labels against the map', async () => {
      const f = await show(Label, 'places0001');
      await until(() => begun(f));
      expect(text(f)).toContain('Clusters is out of sight');
      expect(
        TestBed.inject(BenchStore)
          .pane()
          .layers.map((l) => l.dataset),
      ).toEqual(['scene00001']);
      press(document, '2');
      press(document, '0');
      press(document, '1');
      press(document, 'Backspace');
      await f.whenStable();
      expect(text(f)).toContain('1 labelled');
      expect(text(f)).toContain('1 undecided');
      await until(() => api.drafts.has('places0001 label'));
      const kept = api.drafts.get('places0001 label') as { labels: Record<string, string | null> };
      expect(Object.values(kept.labels).sort()).toEqual(['cluster 2', null] as never);
      f.destroy();
      // Coming back, it goes on.
      const again = await show(Label, 'places0001');
      await until(() => text(again).includes('1 labelled'));
      for (const key of ['3', '3', '3']) press(document, key);
      await again.whenStable();
      expect(text(again)).toContain('Every place has been looked at');
      button(again, 'Keep and see how right the map is').click();
      await until(() => TestBed.inject(BenchStore).sheet() !== null);
      expect(api.started[0]!.method).toBe('features.edit');
      expect(api.started[0]!.params['add']).toBe('found');
      expect(api.started[0]!.params['edits']).toMatch(
        /found @ [\d, -]+ = cluster [23]; found @ [\d, -]+ = cluster [23]/,
      );
      expect(TestBed.inject(BenchStore).sheet()).toEqual(
        jasmine.objectContaining({
          method: 'imagery.accuracy',
          inputs: { classes: ['cluster001'], reference: ['cover00001'] },
          params: { classColumn: 'found' },
        }),
      );
    });

    it('takes classes that the map has not', async () => {
      const f = await show(Label, 'places0001');
      await until(() => begun(f));
      const field = (f.nativeElement as HTMLElement).querySelector<HTMLInputElement>('[aria-label="Another class"]')!;
      field.value = 'quarry';
      field.form!.dispatchEvent(new Event('submit'));
      await f.whenStable();
      press(document, '5');
      await f.whenStable();
      await until(() => JSON.stringify(api.drafts.get('places0001 label') ?? '').includes('"quarry"'));
      f.destroy();
    });
  });

  describe('examples', () => {
    const ring = [
      [535000, 6450800],
      [535100, 6450800],
      [535100, 6450700],
    ];
    it('tell how far the classes lie apart as they are drawn, and are kept as training areas', async () => {
      const f = await show(Train, 'scene00001');
      await until(() => !text(f).includes('Reading what'));
      const sketch = TestBed.inject(Sketch);
      const add = async (label: string): Promise<void> => {
        const field = (f.nativeElement as HTMLElement).querySelector<HTMLInputElement>('[aria-label="A new class"]')!;
        field.value = label;
        field.form!.dispatchEvent(new Event('submit'));
        await f.whenStable();
      };
      await add('moor');
      sketch.wish()!.ring!(ring);
      await f.whenStable();
      // One area after the other, until another class is chosen.
      sketch.wish()!.ring!(ring);
      await add('reed');
      sketch.wish()!.ring!(ring);
      await until(() => text(f).includes('Will keep 3 areas of 2 classes'), 'three areas');
      await until(() => text(f).includes('1.23') && api.asked.length === 3, 'told apart');
      await f.whenStable();
      expect(text(f)).toContain('2 areas · 40 cells');
      expect(text(f)).toContain('Too few cells to compare: reed. More than 2 are needed for 2 bands.');
      expect(TestBed.inject(Training).told()!.colours.size).toBe(2);
      expect((api.asked.at(-1)![1] as { areas: unknown[] }).areas.length).toBe(3);
      button(f, 'Take the last step back').click();
      await f.whenStable();
      expect(text(f)).toContain('Will keep 2 areas of 1 class ');
      expect(button(f, 'Keep and classify the picture').disabled).toBeTrue();
      press(document, '2');
      sketch.wish()!.ring!(ring);
      await f.whenStable();
      button(f, 'Keep and classify the picture').click();
      await until(() => TestBed.inject(BenchStore).sheet() !== null);
      const kept = JSON.parse(api.taken[0]!).features as { properties: { class: string } }[];
      expect(kept.map((x) => x.properties.class)).toEqual(['moor', 'moor', 'reed']);
      expect(TestBed.inject(BenchStore).sheet()).toEqual(
        jasmine.objectContaining({ method: 'imagery.classify', params: { classColumn: 'class' } }),
      );
      f.destroy();
      expect(TestBed.inject(Training).told()).toBeNull();
    });
  });

  describe('spectra', () => {
    it('stand by the logarithm of the wavelength where all are known, else one after the other', () => {
      const bands = (w: (number | null)[]) =>
        w.map((wavelength, i) => ({ name: `b${i}`, unit: '', role: null, wavelength }));
      expect(bandPlaces(bands([1000, 500])).order).toEqual([1, 0]);
      expect(bandPlaces(bands([1000, null]))).toEqual({ at: [0, 1], order: [0, 1], known: false });
      const line = { key: 'a', label: 'a', colour: '#000000', n: 9, mean: [4, 2], sd: [1, 1], lit: true };
      const { data } = spectraConfig(bands([1000, 500]), [line]);
      // Two edges of the spread beneath the line, from short to long waves.
      expect(data.datasets.length).toBe(3);
      expect((data.datasets[2]!.data as { y: number }[]).map((p) => p.y)).toEqual([2, 4]);
    });

    it('of classes name them, and the lit one stands out', async () => {
      TestBed.inject(Picks).range.set({ dataset: 'cluster001', band: 0, low: 2, high: 2, alone: true });
      const f = await show(SpectraPanel, 'cluster001');
      await until(() => text(f).includes('4'));
      const lit = (f.nativeElement as HTMLElement).querySelector('.font-\\[600\\]')!;
      expect(lit.textContent).toBe('2');
      expect(TestBed.inject(Scenes).of(set('cluster001'))!.id).toBe('scene00001');
    });
  });

  it('of one scene in several files are offered to be one, in the order of their bands', async () => {
    const f = await show(SceneOffer);
    expect(text(f)).toContain('2 files look like the bands of one scene, spring: B03, B04');
    button(f, 'Make one scene of them').click();
    await until(() => api.told.filter((t) => t.bandName).length === 2);
    expect(api.started[0]!.inputs).toEqual({ bands: ['single0002', 'single0001'] });
    expect(api.told.flatMap((t) => t.bandName ?? [])).toEqual(['B03', 'B04']);
    button(f, 'Leave them apart')?.click();
    await f.whenStable();
    expect(text(f)).not.toContain('files look like');
  });

  it('an error matrix tells shares with their intervals, and a cell picks its places', async () => {
    const f = await show(ErrorMatrix, 'matrix0001');
    await until(() => text(f).includes('kappa'));
    expect(text(f)).toContain('92.0 ± 7.8 %');
    expect(text(f)).toContain('80.0 ± 26.0');
    expect(text(f)).toContain('40.0 ± 8.0');
    button(f, '2 places mapped reed, found moor').click();
    await until(() => TestBed.inject(Picks).count('places0001') === 2);
    expect(api.asked.at(-1)).toEqual(['imagery.matrixPlaces', { classColumn: 'label', mapped: 'reed', found: 'moor' }]);
    expect(button(f, '0 places mapped moor, found reed').disabled).toBeTrue();
  });
});
