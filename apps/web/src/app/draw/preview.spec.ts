import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { crsOfCode, measureRaster } from '@helk/core';
import type { ApiProjectDetail } from '@helk/core/api/schemas';
import { Api } from '../api/api';
import { BenchStore } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';
import { datasetOf, described, projectOf } from '../testing';
import { Preview } from './preview';
import { NOTHING_WRITTEN } from '../state/written';

const ground = measureRaster(
  { crs: crsOfCode(32627), x: 0, y: 60, dx: 30, dy: 30, columns: 2, rows: 2 },
  Float32Array.of(1, 2, 3, 4),
  { name: 'ground', unit: 'm', role: 'elevation' },
);

class FakeApi {
  methods = () => Promise.resolve(described());
  projects = () => Promise.resolve([projectOf('project1')]);
  project = (): Promise<ApiProjectDetail> =>
    Promise.resolve({
      project: projectOf('project1'),
      datasets: [datasetOf('ground0001', { data: ground })],
      runs: [],
      ...NOTHING_WRITTEN,
      workbench: null,
    });
  follow = () => () => undefined;
  detail = () => Promise.resolve(null);
  saveWorkbench = () => Promise.resolve();
  patchDataset = () => new Promise<never>(() => undefined);
}

describe('what an open run sheet would draw', () => {
  let bench: InstanceType<typeof BenchStore>;
  let preview: Preview;
  const wanted = (method: string, inputs: Record<string, string[]>, params: Record<string, unknown> = {}) => {
    bench.openSheet(method, inputs, params);
    return preview.wanted();
  };
  beforeEach(async () => {
    localStorage.clear();
    TestBed.configureTestingModule({
      providers: [provideZonelessChangeDetection(), { provide: Api, useValue: new FakeApi() }],
    });
    TestBed.inject(ProjectStore);
    bench = TestBed.inject(BenchStore);
    await new Promise((r) => setTimeout(r, 30));
    TestBed.tick();
    preview = TestBed.inject(Preview);
  });

  it('follows the threshold of streams, typed or suggested', () => {
    const of = { elevation: ['ground0001'] };
    expect(wanted('terrain.streams', of)).toBeNull();
    expect(wanted('terrain.streams', of, { threshold: '2 ha' })!.what).toEqual({ kind: 'streams', threshold: 20_000 });
    expect(wanted('terrain.streams', of, { threshold: 'nonsense' })).toBeNull();
    preview.suggested.set({ threshold: '1 km2' });
    expect(wanted('terrain.streams', of)!.what).toEqual({ kind: 'streams', threshold: 1e6 });
  });

  it('is there for watersheds of links, not for those of points', () => {
    const of = { elevation: ['ground0001'] };
    expect(wanted('terrain.watersheds', of, { outlets: 'links', threshold: '1 ha' })!.what.kind).toBe('streams');
    expect(wanted('terrain.watersheds', of, { outlets: 'points', threshold: '1 ha' })).toBeNull();
  });

  it('takes the settings of contours that nobody touched from the method', () => {
    const of = { raster: ['ground0001'] };
    expect(wanted('raster.contours', of)).toBeNull();
    const w = wanted('raster.contours', of, { interval: '10,5', smooth: 'strong' })!;
    expect(w.what).toEqual({
      kind: 'contours',
      interval: 10.5,
      base: 0,
      indexEvery: 5,
      smooth: 3,
      from: -Infinity,
      to: Infinity,
    });
    expect(w.source.dataset).toBe('ground0001');
    expect(wanted('raster.contours', of, { interval: '10', indexEvery: '0' })).toBeNull();
  });

  it('hands a formula all its grids, and waits for one', () => {
    const w = wanted('raster.formula', { rasters: ['ground0001', 'ground0001#1'] }, { formula: 'ground * 2' })!;
    expect(w.what.kind === 'formula' && w.what.sources.length).toBe(2);
    expect(wanted('raster.formula', { rasters: ['ground0001'] }, { formula: '  ' })).toBeNull();
    expect(wanted('raster.formula', { rasters: ['gone000001'] }, { formula: '1' })).toBeNull();
  });

  it('is nothing for methods without one, once a run is under way, and without data', () => {
    expect(wanted('terrain.slope', { elevation: ['ground0001'] })).toBeNull();
    expect(wanted('terrain.streams', {}, { threshold: '1 ha' })).toBeNull();
    wanted('terrain.streams', { elevation: ['ground0001'] }, { threshold: '1 ha' });
    bench.fillSheet({ runId: 'run0000001' });
    expect(preview.wanted()).toBeNull();
  });
});
