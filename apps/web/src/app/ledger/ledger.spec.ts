import { DIALOG_DATA, DialogRef } from '@angular/cdk/dialog';
import { provideZonelessChangeDetection, type Type } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import {
  describeMethod,
  infoOf,
  measureRaster,
  methods,
  type Crs,
  type DatasetInfo,
  type FeaturesInfo,
} from '@helk/core';
import type { ApiDataset, ApiProjectDetail, ApiRun } from '@helk/core/api/schemas';
import { Api } from '../api/api';
import { Gather } from '../gather/gather';
import { BenchStore } from '../state/bench.store';
import { Changes } from '../state/changes';
import { Chosen } from '../state/chosen';
import { Listing, NO_WISH, type Wish } from '../state/listing';
import { ProjectStore } from '../state/project.store';
import { datasetOf, runOf, projectOf } from '../testing';
import { DatasetCard } from './dataset-card';
import { Ledger } from './ledger';
import { NOTHING_WRITTEN } from '../state/written';

const crs: Crs = {
  code: 'EPSG:32627',
  name: 'WGS 84 / UTM zone 27N',
  proj4: '+proj=utm +zone=27 +datum=WGS84 +units=m +no_defs',
  geographic: false,
  unit: 'm',
};
const grid = { crs, x: 500000, y: 6450000, dx: 30, dy: 30, columns: 4, rows: 4 };
const info = infoOf(measureRaster(grid, Float32Array.from({ length: 16 }, (_, i) => i), { name: 'z', unit: 'm' })); // prettier-ignore
const wells: FeaturesInfo = {
  kind: 'features',
  crs: null,
  geometry: 'point',
  count: 2,
  extent: [500010, 6449900, 500090, 6449990],
  columns: [{ name: 'depth [cm]', type: 'number', unit: 'cm' }],
};
const dataset = (id: string, over: Partial<ApiDataset> = {}, what: DatasetInfo = info): ApiDataset =>
  datasetOf(
    id,
    { info: what },
    { source: { file: `${id}.tif`, format: 'geotiff', bytes: 100, sha256: 'abcdef0123456789ff' }, ...over },
  );
const run = (id: string, over: Partial<ApiRun> = {}): ApiRun =>
  runOf(id, 'terrain.slope', {
    title: 'Slope',
    inputs: { elevation: ['tile-a'] },
    params: { unit: 'degrees' },
    figures: { max: 12.5 },
    outputs: ['slope'],
    ...over,
  });
const missing = { level: 'look' as const, code: 'crs.missing', message: 'No coordinate reference system is given.' };
const detail: ApiProjectDetail = {
  project: projectOf('project1'),
  datasets: [
    dataset('tile-a', { batch: 'b', thread: 'Land' }),
    dataset('tile-b', { batch: 'b', thread: 'Land' }),
    dataset('slope', { runId: 'r1', source: null, role: 'slope' }),
    dataset('wells', { checks: [missing] }, wells),
  ],
  runs: [
    run('r1'),
    run('r2', {
      method: 'import',
      title: 'page.tif',
      state: 'failed',
      outputs: [],
      inputs: {},
      createdAt: '2999-01-01T00:00:00Z',
      problem: { code: 'file.unknown', message: 'It is an error page.', path: null },
    }),
    run('r3', { state: 'interrupted', outputs: [], params: { unit: 'percent' }, inputs: { elevation: ['tile-b'] } }),
  ],
  ...NOTHING_WRITTEN,
  workbench: null,
};

class FakeApi {
  patched: [string, object][] = [];
  removed: string[][] = [];
  back: string[][] = [];
  removeDatasets = (_p: string, ids: string[]) => Promise.resolve(void this.removed.push(ids));
  bringBack = (_p: string, ids: string[]) => Promise.resolve(void this.back.push(ids));
  packageUrl = (_p: string, of: string) => `/package/${of}`;
  methods = () => Promise.resolve(methods().map(describeMethod));
  projects = () => Promise.resolve([detail.project]);
  project = () => Promise.resolve(structuredClone(detail));
  follow = () => () => undefined;
  saveWorkbench = () => Promise.resolve();
  services = () => Promise.resolve([]);
  samples = () => Promise.resolve([]);
  searchCrs = () => Promise.resolve([]);
  exportUrl = (p: string, d: string, f: string) => `/export/${p}/${d}/${f}`;
  forecast = () => Promise.reject(new Error('not asked'));
  patchDataset = (_p: string, id: string, patch: Partial<ApiDataset>): Promise<ApiDataset> => {
    this.patched.push([id, patch]);
    const d = structuredClone(detail.datasets.find((x) => x.id === id)!);
    return Promise.resolve({ ...d, ...patch, thread: patch.thread || null });
  };
}

describe('the ledger', () => {
  let api: FakeApi;
  beforeEach(async () => {
    localStorage.clear();
    api = new FakeApi();
    TestBed.configureTestingModule({
      providers: [
        provideZonelessChangeDetection(),
        { provide: Api, useValue: api },
        { provide: DIALOG_DATA, useFactory: () => card },
        { provide: DialogRef, useValue: { close: () => undefined } },
      ],
    });
    const store = TestBed.inject(ProjectStore);
    TestBed.inject(BenchStore);
    await store.open('project1');
  });
  let card = '';
  async function shown<T>(type: Type<T>): Promise<{ f: ComponentFixture<T>; el: HTMLElement }> {
    const f = TestBed.createComponent(type);
    await f.whenStable();
    return { f, el: f.nativeElement as HTMLElement };
  }
  const texts = (el: HTMLElement, css: string): string[] =>
    [...el.querySelectorAll(css)].map((e) => e.textContent!.replace(/\s+/g, ' ').trim());

  it('heads threads that have a name, and shows a set of tiles as one row that opens', async () => {
    const { f, el } = await shown(Ledger);
    expect(texts(el, 'h3')).toEqual(['Land', 'Did not finish']);
    expect(texts(el, 'header span')).toEqual(['1 thread · 4 datasets']);
    const rows = (): string[] =>
      [...el.querySelectorAll('[data-testid^=row-]')].map((r) => r.getAttribute('aria-label')!);
    expect(rows()).toEqual(['tile', 'slope', 'wells']);
    el.querySelector<HTMLElement>('[aria-label="Show the 2 of tile"]')!.click();
    await f.whenStable();
    expect(rows()).toEqual(['tile', 'tile-a', 'tile-b', 'slope', 'wells']);
    expect(texts(el, '[data-testid=unfinished]')[0]).toContain('Slope');
  });

  it('renames a thread where it stands, for all that it begins with; the same name changes nothing', async () => {
    const { f, el } = await shown(Ledger);
    const type = async (name: string): Promise<void> => {
      el.querySelector('h3 button')!.dispatchEvent(new MouseEvent('dblclick', { bubbles: true }));
      await f.whenStable();
      const field = el.querySelector<HTMLInputElement>('[aria-label="Name of the thread"]')!;
      expect(document.activeElement).withContext('ready to be typed into').toBe(field);
      field.value = name;
      field.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter' }));
      await f.whenStable();
    };
    await type('Land');
    expect(api.patched).toEqual([]);
    await type('  Ground ');
    expect(api.patched).toEqual([
      ['tile-a', { thread: 'Ground' }],
      ['tile-b', { thread: 'Ground' }],
    ]);
    expect(texts(el, 'h3')[0]).toBe('Ground');
    await type('');
    expect(texts(el, 'h3')).toEqual(['Did not finish']);
  });

  it('shows a row in the pane on a click and opens an unfinished run again with its settings', async () => {
    const { el } = await shown(Ledger);
    const bench = TestBed.inject(BenchStore);
    el.querySelector<HTMLElement>('[data-testid=row-slope]')!.click();
    expect(bench.selected()).toBe('slope');
    el.querySelector<HTMLElement>('[data-testid=unfinished] button')!.click();
    expect(bench.sheet()).toEqual(
      jasmine.objectContaining({
        method: 'terrain.slope',
        inputs: { elevation: ['tile-b'] },
        params: { unit: 'percent' },
      }),
    );
  });

  it('is found by words, by kind and by checks, in the order that is wished', async () => {
    const { f, el } = await shown(Ledger);
    const listing = TestBed.inject(Listing);
    const rows = (): string[] => [...el.querySelectorAll('[data-row]')].map((r) => r.getAttribute('aria-label')!);
    const want = async (wish: Partial<Wish>): Promise<string[]> => {
      listing.wish.set({ ...NO_WISH, ...wish });
      await f.whenStable();
      return rows();
    };
    expect(await want({ text: 'TILE' })).toEqual(['tile']);
    // By the thread that they stand in, by what they are, by the file that they came in.
    expect(await want({ text: 'land raster' })).toEqual(['tile', 'slope']);
    expect(await want({ text: 'wells.tif' })).toEqual(['wells']);
    expect(await want({ kinds: ['features'] })).toEqual(['wells']);
    expect(texts(el, '[data-testid=found]')[0]).toContain('1 of 4, feature sets');
    expect(await want({ checked: true })).toEqual(['wells']);
    expect(await want({ order: 'name' })).toEqual(['slope', 'tile-a', 'tile-b', 'wells']);
    expect(await want({ order: 'checks' })).toEqual(['wells', 'slope', 'tile-a', 'tile-b']);
    expect(await want({ text: 'nothing of the kind' })).toEqual([]);
    expect(texts(el, '[data-testid=none-found]')).toEqual(['Nothing in the ledger is like that.']);
  });

  it('folds a thread, and keeps it so; what is looked for is seen nevertheless', async () => {
    const { f, el } = await shown(Ledger);
    const rows = (): string[] => [...el.querySelectorAll('[data-row]')].map((r) => r.getAttribute('aria-label')!);
    el.querySelector<HTMLElement>('[data-testid="thread-Land"]')!.click();
    await f.whenStable();
    expect(rows()).toEqual(['wells']);
    expect(texts(el, 'h3')[0]).toContain('3 datasets');
    TestBed.inject(Listing).want({ text: 'slope' });
    await f.whenStable();
    expect(rows()).toEqual(['slope']);
    f.destroy();
    expect(JSON.parse(localStorage.getItem('helk.folded.project1')!)).toEqual(['named/Land']);
  });

  it('several are chosen by Ctrl and Shift, by click and by key, and removed together', async () => {
    const { f, el } = await shown(Ledger);
    const chosen = TestBed.inject(Chosen);
    const bench = TestBed.inject(BenchStore);
    const row = (name: string): HTMLElement => el.querySelector<HTMLElement>(`[data-testid="row-${name}"]`)!;
    const click = (name: string, held: MouseEventInit): boolean =>
      row(name).dispatchEvent(new MouseEvent('click', { bubbles: true, ...held }));
    click('slope', { ctrlKey: true });
    expect(chosen.ids()).toEqual(['slope']);
    click('wells', { shiftKey: true });
    expect(bench.selected()).withContext('nothing else is shown by it').toBe('slope');
    expect(chosen.ids()).toEqual(['slope', 'wells']);
    click('slope', { ctrlKey: true });
    expect(chosen.ids()).toEqual(['wells']);
    click('tile', { ctrlKey: true });
    expect(chosen.ids()).toEqual(['tile-a', 'tile-b', 'wells']);
    await f.whenStable();
    expect(texts(el, '[data-testid=chosen]')[0]).toContain('3 chosen');
    expect(el.querySelector<HTMLAnchorElement>('[data-testid=save-chosen]')!.href).toContain('named');
    el.querySelector<HTMLElement>('[data-testid=remove-chosen]')!.click();
    await f.whenStable();
    expect(api.removed).toEqual([['tile-a', 'tile-b', 'wells']]);
    expect(chosen.ids()).toEqual([]);
    expect([...el.querySelectorAll('[data-row]')].map((r) => r.getAttribute('aria-label'))).toEqual(['slope']);
    expect(TestBed.inject(ProjectStore).notices().at(-1)!.text).toBe('3 datasets were removed.');
    expect(await TestBed.inject(Changes).undo()).toBe('3 datasets were removed.');
    expect(api.back).toEqual([['tile-a', 'tile-b', 'wells']]);
  });

  it('is walked by arrows; one row takes the keyboard', async () => {
    const { f, el } = await shown(Ledger);
    document.body.append(el);
    const key = (k: string, more: KeyboardEventInit = {}): boolean =>
      document.activeElement!.dispatchEvent(new KeyboardEvent('keydown', { key: k, bubbles: true, ...more }));
    const at = (): string | null => document.activeElement!.getAttribute('aria-label');
    const stops = [...el.querySelectorAll<HTMLElement>('[data-row]')].filter((r) => r.tabIndex === 0);
    expect(stops.length).toBe(1);
    stops[0]!.focus();
    expect(at()).withContext('on what is chosen').toBe('slope');
    key('ArrowUp');
    expect(at()).toBe('tile');
    key('End');
    expect(at()).toBe('wells');
    key('ArrowDown');
    expect(at()).toBe('wells');
    key('Home');
    key('ArrowRight');
    await f.whenStable();
    key('ArrowDown');
    expect(at()).toBe('tile-a');
    key(' ', { ctrlKey: true });
    expect(TestBed.inject(Chosen).ids()).toEqual(['tile-a']);
    key('Escape');
    expect(TestBed.inject(Chosen).ids()).toEqual([]);
    key('Delete');
    await f.whenStable();
    expect(api.removed).toEqual([['tile-a']]);
    el.remove();
  });

  it('a card tells what a result was made of, and what a format will lose', async () => {
    card = 'slope';
    const { f, el } = await shown(DatasetCard);
    const facts = Object.fromEntries(texts(el, 'dt').map((t, i) => [t, texts(el, 'dd')[i]!]));
    expect(facts['Made by']).toBe('Slope (terrain.slope, version 1)');
    expect(facts['From']).toBe('elevation: tile-a');
    expect(facts['Settings']).toBe('unit = degrees');
    expect(facts['Highest']).toBe('12.50 m');
    expect(el.querySelector('[data-testid=losses]')).toBeNull();
    const format = el.querySelector<HTMLSelectElement>('[data-testid=format]')!;
    format.value = 'ascii-grid';
    format.dispatchEvent(new Event('change'));
    await f.whenStable();
    expect(texts(el, '[data-testid=losses] li')).toEqual([
      'The coordinate system (EPSG:32627) is not written into the file.',
      'The unit of the values is not written.',
    ]);
    expect(el.querySelector('a')!.getAttribute('href')).toBe('/export/project1/slope/ascii-grid');
  });

  it('a card offers the system that would put data among the others, and takes a result’s thread by its beginning', async () => {
    card = 'wells';
    const { f, el } = await shown(DatasetCard);
    expect(texts(el, 'dd')).toContain('depth [cm]');
    const offered = [...el.querySelectorAll<HTMLElement>('button')].find((b) => b.textContent!.includes('EPSG:32627'))!;
    offered.click();
    await f.whenStable();
    expect(api.patched).toEqual([['wells', { crs: 'EPSG:32627' }]]);
    f.destroy();
    TestBed.resetTestingModule();
  });

  it('gather puts what arrived last first, says what was not taken, and leads on from checks', async () => {
    const { el } = await shown(Gather);
    expect(texts(el, 'summary span:first-child')).toEqual(['wells', 'tile-b', 'tile-a']);
    expect(texts(el, 'h3')).toContain('Not taken in');
    expect(texts(el, 'h3')).not.toContain('Under way');
    expect(texts(el, '[data-testid=import-problem]')).toEqual(['It is an error page.']);
    expect(texts(el, 'details button')).toContain('Say which it is');
  });
});
