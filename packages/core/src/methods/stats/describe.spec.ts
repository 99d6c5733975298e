import { readFileSync } from 'node:fs';
import { dataOf } from '../../data/kinds';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { refusalOf, run } from '../../testing';

/** By SciPy and NumPy; made by reference/statistics/scipy_values.py. */
const want = JSON.parse(readFileSync('reference/fixtures/stats.json', 'utf8')) as {
  describe: { values: number[]; mean: number; sd: number; quartiles: number[]; skewness: number; kurtosis: number };
  cases: Record<'x' | 'y' | 'pearson' | 'spearman' | 'kendall', number[]>[];
};
const tableOf = (columns: Table['columns']): Table => ({ kind: 'table', columns });
type Cells = Record<string, (number | string)[]>;
async function made(id: string, data: Table, params = {}): Promise<{ cells: Cells; figures: object; notes: string[] }> {
  const o = await run(id, { data }, params);
  const t = dataOf('table', o.outputs[0]!.data)!;
  return {
    cells: Object.fromEntries(t.columns.map((c) => [c.name, Array.from(c.values as ArrayLike<number | string>)])),
    figures: o.figures,
    notes: o.notes.map((n) => n.code),
  };
}

describe('columns described', () => {
  const w = want.describe;
  it('have the moments and quartiles of SciPy and NumPy, missing ones left out', async () => {
    const v = numberColumn('v', [...w.values, NaN, NaN], 'cm');
    const { cells, figures } = await made(
      'stats.describe',
      tableOf([v, textColumn('t', Array<string>(103).fill('x'))]),
    );
    expect(figures).toEqual({ rows: 103 });
    expect([cells['column'], cells['unit'], cells['count'], cells['missing']]).toEqual([['v'], ['cm'], [101], [2]]);
    const got = ['mean', 'sd', 'q25', 'median', 'q75', 'skewness', 'kurtosis'].map((k) => cells[k]![0] as number);
    [w.mean, w.sd, ...w.quartiles, w.skewness, w.kurtosis].forEach((x, i) => expect(got[i]).toBeCloseTo(x, 10));
    expect([cells['min']![0], cells['max']![0]]).toEqual([Math.min(...w.values), Math.max(...w.values)]);
  });
  it('by group are those of the rows of each, in order, with rows that have none by themselves', async () => {
    const data = tableOf([
      numberColumn('v', [1, 2, 3, 10, 20, 7]),
      { ...textColumn('g', ['b', 'b', 'a10', 'a9', 'a9', '']), missing: Uint8Array.from([0, 0, 0, 0, 0, 1]) },
    ]);
    const { cells } = await made('stats.describe', data, { by: 'g' });
    expect(cells['group']).toEqual(['', 'a9', 'a10', 'b']);
    expect(cells['mean']).toEqual([7, 15, 3, 1.5]);
    expect(cells['sd']![0]).toBeNaN();
  });
  it('are refused where there are no numbers', async () => {
    const text = tableOf([textColumn('t', ['a'])]);
    expect((await refusalOf(run('stats.describe', { data: text }))).message).toContain(
      'None of the columns has numbers',
    );
    expect((await refusalOf(run('stats.describe', { data: text }, { columns: 'x' }))).message).toContain(
      'nothing called "x"',
    );
    expect((await refusalOf(run('stats.correlate', { data: text }, { columns: 't' }))).message).toContain(
      '"t" has no numbers',
    );
  });
});

describe('correlations', () => {
  it('are SciPy’s, pair by pair, the strongest among the figures', async () => {
    for (const c of want.cases)
      for (const method of ['pearson', 'spearman', 'kendall'] as const) {
        const data = tableOf([numberColumn('x', c.x), numberColumn('y', c.y)]);
        const { cells, figures } = await made('stats.correlate', data, { method });
        expect(cells['r']![0]).toBeCloseTo(c[method][0]!, 10);
        expect(cells['p']![0]).toBeCloseTo(c[method][1]!, 10);
        expect(figures).toEqual({ strongest: cells['r']![0]! });
      }
  });
  it('take the rows that have both, and say of which pairs nothing can be said', async () => {
    const data = tableOf([
      numberColumn('x', [1, 2, 3, NaN, 5]),
      numberColumn('y', [2, NaN, 6, 8, 10]),
      numberColumn('same', [4, 4, 4, 4, 4]),
    ]);
    const { cells, notes } = await made('stats.correlate', data);
    expect([cells['a'], cells['b'], cells['n']]).toEqual([
      ['x', 'x', 'y'],
      ['y', 'same', 'same'],
      [3, 4, 4],
    ]);
    expect(cells['r']![0]).toBeCloseTo(1, 12);
    expect(cells['r']![1]).toBeNaN();
    expect(notes).toContain('stats.idle');
  });
});
