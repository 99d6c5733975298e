import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { crsOfCode, measureRaster } from '@helk/core';
import type { ApiProjectDetail, ApiReport } from '@helk/core/api/schemas';
import { emptyRecipe } from '@helk/core/recipe/edit';
import type { Report } from '@helk/core/report/shape';
import { standOf } from '@helk/core/sheet/finding';
import { Api } from '../api/api';
import { Desk } from '../state/desk';
import { ProjectStore } from '../state/project.store';
import { Reports } from '../state/reports';
import { NOTHING_WRITTEN } from '../state/written';
import { datasetOf, described, projectOf, runOf } from '../testing';
import { ReportView } from './report-view';

const grid = { crs: crsOfCode(32627), x: 0, y: 0, dx: 10, dy: 10, columns: 2, rows: 2 };
const raster = (name: string) => ({ data: measureRaster(grid, Float32Array.of(1, 2, 3, 4), { name, unit: 'm' }) });
const source = { file: 'hill.tif', format: 'geotiff', bytes: 4000, sha256: 'ab'.repeat(32) };
const hill = datasetOf('hill000001', raster('hill'), { name: 'Hill', source });
const slope = datasetOf('slope00001', raster('slope'), { name: 'Slope', runId: 'run0000001', role: 'slope' });
const run = runOf('run0000001', 'terrain.slope', {
  title: 'Slope',
  inputs: { elevation: [hill.id] },
  params: { unit: 'percent', algorithm: 'horn', zFactor: 1 },
  outputs: [slope.id],
  made: { [slope.id]: { role: 'slope', step: null, name: 'Slope' } },
  figures: { mean: 12.3 },
});
const finding = {
  id: 'seen000001',
  title: 'Where it is steep',
  note: '<script>never</script>',
  kind: 'panes',
  seen: {},
  rests: [{ dataset: slope.id, name: 'Slope', stand: standOf(slope.info as never) }],
  figures: [],
  drawing: null,
  position: 1,
  createdAt: '2026-03-04T05:06:07Z',
};

class FakeApi {
  saved: Report[] = [];
  methods = () => Promise.resolve(described());
  projects = () => Promise.resolve([projectOf('project1')]);
  project = (): Promise<ApiProjectDetail> =>
    Promise.resolve({
      project: projectOf('project1', { name: 'Moor' }),
      datasets: [hill, slope],
      runs: [run],
      ...NOTHING_WRITTEN,
      findings: [finding],
      workbench: null,
    });
  follow = () => () => undefined;
  detail = () => Promise.resolve(null);
  saveWorkbench = () => Promise.resolve();
  patchDataset = () => new Promise<never>(() => undefined);
  liftRecipe = () => Promise.resolve(emptyRecipe('Again'));
  createReport = (_: string, report: Report): Promise<ApiReport> =>
    Promise.resolve({ id: 'report0001', report, createdAt: '', changedAt: '' });
  saveReport = (_: string, id: string, report: Report): Promise<ApiReport> => {
    this.saved.push(report);
    return Promise.resolve({ id, report, createdAt: '', changedAt: '' });
  };
}

describe('a report on the desk', () => {
  let api: FakeApi;
  let reports: Reports;
  let view: ComponentFixture<ReportView>;
  const page = (): Document =>
    (view.nativeElement as HTMLElement).querySelector<HTMLIFrameElement>('iframe')!.contentDocument!;
  const settle = async (): Promise<void> => {
    await view.whenStable();
    await new Promise((r) => setTimeout(r, 120));
  };

  beforeEach(async () => {
    localStorage.clear();
    api = new FakeApi();
    TestBed.configureTestingModule({
      providers: [provideZonelessChangeDetection(), { provide: Api, useValue: api }],
    });
    TestBed.inject(ProjectStore);
    reports = TestBed.inject(Reports);
    await new Promise((r) => setTimeout(r, 40));
    await reports.of([slope.id]);
    view = TestBed.createComponent(ReportView);
    document.body.append(view.nativeElement as HTMLElement);
    await settle();
  });
  afterEach(() => (view.nativeElement as HTMLElement).remove());

  it('begins with the findings that rest on what it is of, and shows the page as it will be read', () => {
    expect(TestBed.inject(Desk).lying()).toEqual({ what: 'report', id: 'report0001' });
    expect(reports.report()!.findings).toEqual([finding.id]);
    const text = page().body.textContent;
    expect(page().querySelector('h1')!.textContent).toBe('Slope');
    expect(text).toContain('How steep is the ground?');
    expect(text).toContain('percent');
    expect(text).toContain('<script>never</script>');
    expect(page().querySelector('script')).toBeNull();
    expect(text).toContain('recipe.json');
  });

  it('follows what is written, which is kept once somebody rests, and taken back', async () => {
    const answer = (view.nativeElement as HTMLElement).querySelector<HTMLTextAreaElement>(
      '[data-testid=report-answer]',
    )!;
    for (const words of ['Le', 'Less than', 'Less than was thought.']) {
      answer.value = words;
      answer.dispatchEvent(new Event('input'));
    }
    await settle();
    expect(page().body.textContent).toContain('Less than was thought.');
    await new Promise((r) => setTimeout(r, 600));
    expect(api.saved.map((r) => r.answer)).toEqual(['Less than was thought.']);
    reports.undo();
    expect(reports.report()!.answer).toBe('');
    reports.redo();
    expect(reports.report()!.answer).toBe('Less than was thought.');
  });

  it('leaves out findings and results, and says when nothing is left to tell of', async () => {
    const element = view.nativeElement as HTMLElement;
    element.querySelector<HTMLInputElement>('[aria-label="Where it is steep"]')!.click();
    await settle();
    expect(page().querySelector('figure')).toBeNull();
    element.querySelector<HTMLElement>('[aria-label="Leave out Slope"]')!.click();
    await settle();
    expect(element.textContent).toContain('No result is named');
    expect(page().body.textContent).not.toContain('What was done');
  });
});
