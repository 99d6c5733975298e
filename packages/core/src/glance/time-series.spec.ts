import { setupNode } from '../../../node/src/index';
import { FeaturesBuilder, type Features } from '../data/features';
import { handleOn, type AnyHandle, type Dataset } from '../data/kinds';
import type { TimeStack } from '../data/stack';
import { numberColumn, textColumn } from '../data/table';
import { LocalJob } from '../method/job';
import { glanceAt } from './glance';
import { glanceOf } from './registry';

beforeAll(setupNode);

const steps = 4;
function points(n: number, columns: Features['columns']): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < n; i++) b.point(i, i);
  return b.build('point', null, columns);
}
const stack: TimeStack = {
  kind: 'stack',
  places: points(4, [textColumn('side', ['w', 'e', 'w', 'e'])]),
  key: null,
  steps: { unit: 'month', every: 1, start: 0, count: steps },
  variables: [
    { name: 'a', unit: null, values: Float64Array.of(1, 2, 3, 4, 10, 9, 8, 7, 3, NaN, 5, 6, 0, 0, 0, 0) },
    { name: 'b', unit: null, values: new Float64Array(16) },
  ],
  grid: null,
  made: 'by hand',
};
const groups = points(4, [
  numberColumn('group', [1, 2, 1, NaN]),
  textColumn('trend', ['rising', 'falling', 'rising', 'no trend']),
]);

const ask = (id: string, params: Record<string, unknown>, data: Record<string, Dataset> = { stack }): Promise<never> =>
  glanceAt(
    glanceOf(id),
    Object.fromEntries(Object.entries(data).map(([r, d]): [string, AnyHandle] => [r, handleOn(d)])),
    params,
    new LocalJob(),
  ) as Promise<never>;

describe('glances at time stacks', () => {
  it('tell some series, and how all went', async () => {
    const a = await ask('time.series', { rows: [2, 0, 99] });
    expect(a['series']).toEqual([
      { row: 2, values: [3, null, 5, 6] },
      { row: 0, values: [1, 2, 3, 4] },
    ] as never);
    expect((await ask('time.series', { rows: [1], bands: false }))['bands']).toEqual([] as never);
    const [band] = a['bands'] as { count: number; mean: number[] }[];
    expect([band!.count, band!.mean]).toEqual([4, [14 / 4, 11 / 3, 16 / 4, 17 / 4]]);
  });

  it('tell groups apart, those in none left out', async () => {
    const a = await ask('time.series', { by: 'group' }, { stack, groups });
    expect((a['bands'] as { key: string; mean: number[] }[]).map((b) => [b.key, b.mean])).toEqual([
      ['1', [2, 2, 4, 5]],
      ['2', [10, 9, 8, 7]],
    ]);
  });

  it('lay all places under each other, by mean, by when they were highest, by a column', async () => {
    expect((await ask('time.strip', {}))['order']).toEqual([1, 2, 0, 3] as never);
    expect((await ask('time.strip', { order: 'peak' }))['order']).toEqual([1, 3, 0, 2] as never);
    const a = await ask('time.strip', { order: 'column', by: 'trend' }, { stack, groups });
    // In the order of what they mean, not of their letters.
    expect([a['order'], a['keys']]).toEqual([
      [2, 0, 3, 1],
      ['rising', 'rising', 'no trend', 'falling'],
    ] as never);
    expect((await ask('time.strip', { order: 'column', by: 'side' }))['keys']).toEqual(['e', 'e', 'w', 'w'] as never);
  });

  it('can take each place by its own range, without touching what is held', async () => {
    const a = await ask('time.strip', { own: true, order: 'row' });
    expect((a['values'] as (number | null)[]).slice(0, 8)).toEqual([0, 1 / 3, 2 / 3, 1, 1, 2 / 3, 1 / 3, 0]);
    expect((a['values'] as (number | null)[])[9]).toBeNull();
    expect(stack.variables[0]!.values[0]).toBe(1);
  });

  it('refuse variables and columns that are not there', async () => {
    await expectAsync(ask('time.series', { variable: 'c' })).toBeRejectedWithError(/there is no "c"; there is a, b/);
    await expectAsync(ask('time.series', { by: 'x' }, { stack, groups })).toBeRejectedWithError(/no column "x"/);
    await expectAsync(ask('time.series', { rows: Array.from({ length: 99 }, () => 1) })).toBeRejected();
  });
});
