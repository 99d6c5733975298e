import { provideZonelessChangeDetection, type Type } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { describeMethod, infoOf, measureRaster, methods } from '@helk/core';
import type { ApiProjectDetail, ApiRecipe, ApiRun, ApiTable } from '@helk/core/api/schemas';
import { checkRecipe } from '@helk/core/recipe/check';
import { recipeMethod } from '@helk/core/recipe/method';
import type { Recipe } from '@helk/core/recipe/shape';
import { Api } from '../api/api';
import { Copier } from '../state/copies';
import { Desk } from '../state/desk';
import { madeBy } from '../state/made-by';
import { ProjectStore } from '../state/project.store';
import { Tables } from '../state/tables';
import { threadsOf } from '../state/threads';
import { datasetOf, projectOf, runOf } from '../testing';
import { chipsOf } from './chips';
import { FillColumn } from './fill-column';
import { MadeView } from './made-view';
import { RecipeView } from './recipe-view';
import { RecipesList } from './recipes-list';
import { figuresOfRows, leading } from './row-figures';
import { TableView } from './table-view';

const grid = { crs: null, x: 0, y: 0, dx: 10, dy: 10, columns: 2, rows: 2 };
const info = infoOf(measureRaster(grid, Float32Array.of(1, 2, 3, 4), { name: 'z', unit: 'm' }));
const SLOPES: Recipe = {
  helkRecipe: 1,
  title: 'Slopes',
  question: 'How steep is it without hollows?',
  about: '',
  inputs: [{ name: 'ground', kind: 'raster', label: 'Ground' }],
  steps: [
    { id: 'fill', method: 'terrain.fill', version: 1, inputs: { elevation: 'ground' }, params: {} },
    {
      id: 'slope',
      method: 'terrain.slope',
      version: 1,
      inputs: { elevation: 'fill.filled' },
      params: { unit: 'percent' },
    },
  ],
  keep: ['slope.slope'],
};
const did = (id: string, method: string, inputs: Record<string, string[]>, figures: Record<string, number>) => ({
  id,
  method,
  version: 1,
  title: id,
  inputs,
  params: {},
  seed: 1,
  makes: { filled: 'Filled' },
  figures,
  units: {},
  notes: [],
  seconds: 1,
});
const chain = runOf('r1', 'recipe:rec001', {
  title: 'Slopes',
  inputs: { ground: ['land01#2'] },
  params: { 'slope.unit': 'percent', keep: 'kept' },
  outputs: ['slope1'],
  made: { slope1: { role: 'slope', step: 'slope', name: 'Slope' } },
  figures: { 'fill.depressions': 3, 'slope.mean': 12 },
  steps: [
    did('fill', 'terrain.fill', { elevation: ['ground'] }, { depressions: 3 }),
    did('slope', 'terrain.slope', { elevation: ['fill.filled'] }, { mean: 12 }),
  ],
});
const entry = (recipe: Recipe, version = 1): ApiRecipe => ({
  id: 'rec001',
  version,
  recipe,
  method: describeMethod(recipeMethod(recipe, 'recipe:rec001', version)) as never,
  checks: checkRecipe(recipe),
  versions: [{ version, savedAt: '2026-11-27T10:00:00.000Z' }],
});
const TABLE: ApiTable = {
  id: 'tab001',
  title: 'Units',
  method: 'terrain.slope',
  names: '',
  columns: ['in:elevation', 'unit', 'zFactor'],
  rows: [
    { id: 'a', cells: ['land01', 'degrees', '1'] },
    { id: 'b', cells: ['land01', 'percent', '2'] },
    { id: 'c', cells: ['land01', 'percent', '3'] },
  ],
  createdAt: '2026-11-27T10:00:00.000Z',
};
const ofRow = (id: string, row: string, over: Partial<ApiRun>): ApiRun =>
  runOf(id, 'terrain.slope', {
    inputs: { elevation: ['land01'] },
    table: { id: 'tab001', row, cells: TABLE.rows.find((r) => r.id === row)!.cells },
    ...over,
  });
const detail: ApiProjectDetail = {
  project: projectOf('project1'),
  datasets: [
    datasetOf(
      'land01',
      { info },
      { name: 'Land', source: { file: 'land.tif', format: 'geotiff', bytes: 1, sha256: 'a' } },
    ),
    datasetOf('slope1', { info }, { name: 'Slope', runId: 'r1', role: 'slope', step: 'slope' }),
    datasetOf('row00a', { info }, { name: 'Slope, degrees', runId: 'ra', role: 'slope', batch: 'tab001' }),
    datasetOf('row00c', { info }, { name: 'Slope, percent', runId: 'rc', role: 'slope', batch: 'tab001' }),
  ] as never,
  runs: [
    chain,
    ofRow('ra', 'a', { outputs: ['row00a'], figures: { mean: 5 } }),
    ofRow('rb', 'b', { state: 'failed', problem: { code: 'method.parameter', message: 'It cannot be.', path: null } }),
    ofRow('rc', 'c', { outputs: ['row00c'], figures: { mean: 9 } }),
  ],
  recipes: [entry(SLOPES)],
  tables: [TABLE],
  findings: [],
  sheets: [],
  reports: [],
  palettes: [],
  backgrounds: [],
  workbench: null,
};

class FakeApi {
  saved: Recipe[] = [];
  tables: unknown[] = [];
  methods = () => Promise.resolve(methods().map(describeMethod));
  projects = () => Promise.resolve([detail.project]);
  project = () => Promise.resolve(structuredClone(detail));
  follow = () => () => undefined;
  saveWorkbench = () => Promise.resolve();
  checkRecipe = (recipe: Recipe) => Promise.resolve(entry(recipe));
  saveRecipe = (_p: string, _r: string, recipe: Recipe) => {
    this.saved.push(recipe);
    return Promise.resolve(entry(recipe, 2));
  };
  saveTable = (_p: string, _t: string, body: unknown) => {
    this.tables.push(body);
    return Promise.resolve({ ...TABLE, ...(body as object) });
  };
  checkTable = () =>
    Promise.resolve({ rows: [{ id: 'b', name: 'Slope, percent', reason: 'It cannot be.', look: [] }] });
  patchDataset = (_p: string, id: string, patch: object) =>
    Promise.resolve({ ...detail.datasets.find((d) => d.id === id)!, ...patch });
  recipeUrl = () => '/file';
  reportUrl = () => '/report';
}

describe('recipes at the workbench', () => {
  let api: FakeApi;
  let store: InstanceType<typeof ProjectStore>;
  let desk: Desk;
  beforeEach(async () => {
    localStorage.clear();
    api = new FakeApi();
    TestBed.configureTestingModule({
      providers: [provideZonelessChangeDetection(), { provide: Api, useValue: api }],
    });
    store = TestBed.inject(ProjectStore);
    await store.open('project1');
    while (!store.builtIn().length) await new Promise((r) => setTimeout(r, 5));
    desk = TestBed.inject(Desk);
  });
  async function shown<T>(type: Type<T>, inputs: object = {}): Promise<{ f: ComponentFixture<T>; el: HTMLElement }> {
    const f = TestBed.createComponent(type);
    for (const [k, v] of Object.entries(inputs)) f.componentRef.setInput(k, v);
    await f.whenStable();
    return { f, el: f.nativeElement as HTMLElement };
  }
  const text = (el: Element | null): string => (el?.textContent ?? '').replace(/\s+/g, ' ').trim();

  it('are methods among the others, under their question', () => {
    const m = store.methodMap().get('recipe:rec001')!;
    expect(m.question).toBe('How steep is it without hollows?');
    expect(m.familyTitle).toBe('Recipes');
  });

  it('made a result as their step does: panels need not know of them', () => {
    const made = store.madeBy(store.datasetEntityMap()['slope1'])!;
    expect([made.method, made.figures, made.outputs]).toEqual(['terrain.slope', { mean: 12 }, ['slope1']]);
    // What was on the way is nowhere; what went in is.
    expect(made.inputs).toEqual({ elevation: [] });
    const kept = { ...chain, made: { ...chain.made, filled: { role: 'filled', step: 'fill', name: 'Filled' } } };
    const of = madeBy(
      { runId: 'r1', step: 'slope' },
      { r1: kept },
      { filled: { step: 'fill' }, slope1: { step: 'slope' } },
    );
    expect(of!.inputs).toEqual({ elevation: ['filled'] });
    const first = madeBy({ runId: 'r1', step: 'fill' }, { r1: kept }, {});
    expect(first!.inputs).toEqual({ elevation: ['land01#2'] });
  });

  it('stand in the ledger under what went in, rows of a run table as one', () => {
    const threads = threadsOf(store.datasetEntities(), store.runEntityMap());
    expect(threads.length).toBe(1);
    expect(threads[0]!.rows.map((r) => [r.items.length, r.depth])).toEqual(
      jasmine.arrayWithExactContents([
        [1, 0],
        [1, jasmine.any(Number)],
        [2, jasmine.any(Number)],
      ]),
    );
  });

  it('are told as a procedure, how a result was made', async () => {
    const { el } = await shown(MadeView, { ids: ['slope1'] });
    expect(text(el.querySelector('header'))).toContain('Slope · 2 steps from 1 source');
    const steps = [...el.querySelectorAll('helk-step-row')].map(text);
    expect(steps[0]).toContain('from Land, band 2');
    expect(steps[0]).toMatch(/makes ?Filled/);
    expect(steps[1]).toContain('from Filled');
    expect(steps[1]).toMatch(/makes ?Slope ?kept/);
  });

  it('are changed, taken back, kept as the next version', async () => {
    desk.lay({ what: 'recipe', id: 'rec001' });
    const { f, el } = await shown(RecipeView);
    expect(text(el.querySelector('[data-testid=chip-unit]'))).toContain('percent');
    const keep = el.querySelector<HTMLInputElement>('[data-testid=step-fill] [data-testid=keep-filled]')!;
    keep.click();
    await f.whenStable();
    expect(desk.recipe()!.keep).toEqual(['slope.slope', 'fill.filled']);
    expect(desk.changed()).toBeTrue();
    desk.undo();
    expect(desk.changed()).toBeFalse();
    desk.change((r) => ({ ...r, title: 'Steep' }));
    expect(await desk.save()).toBeTrue();
    expect(api.saved[0]!.title).toBe('Steep');
    expect([desk.changed(), desk.entry()!.version]).toEqual([false, 2]);
  });

  it('are listed with how often they ran, run tables with how they stand', async () => {
    const { el } = await shown(RecipesList);
    expect(text(el.querySelector('[data-testid="recipe-Slopes"]'))).toContain('2 steps · ran once');
    expect(text(el.querySelector('[data-testid="table-Units"]'))).toContain('3 rows · 2 done, 1 to mend');
  });

  it('show settings that are offered, and those that are not as usual', () => {
    const specs = store.methodMap().get('terrain.slope')!.params;
    const chips = chipsOf(SLOPES.steps[1]!, specs);
    expect(chips.find((c) => c.name === 'unit')).toEqual(jasmine.objectContaining({ value: 'percent', open: false }));
    expect(chips.find((c) => c.name === 'algorithm')).toBeUndefined();
    expect(chipsOf(SLOPES.steps[1]!, specs, true).length).toBeGreaterThan(chips.length);
  });

  it('copy themselves as a command, a call and code', () => {
    const copier = TestBed.inject(Copier);
    const run = copier.run(chain);
    expect(run.command).toContain("./helk recipe run Slopes.json --in 'ground=land.tif#2'");
    expect(run.call).toContain('"method":"recipe:rec001"');
    expect(run.code).toContain('project.run("recipe:rec001"');
    expect(copier.recipe('rec001').command).toBe('./helk recipe run Slopes.json --in ground=FILE --out results');
    expect(copier.table(TABLE).command).toBe('./helk table run Units.csv --method terrain.slope --out results');
    expect(copier.rowsOf(TABLE)[1]).toEqual(['land.tif', 'degrees', '1']);
  });

  describe('run tables', () => {
    let tables: Tables;
    beforeEach(() => (tables = TestBed.inject(Tables)));

    it('say how each row stands, and what has changed since it ran', () => {
      const rows = tables.rows({
        ...TABLE,
        rows: [TABLE.rows[0]!, { id: 'b', cells: ['land01', 'percent', '7'] }, TABLE.rows[2]!],
      });
      expect(rows.map((r) => [r.run?.state, r.changed])).toEqual([
        ['done', false],
        ['failed', true],
        ['done', false],
      ]);
    });

    it('show rows with state, figures, results and reasons', async () => {
      desk.lay({ what: 'table', id: 'tab001' });
      const { f, el } = await shown(TableView);
      await new Promise((r) => setTimeout(r, 350));
      await f.whenStable();
      const rows = [...el.querySelectorAll('[data-testid^=run-row-]')];
      expect(rows.map((r) => text(r.querySelector('[data-testid=row-state]')))).toEqual(['done', 'failed', 'done']);
      expect(text(el.querySelector('[data-testid=row-why]'))).toBe('It cannot be.');
      expect(text(rows[0]!)).toContain('Slope, degrees');
      expect(text(el.querySelector('[data-testid=run-table]'))).toBe('Run the 1 that is not done');
    });

    it('take what is pasted, names of datasets among it', () => {
      expect(tables.resolved(TABLE.columns, ['Land', 'percent'])).toEqual(['land01', 'percent', '']);
      expect(tables.resolved(TABLE.columns, ['Land; Slope'])).toEqual(['land01; slope1', '', '']);
      expect(tables.resolved(TABLE.columns, ['Nowhere'])).toEqual(['Nowhere', '', '']);
    });

    it('are filled with a series, one row for each or each with every row', async () => {
      const [column] = tables.columns(TABLE).slice(2);
      const { f, el } = await shown(FillColumn, { table: TABLE, column, at: 2 });
      const got: string[][][] = [];
      f.componentInstance.filled.subscribe((c) => got.push(c));
      const field = el.querySelector<HTMLInputElement>('[data-testid=fill-values]')!;
      field.value = '1, 2';
      field.dispatchEvent(new Event('input'));
      const count = el.querySelector<HTMLInputElement>('[data-testid=fill-count]')!;
      count.value = '4';
      count.dispatchEvent(new Event('input'));
      await f.whenStable();
      expect(text(el.querySelector('[data-testid=fill-preview]'))).toBe('1, 2, 3, 4');
      el.querySelector<HTMLButtonElement>('[data-testid=fill-each]')!.click();
      el.querySelector<HTMLButtonElement>('[data-testid=fill-cross]')!.click();
      el.querySelector<HTMLButtonElement>('[data-testid=fill-down]')!.click();
      expect(got[0]!.map((r) => r[2])).toEqual(['1', '2', '3', '4']);
      expect(got[0]![3]).toEqual(['land01', 'percent', '4']);
      expect(got[1]!.length).toBe(12);
      expect(got[2]!.map((r) => r[2])).toEqual(['1', '1', '1']);
    });

    it('know the numbers in their cells, and figures with their units', () => {
      expect(['15 min', '1,5', '-2e3 m', 'x'].map(leading)).toEqual([15, 1.5, -2000, null]);
      const seen = figuresOfRows([chain], store.methodMap().get('recipe:rec001'), {});
      expect(seen.map((s) => s.name)).toEqual(['slope.mean', 'fill.depressions']);
    });
  });
});
