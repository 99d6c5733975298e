import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { crsOfCode, measureRaster } from '@helk/core';
import type { ApiFinding, ApiProjectDetail, ApiSheet, ProjectEvent } from '@helk/core/api/schemas';
import { standOf } from '@helk/core/sheet/finding';
import type { MapSheet, Part } from '@helk/core/sheet/shape';
import { Api } from '../api/api';
import { datasetOf, described, projectOf } from '../testing';
import { BenchStore } from './bench.store';
import { Desk } from './desk';
import { Findings } from './findings';
import { MapSheets } from './map-sheets';
import { ProjectStore } from './project.store';

const hill = measureRaster(
  { crs: crsOfCode(32627), x: 0, y: 0, dx: 10, dy: 10, columns: 2, rows: 2 },
  Float32Array.of(1, 2, 3, 4),
  { name: 'hill', unit: 'm', role: 'elevation' },
);
const item = datasetOf('hill000001', { data: hill }, { name: 'Hill' });
const text = (id: string, x: number): Part => ({
  kind: 'text',
  id,
  x,
  y: 10,
  width: 40,
  height: 10,
  text: id,
  size: 10,
  bold: false,
  face: 'sans',
  align: 'start',
  colour: '#000000',
});
const sheet: MapSheet = {
  format: 'helk-sheet',
  version: 1,
  name: 'Hill',
  page: { width: 297, height: 210, margin: 10, paper: '#ffffff' },
  parts: [text('a', 10), text('b', 60)],
  many: null,
};
const entry = (id: string, s: MapSheet): ApiSheet => ({ id, sheet: s, createdAt: '', changedAt: '' });

class FakeApi {
  saved: MapSheet[] = [];
  on: (e: ProjectEvent) => void = () => undefined;
  stand = standOf(item.info as never);
  methods = () => Promise.resolve(described());
  projects = () => Promise.resolve([projectOf('project1')]);
  project = (): Promise<ApiProjectDetail> =>
    Promise.resolve({
      project: projectOf('project1'),
      datasets: [item],
      runs: [],
      recipes: [],
      tables: [],
      findings: [
        {
          id: 'finding001',
          title: 'A hill',
          note: '',
          kind: 'panes',
          seen: {},
          rests: [{ dataset: item.id, name: 'Hill', stand: this.stand }],
          figures: [],
          drawing: null,
          position: 1,
          createdAt: '',
        } satisfies ApiFinding,
      ],
      sheets: [entry('sheet00001', sheet)],
      reports: [],
      palettes: [],
      backgrounds: [],
      workbench: null,
    });
  follow = (_: string, on: (e: ProjectEvent) => void) => {
    this.on = on;
    return () => undefined;
  };
  detail = () => Promise.resolve(null);
  saveWorkbench = () => Promise.resolve();
  patchDataset = () => new Promise<never>(() => undefined);
  saveSheet = (_: string, id: string, s: MapSheet) => {
    this.saved.push(s);
    return Promise.resolve(entry(id, s));
  };
  createSheet = (_: string, s: MapSheet) => Promise.resolve(entry('sheet00002', s));
}

describe('sheets and findings of a project', () => {
  let api: FakeApi;
  let sheets: MapSheets;
  let findings: Findings;
  const x = (id: string): number => sheets.sheet()!.parts.find((p) => p.id === id)!.x;

  beforeEach(async () => {
    localStorage.clear();
    api = new FakeApi();
    TestBed.configureTestingModule({
      providers: [provideZonelessChangeDetection(), { provide: Api, useValue: api }],
    });
    TestBed.inject(ProjectStore);
    sheets = TestBed.inject(MapSheets);
    findings = TestBed.inject(Findings);
    await new Promise((r) => setTimeout(r, 40));
    TestBed.inject(Desk).lay({ what: 'sheet', id: 'sheet00001' });
    TestBed.tick();
  });

  it('take changes back one by one, a drag as one, and give them again', () => {
    expect(TestBed.inject(BenchStore).stage()).toBe('sheets');
    for (const to of [12, 15, 20]) sheets.changePart('a', (p) => ({ ...p, x: to }), 'drag');
    sheets.settle();
    sheets.changePart('a', (p) => ({ ...p, x: 30 }), 'drag');
    expect(x('a')).toBe(30);
    sheets.undo();
    expect(x('a')).toBe(20);
    sheets.undo();
    expect([x('a'), sheets.canUndo()]).toEqual([10, false]);
    sheets.redo();
    expect([x('a'), sheets.canRedo()]).toEqual([20, true]);
    sheets.changePart('b', (p) => ({ ...p, x: 70 }));
    expect(sheets.canRedo()).toBe(false);
  });

  it('are kept once somebody rests, as they are then', async () => {
    sheets.changePart('a', (p) => ({ ...p, x: 11 }));
    sheets.changePart('a', (p) => ({ ...p, x: 13 }));
    expect(api.saved).toEqual([]);
    await new Promise((r) => setTimeout(r, 700));
    expect(api.saved.map((s) => s.parts[0]!.x)).toEqual([13]);
  });

  it('have no part chosen that is not there any more', () => {
    sheets.chosen.set(['a', 'b']);
    sheets.change((s) => ({ ...s, parts: s.parts.slice(1) }));
    expect(sheets.chosen()).toEqual(['b']);
  });

  it('are called as no other is', async () => {
    await sheets.begin(sheet);
    expect(sheets.sheet()!.name).toBe('Hill 2');
  });

  it('know when what they rest on is not what it was', () => {
    const tell = (over: object): void => api.on({ type: 'datasets', datasets: [{ ...item, ...over }] });
    expect(findings.outdated().size).toBe(0);
    // Another name is nothing; another unit is.
    tell({ name: 'Mound', revision: 1 });
    expect(findings.outdated().size).toBe(0);
    const feet = structuredClone(item.info) as unknown as { bands: { unit: string }[] };
    feet.bands[0]!.unit = 'ft';
    tell({ info: feet, revision: 2 });
    expect(findings.outdated().get('finding001')!.words).toContain('not what it was');
    tell({ revision: 3 });
    expect(findings.outdated().size).toBe(0);
    api.on({ type: 'removed', ids: [item.id] });
    expect(findings.outdated().get('finding001')!.words).toContain('has been removed');
  });
});
