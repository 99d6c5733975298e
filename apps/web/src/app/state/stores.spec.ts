import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { crsOfCode, FeaturesBuilder, infoOf, type Features } from '@helk/core';
import type { ApiProjectDetail, ProjectEvent } from '@helk/core/api/schemas';
import { Api } from '../api/api';
import { datasetOf, projectOf } from '../testing';
import { FeatureData } from './feature-data';
import { ProjectStore } from './project.store';
import { NOTHING_WRITTEN } from './written';

function points(crs: Features['crs']): Features {
  const b = new FeaturesBuilder();
  b.point(400000, 6460000);
  return b.build('point', crs, []);
}
const detail = (id: string, features: Features): ApiProjectDetail => ({
  project: projectOf(id, { name: id }),
  datasets: [datasetOf('points0001', { info: infoOf(features) }, { name: id })],
  runs: [],
  ...NOTHING_WRITTEN,
  workbench: null,
});
const rest = (): Promise<void> => new Promise((r) => setTimeout(r));

/** A server whose projects answer when they are told to, and whose events can be sent by hand. */
class SlowApi {
  answers: Record<string, () => void> = {};
  follows: { id: string; on: (e: ProjectEvent) => void; open: boolean }[] = [];
  fetched: string[] = [];
  held = points(null);
  methods = () => Promise.resolve([]);
  projects = () => Promise.resolve([]);
  project = (id: string): Promise<ApiProjectDetail> =>
    new Promise((r) => (this.answers[id] = () => r(detail(id, this.held))));
  follow = (id: string, on: (e: ProjectEvent) => void) => {
    const f = { id, on, open: true };
    this.follows.push(f);
    return () => void (f.open = false);
  };
  saveWorkbench = () => Promise.resolve();
  patchDataset = () => new Promise<never>(() => undefined);
  features = (_p: string, id: string): Promise<Features> => {
    this.fetched.push(id);
    return Promise.resolve(this.held);
  };
}

describe('the open project', () => {
  let api: SlowApi;
  let store: InstanceType<typeof ProjectStore>;
  beforeEach(async () => {
    localStorage.clear();
    api = new SlowApi();
    TestBed.configureTestingModule({
      providers: [provideZonelessChangeDetection(), { provide: Api, useValue: api }],
    });
    store = TestBed.inject(ProjectStore);
    await rest();
  });

  it('is the one that was opened last, however late another answers, and only its events are heard', async () => {
    const first = store.open('slow000001');
    const second = store.open('quick00001');
    api.answers['quick00001']!();
    await second;
    api.answers['slow000001']!();
    await first;
    expect(store.project()?.id).toBe('quick00001');
    expect(store.datasetEntities().map((d) => d.name)).toEqual(['quick00001']);
    expect(api.follows.filter((f) => f.open).map((f) => f.id)).toEqual(['quick00001']);
  });

  it('keeps the later of two states of a dataset, whichever is heard of first', async () => {
    const opening = store.open('quick00001');
    api.answers['quick00001']!();
    await opening;
    const [d] = detail('quick00001', api.held).datasets;
    const hear = (name: string, revision: number): void =>
      api.follows[0]!.on({ type: 'datasets', datasets: [{ ...d!, name, revision }] });
    hear('second', 2);
    hear('first', 1);
    expect(store.datasetEntities().map((x) => x.name)).toEqual(['second']);
    hear('third', 3);
    expect(store.datasetEntities().map((x) => x.name)).toEqual(['third']);
  });

  it('has features fetched anew when their dataset is given a coordinate system', async () => {
    const opening = store.open('quick00001');
    api.answers['quick00001']!();
    await opening;
    const data = TestBed.inject(FeatureData);
    expect((await data.get('points0001')).kind).toBe('features');
    await data.get('points0001');
    expect(api.fetched.length).toBe(1);
    api.held = points(crsOfCode(32627));
    const datasets = detail('quick00001', api.held).datasets;
    api.follows[0]!.on({ type: 'datasets', datasets });
    expect(data.features('points0001')).toBeUndefined();
    await rest();
    expect(data.features('points0001')!.crs!.code).toBe('EPSG:32627');
    expect(api.fetched.length).toBe(2);
  });
});
