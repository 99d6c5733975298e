import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import {
  describeMethod,
  HelkError,
  infoOf,
  measureRaster,
  methodOf,
  methods,
  type Forecast,
  type MethodDescription,
  type RasterInfo,
  defaultStyle,
} from '@helk/core';
import type { ApiProjectDetail, ApiRun } from '@helk/core/api/schemas';
import { Api } from './api/api';
import { AskBox } from './ask/ask-box';
import { Gather } from './gather/gather';
import { raster } from './kinds/raster';
import { Key } from './pane/key';
import { CrsField } from './parts/crs-field';
import { RunSheet } from './run-sheet/run-sheet';
import { BenchStore } from './state/bench.store';
import { emptyPane } from './state/panes';
import { ProjectStore } from './state/project.store';
import { datasetOf, runOf, projectOf } from './testing';
import { NOTHING_WRITTEN } from './state/written';

const crs = {
  code: 'EPSG:32627',
  name: 'WGS 84 / UTM zone 27N',
  proj4: '+proj=utm +zone=27 +datum=WGS84 +units=m +no_defs',
  geographic: false,
  unit: 'm',
};
const hill = measureRaster(
  { crs, x: 500000, y: 6450000, dx: 30, dy: 30, columns: 4, rows: 4 },
  Float32Array.from({ length: 16 }, (_, i) => i),
  { name: 'hill', unit: 'm', role: 'elevation' },
);
const info = infoOf(hill) as RasterInfo;

const detail: ApiProjectDetail = {
  project: projectOf('project1'),
  datasets: [
    datasetOf(
      'hill000001',
      { info },
      {
        name: 'Hill',
        source: { file: 'hill.tif', format: 'geotiff', bytes: 100, sha256: 'x' },
        checks: [{ level: 'look', code: 'crs.degrees', message: 'Cells are in degrees.' }],
      },
    ),
  ],
  runs: [],
  ...NOTHING_WRITTEN,
  workbench: null,
};

/** A server of words only. */
class FakeApi {
  asked: { method: string; params: Record<string, unknown> }[] = [];
  started: unknown[] = [];
  taken: string[] = [];
  methods = (): Promise<MethodDescription[]> => Promise.resolve(methods().map(describeMethod));
  projects = () => Promise.resolve([detail.project]);
  project = () => Promise.resolve(structuredClone(detail));
  follow = () => () => undefined;
  saveWorkbench = () => Promise.resolve();
  patchDataset = () => new Promise<never>(() => undefined);
  services = () => Promise.resolve([]);
  samples = () => Promise.resolve([]);
  searchCrs = (q: string) =>
    Promise.resolve([
      { code: 'EPSG:32627', name: `UTM for ${q}`, area: 'here', geographic: false, unit: 'm', covers: true },
    ]);
  forecast = (_p: string, run: { method: string; params: Record<string, unknown> }): Promise<Forecast> => {
    this.asked.push(run);
    if (run.params['zFactor'] === '-1')
      return Promise.reject(new HelkError('method.parameter', 'zFactor: -1 must be more than 0.', 'zFactor'));
    return Promise.resolve({
      checks: [
        {
          level: 'look',
          code: 'nearest',
          message: 'A lattice.',
          mend: { label: 'Use Horn', set: { algorithm: 'horn' } },
        },
      ],
      suggestions: {},
      estimate: { cells: 16, bytes: 64, seconds: 0.1 },
      plain: {},
    });
  };
  startRun = (_p: string, run: object): Promise<ApiRun> => {
    this.started.push(run);
    return Promise.resolve(
      runOf('run0000001', 'terrain.slope', {
        title: 'Slope',
        state: 'cancelled',
        problem: { code: 'run.cancelled', message: 'It was cancelled.', path: null },
      }),
    );
  };
  takeIn = (_p: string, f: File): Promise<never> => {
    this.taken.push(f.name);
    return Promise.reject(new HelkError('file.tooLarge', 'Too large.', null));
  };
}

describe('components', () => {
  let api: FakeApi;
  beforeEach(async () => {
    localStorage.clear();
    api = new FakeApi();
    TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection(), { provide: Api, useValue: api }] });
    TestBed.inject(ProjectStore);
    TestBed.inject(BenchStore);
    await settle();
  });

  const settle = async (f?: ComponentFixture<unknown>): Promise<void> => {
    for (let k = 0; k < 4; k++) {
      await new Promise((r) => setTimeout(r, 60));
      f?.detectChanges();
    }
  };
  const text = (f: ComponentFixture<unknown>): string =>
    (f.nativeElement as HTMLElement).textContent!.replace(/\s+/g, ' ');
  const type = (f: ComponentFixture<unknown>, selector: string, value: string): void => {
    const i = (f.nativeElement as HTMLElement).querySelector<HTMLInputElement>(selector)!;
    i.value = value;
    i.dispatchEvent(new Event('input', { bubbles: true }));
  };

  it('the run sheet fills in what is selected, shows checks, and mends with one click', async () => {
    const bench = TestBed.inject(BenchStore);
    bench.openSheet('terrain.slope');
    const f = TestBed.createComponent(RunSheet);
    await settle(f);
    expect(text(f)).toContain('How steep is the ground?');
    expect(text(f)).toContain('A lattice.');
    expect(bench.sheet()!.inputs).toEqual({ elevation: ['hill000001'] });
    [...(f.nativeElement as HTMLElement).querySelectorAll('button')].find((b) => b.textContent === 'Use Horn')!.click();
    expect(bench.sheet()!.params).toEqual({ algorithm: 'horn' });
  });

  it('the run sheet names a refused setting beside its field and holds the run back', async () => {
    TestBed.inject(BenchStore).openSheet('terrain.slope');
    const f = TestBed.createComponent(RunSheet);
    await settle(f);
    const run = (): HTMLButtonElement => (f.nativeElement as HTMLElement).querySelector('[data-testid=run]')!;
    expect(run().disabled).toBeFalse();
    type(f, '#p-zFactor', '-1');
    await settle(f);
    expect(text(f)).toContain('-1 must be more than 0.');
    expect(run().disabled).toBeTrue();
    type(f, '#p-zFactor', '');
    await settle(f);
    expect(run().disabled).toBeFalse();
    expect(api.asked.at(-1)!.params).toEqual({});
  });

  it('a run that does not end well keeps its sentence and can be changed', async () => {
    TestBed.inject(BenchStore).openSheet('terrain.slope');
    const f = TestBed.createComponent(RunSheet);
    await settle(f);
    (f.nativeElement as HTMLElement).querySelector<HTMLButtonElement>('[data-testid=run]')!.click();
    await settle(f);
    expect(api.started.length).toBe(1);
    expect(text(f)).toContain('It was cancelled.');
    expect(text(f)).toContain('Change and run again');
  });

  it('the ask box lists by question and opens the first answer', async () => {
    const f = TestBed.createComponent(AskBox);
    document.body.append(f.nativeElement as HTMLElement);
    f.componentInstance.take();
    type(f, 'input', 'which way does it face');
    await settle(f);
    expect(document.querySelector('#answers')?.textContent).toContain('Which way does the ground face?');
    (f.nativeElement as HTMLElement)
      .querySelector('input')!
      .dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter' }));
    expect(TestBed.inject(BenchStore).sheet()?.method).toBe('terrain.aspect');
    (f.nativeElement as HTMLElement).remove();
  });

  it('the key gives limits, unit and classes', async () => {
    const f = TestBed.createComponent(Key);
    const item = TestBed.inject(ProjectStore).datasetEntityMap()['hill000001']!;
    const scale = { ramp: 'tide', reversed: false, low: 1, high: 11, breaks: [] as number[] };
    const of = { item, look: defaultStyle(info), scale, shared: false, symbols: null };
    f.componentRef.setInput('legend', raster.legend!(of));
    await settle(f);
    // Values reach beyond both limits, so the ends say so.
    expect(text(f)).toContain('Hill, m');
    expect(text(f)).toContain('≤ 1');
    expect(text(f)).toContain('≥ 11');
    f.componentRef.setInput('legend', raster.legend!({ ...of, scale: { ...scale, breaks: [6] } }));
    await settle(f);
    expect(text(f)).toContain('1 to 6');
    expect(text(f)).toContain('6 to 11');
  });

  it('the system field searches and hands over a code', async () => {
    const f = TestBed.createComponent(CrsField);
    f.componentRef.setInput('value', '');
    const picked: string[] = [];
    f.componentInstance.picked.subscribe((v) => picked.push(v));
    type(f, 'input', 'iceland');
    await settle(f);
    const field = (f.nativeElement as HTMLElement).querySelector('input')!;
    field.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown' }));
    field.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter' }));
    expect(picked).toEqual(['EPSG:32627']);
  });

  it('gather shows what arrived with its checks, and says why a file was not taken', async () => {
    const f = TestBed.createComponent(Gather);
    await settle(f);
    expect(text(f)).toContain('Hill');
    expect(text(f)).toContain('1 check');
    await TestBed.inject(ProjectStore).takeIn([new File(['x'], 'big.tif')]);
    expect(TestBed.inject(ProjectStore).notices().at(-1)?.text).toBe('Too large.');
  });

  it('panes keep one raster unless another is added, and share one scale on request', () => {
    const bench = TestBed.inject(BenchStore);
    bench.show('hill000001', 1, false);
    expect(bench.panes()[0]!.layers.map((l) => l.dataset)).toEqual(['hill000001']);
    expect(bench.scales().get('1/hill000001')).toEqual(jasmine.objectContaining({ low: 0, high: 15 }));
    bench.restyle(1, 'hill000001', { stretch: { kind: 'own', low: -5, high: 5 } });
    const two = bench.addPane();
    bench.show('hill000001', two, false);
    bench.set({ sharedScale: true });
    expect(bench.scales().get('1/hill000001')).toEqual(bench.scales().get(`${two}/hill000001`)!);
    expect(bench.scales().get('1/hill000001')!.low).toBe(-5);
    bench.closePane(two);
    bench.closePane(1);
    expect(bench.panes()).toEqual([emptyPane(1)]);
  });

  it('knows every method that the server lists', () => {
    for (const m of TestBed.inject(ProjectStore).methods()) expect(methodOf(m.id).question).toBe(m.question);
  });
});
