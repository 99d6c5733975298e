import { TestBed } from '@angular/core/testing';
import { crsOfCode, FeaturesBuilder, numberColumn, type Features } from '@helk/core';
import { weightLines, type Weights } from '@helk/core/data/weights';
import { weightsInfo } from '@helk/core/data/weights-facts';
import { rowsOf } from '@helk/core/numeric/sparse-rows';
import { datasetOf, projectOf, runOf } from '../testing';
import { Api } from '../api/api';
import { BenchStore } from './bench.store';
import { emptyPane } from './panes';
import { Neighbourhood } from './neighbourhood';
import { Picks } from './picks';
import { ProjectStore, type DatasetItem } from './project.store';
import { NOTHING_WRITTEN } from './written';

const crs = crsOfCode(32627);
function points(n: number): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < n; i++) b.point(i, 0);
  return b.build('point', crs, [
    numberColumn(
      'v',
      Array.from({ length: n }, (_, i) => i),
    ),
  ]);
}
/** In a row: each is near the next. */
const weights: Weights = {
  kind: 'weights',
  crs,
  rows: rowsOf(4, [0, 1, 1, 2, 2, 3], [1, 0, 2, 1, 3, 2], null),
  places: Float64Array.of(0, 0, 1, 0, 2, 0, 3, 0),
  made: 'in a row',
  open: false,
};

describe('weights and the features they are of', () => {
  const begin = async () => {
    const data: Record<string, unknown> = { places: points(4), near: weightLines(weights) };
    const api = {
      project: () =>
        Promise.resolve({
          project: projectOf('p'),
          datasets: [
            datasetOf('places', { data: points(4) }),
            datasetOf('near', { info: weightsInfo(weights) }, { runId: 'w', role: 'weights' }),
            datasetOf('clusters', { data: points(4) }, { runId: 'c', role: 'clusters' }),
          ],
          runs: [
            runOf('w', 'stats.weights', { inputs: { features: ['places'] } }),
            runOf('c', 'stats.localMoran', { inputs: { features: ['places'] } }),
          ],
          ...NOTHING_WRITTEN,
          workbench: null,
        }),
      features: (_: string, id: string) => Promise.resolve(data[id]),
      follow: () => () => undefined,
      saveWorkbench: () => Promise.resolve(),
      methods: () => Promise.resolve([]),
    };
    TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: api }] });
    const project = TestBed.inject(ProjectStore);
    await project.open('p');
    const bench = TestBed.inject(BenchStore);
    const near = TestBed.inject(Neighbourhood);
    const item = (id: string): DatasetItem => project.datasetEntityMap()[id]!;
    const rest = async (): Promise<void> => {
      for (let k = 0; k < 5; k++) {
        TestBed.tick();
        await Promise.resolve();
      }
    };
    return { bench, near, item, rest, picks: TestBed.inject(Picks) };
  };

  it('are found from either, through results that keep the rows', async () => {
    const { near, item } = await begin();
    expect(near.sourceOf(item('near'))?.id).toBe('places');
    expect(near.weightsOf(item('places')).map((d) => d.id)).toEqual(['near']);
    expect(near.weightsOf(item('clusters')).map((d) => d.id)).toEqual(['near']);
  });

  it('light the links of what is picked where they are seen, and come to rest', async () => {
    const { bench, rest, picks } = await begin();
    // The project opens as it was left first.
    await rest();
    bench.set({ panes: [{ ...emptyPane(1), layers: [{ dataset: 'near', visible: true }] }] });
    await rest();
    picks.pick('clusters', Uint8Array.of(0, 1, 0, 0), 'replace');
    await rest();
    expect([...picks.of('near')!]).toEqual([0, 1, 1, 0, 0, 0]);
    picks.clear('clusters');
    await rest();
    expect(picks.of('near')).toBeNull();
  });

  it('add whoever is near', async () => {
    const { near, item, picks } = await begin();
    picks.pick('places', Uint8Array.of(1, 0, 0, 0), 'replace');
    await near.spread(item('places'), item('near'));
    expect([...picks.of('places')!]).toEqual([1, 1, 0, 0]);
  });
});
