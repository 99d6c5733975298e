import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import {
  FeaturesBuilder,
  infoOf,
  measureRaster,
  numberColumn,
  PLAIN_VECTOR,
  symbolsOf,
  textColumn,
  type Dataset,
  type Features,
  type RasterInfo,
  type Table,
} from '@helk/core';
import type { ApiProjectDetail } from '@helk/core/api/schemas';
import { Api } from './api/api';
import { columnStatistics } from './evidence/column-statistics';
import { ChangeMatrix } from './evidence/change-matrix';
import { TableView } from './evidence/table-view';
import { together } from './gather/together';
import { features } from './kinds/features';
import { KindTools } from './kinds/tools';
import { Key } from './pane/key';
import { FormulaField } from './parts/formula-field';
import { RulesEditor } from './run-sheet/rules-editor';
import { FeatureData } from './state/feature-data';
import { TableLooks } from './state/table-looks';
import { Picks } from './state/picks';
import { ProjectStore } from './state/project.store';
import { datasetOf, runOf, projectOf, described } from './testing';
import { NOTHING_WRITTEN } from './state/written';

const crs = {
  code: 'EPSG:32627',
  name: 'WGS 84 / UTM zone 27N',
  proj4: '+proj=utm +zone=27 +datum=WGS84 +units=m +no_defs',
  geographic: false,
  unit: 'm',
};

/** Three squares of a hectare each, with what changed in them. */
function squares(): Features {
  const b = new FeaturesBuilder();
  for (const x of [0, 200, 400]) {
    for (const [dx, dy] of [
      [0, 0],
      [100, 0],
      [100, 100],
      [0, 100],
      [0, 0],
    ])
      b.coordinate(500000 + x + dx!, 6450000 + dy!);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('polygon', crs, [
    textColumn('class', ['moor', 'arable', 'moor']),
    textColumn('change', ['unchanged', 'arable → moor', 'moor → arable']),
    numberColumn('v', [3, NaN, 1], 'cm'),
  ]);
}
const matrix: Table = {
  kind: 'table',
  columns: [
    textColumn('to', ['arable', 'moor', 'total']),
    numberColumn('arable', [0, 1, 1], 'ha'),
    numberColumn('moor', [1, 1, 2], 'ha'),
    numberColumn('total', [1, 2, 3], 'ha'),
  ],
};

const held: Record<string, Features | Table> = { overlay001: squares(), matrix0001: matrix };
const item = (id: string, data: Dataset, role: string): ApiProjectDetail['datasets'][number] =>
  datasetOf(id, { data }, { name: role, role, runId: 'run0000001' });
const run = runOf('run0000001', 'features.changeMatrix', {
  params: { beforeColumn: 'class', afterColumn: 'class', unit: 'ha' },
  outputs: ['matrix0001', 'overlay001'],
});

class FakeApi {
  asked = 0;
  methods = () => Promise.resolve(described());
  projects = () => Promise.resolve([projectOf('project1')]);
  project = (): Promise<ApiProjectDetail> =>
    Promise.resolve({
      project: projectOf('project1'),
      datasets: [item('matrix0001', matrix, 'matrix'), item('overlay001', squares(), 'overlay')],
      runs: [run],
      ...NOTHING_WRITTEN,
      workbench: null,
    });
  follow = () => () => undefined;
  saveWorkbench = () => Promise.resolve();
  patchDataset = () => new Promise<never>(() => undefined);
  features = (_p: string, id: string): Promise<Features | Table> => {
    this.asked++;
    return Promise.resolve(held[id]!);
  };
}

describe('features in the client', () => {
  let api: FakeApi;
  const settle = async (f?: ComponentFixture<unknown>): Promise<void> => {
    for (let k = 0; k < 4; k++) {
      await new Promise((r) => setTimeout(r, 50));
      f?.detectChanges();
    }
  };
  const text = (f: ComponentFixture<unknown>): string =>
    (f.nativeElement as HTMLElement).textContent!.replace(/\s+/g, ' ');
  const button = (f: ComponentFixture<unknown>, name: string | RegExp): HTMLButtonElement =>
    [...(f.nativeElement as HTMLElement).querySelectorAll('button')].find((b) =>
      typeof name === 'string'
        ? b.textContent.trim() === name
        : name.test(b.getAttribute('aria-label') ?? b.textContent),
    )!;
  const dataset = (id: string) => TestBed.inject(ProjectStore).datasetEntityMap()[id]!;

  beforeEach(async () => {
    localStorage.clear();
    api = new FakeApi();
    TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection(), { provide: Api, useValue: api }] });
    TestBed.inject(ProjectStore);
    await settle();
  });

  it('fetch a dataset once, however many ask for it', async () => {
    const data = TestBed.inject(FeatureData);
    const [a, b] = await Promise.all([data.get('overlay001'), data.get('overlay001')]);
    expect(a).toBe(b);
    expect(api.asked).toBe(1);
    expect(data.features('overlay001')).toBe(a as Features);
    expect(data.features('matrix0001')).toBeUndefined();
  });

  it('picks meet by anew, add, take, keep; are inverted; and are told with their area', async () => {
    const picks = TestBed.inject(Picks);
    await TestBed.inject(FeatureData).get('overlay001');
    const of = (): number[] => [...(picks.of('overlay001') ?? [0, 0, 0])];
    picks.pick('overlay001', Uint8Array.of(1, 0, 0));
    expect(features.told(dataset('overlay001'), TestBed.inject(KindTools))).toBe('1 of 3 polygons · 1 ha');
    picks.pick('overlay001', Uint8Array.of(0, 0, 1), 'add');
    expect(of()).toEqual([1, 0, 1]);
    picks.pick('overlay001', Uint8Array.of(1, 1, 0), 'remove');
    expect(of()).toEqual([0, 0, 1]);
    picks.invert('overlay001', 3);
    expect(of()).toEqual([1, 1, 0]);
    picks.pick('overlay001', Uint8Array.of(0, 1, 1), 'intersect');
    expect(of()).toEqual([0, 1, 0]);
    picks.pick('overlay001', Uint8Array.of(1, 0, 0), 'intersect');
    expect(picks.of('overlay001')).toBeNull();
  });

  it('the table sorts with missing values last, and its rows are picked', async () => {
    const f = TestBed.createComponent(TableView);
    (f.nativeElement as HTMLElement).style.cssText = 'display:flex;height:300px;width:700px';
    document.body.append(f.nativeElement as HTMLElement);
    f.componentRef.setInput('item', dataset('overlay001'));
    await settle(f);
    expect(text(f)).toContain('nothing picked');
    const t = f.componentInstance as unknown as { rows(): number[] };
    const sorted = (column: string, down: boolean): void =>
      TestBed.inject(TableLooks).put('overlay001', { sort: { column, down } });
    sorted('v', false);
    expect(t.rows()).toEqual([2, 0, 1]);
    sorted('v', true);
    expect(t.rows()).toEqual([0, 2, 1]);
    sorted('class', false);
    expect(t.rows()).toEqual([1, 0, 2]);
    await settle(f);
    const row = (f.nativeElement as HTMLElement).querySelector<HTMLElement>('[data-table-row]')!;
    row.click();
    await settle(f);
    expect([...TestBed.inject(Picks).of('overlay001')!]).toEqual([0, 1, 0]);
    expect(text(f)).toContain('1 of 3 polygons');
    (f.nativeElement as HTMLElement).remove();
  });

  it('a column tells its spread, or its most frequent texts', () => {
    const n = columnStatistics(numberColumn('v', [1, 2, 3, NaN], 'cm'));
    expect(n.lines.find((l) => l.name === 'mean')!.value).toBe('2 cm');
    expect(n.lines.find((l) => l.name === 'missing')!.value).toBe('1');
    expect(n.bars.length).toBe(40);
    const t = columnStatistics(textColumn('t', ['b', 'a', 'b']));
    expect(t.lines.slice(0, 3).map((l) => `${l.name} ${l.value}`)).toEqual(['different 2', 'b 2', 'a 1']);
  });

  it('a cell of the change matrix picks its areas; totals, gains and the unchanged share are told', async () => {
    const f = TestBed.createComponent(ChangeMatrix);
    f.componentRef.setInput('item', dataset('matrix0001'));
    await settle(f);
    expect(text(f)).toContain('unchanged 1 ha, 33.3 %');
    button(f, /^moor to arable/).click();
    await settle(f);
    expect([...TestBed.inject(Picks).of('overlay001')!]).toEqual([0, 0, 1]);
    button(f, /^moor to moor/).click();
    await settle(f);
    expect([...TestBed.inject(Picks).of('overlay001')!]).toEqual([1, 0, 0]);
    expect((f.nativeElement as HTMLElement).querySelectorAll('svg path').length).toBe(3);
  });

  it('rules start with the values there are, tell their cells, and say what is forgotten', async () => {
    const r = measureRaster({ crs, x: 0, y: 0, dx: 1, dy: 1, columns: 3, rows: 2 }, Float32Array.of(1, 1, 2, 2, 2, 7), {
      name: 'k',
      unit: '',
      storedType: 'uint8',
    });
    const f = TestBed.createComponent(RulesEditor);
    let given = '';
    f.componentRef.setInput('value', '');
    f.componentRef.setInput('info', infoOf(r) as RasterInfo);
    f.componentInstance.changed.subscribe((v) => (given = v));
    await settle(f);
    expect((f.nativeElement as HTMLElement).querySelectorAll('[data-testid^=rule-]').length).toBe(3);
    expect(text(f)).toContain('3 cells');
    const type = (label: string, value: string): void => {
      const i = (f.nativeElement as HTMLElement).querySelector<HTMLInputElement>(`[aria-label="${label}"]`)!;
      i.value = value;
      i.dispatchEvent(new Event('input', { bubbles: true }));
    };
    // Naming two classes alike is the merge: name and colour come along.
    type('Name, rule 1', 'reed');
    await settle(f);
    type('Class, rule 2', '1');
    await settle(f);
    expect(given).toMatch(/^1 -> 1 reed (#\w+); 2 -> 1 reed \1; 7 -> 7/);
    button(f, /^Remove rule 3/).click();
    await settle(f);
    expect(text(f)).toContain('No rule covers 7: 1 cells become missing.');
  });

  it('the formula field completes names, marks the spot of an error and hands on what is typed', async () => {
    const f = TestBed.createComponent(FormulaField);
    document.body.append(f.nativeElement as HTMLElement);
    const typed: string[] = [];
    f.componentInstance.changed.subscribe((v) => typed.push(v));
    f.componentRef.setInput('value', '');
    f.componentRef.setInput('names', [{ name: 'depth cm', detail: 'cm' }]);
    await settle(f);
    f.componentRef.setInput('value', '1 + * 2');
    await settle(f);
    expect((f.nativeElement as HTMLElement).querySelector('.formula-spot')?.textContent).toBe('*');
    f.componentRef.setInput('value', '1 + 2');
    await settle(f);
    expect((f.nativeElement as HTMLElement).querySelector('.formula-spot')).toBeNull();
    (f.nativeElement as HTMLElement).remove();
  });

  it('the key of features lists classes, and picks one', async () => {
    const style = { ...PLAIN_VECTOR, by: { kind: 'category' as const, column: 'class', colours: {} } };
    const f = TestBed.createComponent(Key);
    await TestBed.inject(FeatureData).get('overlay001');
    const symbols = symbolsOf(style, squares());
    const of = { item: dataset('overlay001'), look: style, scale: null, shared: false, symbols };
    f.componentRef.setInput('legend', features.legend!(of));
    f.componentInstance.picked.subscribe((i) => features.pickEntry!(of, i, TestBed.inject(KindTools)));
    await settle(f);
    expect(text(f)).toContain('moor');
    button(f, /^\s*arable/).click();
    expect([...TestBed.inject(Picks).of('overlay001')!]).toEqual([0, 1, 0]);
  });

  it('parts of a shapefile go together, everything else alone', async () => {
    const names = ['a.shp', 'a.dbf', 'A.prj', 'b.tif', 'c.dbf'].map((n) => new File([n], n));
    expect((await together(names)).map((f) => f.name)).toEqual(['b.tif', 'c.dbf', 'a.zip']);
    expect((await together([new File(['x'], 'lone.shp')])).map((f) => f.name)).toEqual(['lone.shp']);
  });
});
