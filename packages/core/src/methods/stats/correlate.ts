import * as z from 'zod';
import { columnsOf, kindOf } from '../../data/kinds';
import type { Column } from '../../data/features';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice } from '../../method/params';
import { kendall, pearson, spearman, type Association } from '../../numeric/association';
import { numberChecks, numberColumns } from './common';
import { valuesParam } from './values';

const HOW = { pearson, spearman, kendall };
/** Columns that are held against each other at most: pairs grow with their square. */
const MOST = 400;

export const correlate = defineMethod({
  id: 'stats.correlate',
  version: 1,
  title: 'Correlations',
  question: 'Which columns go together?',
  about:
    'The correlation of each pair of columns of numbers, with how likely as much is by chance alone (both sides) and how many rows have both: Pearson’s product-moment (p by Student’s t), Spearman’s of ranks (likewise), or Kendall’s tau-b (normal approximation, for ties). Places that lie near each other are alike, so that p is smaller than it ought to be where values gather in space.',
  keywords: ['correlation matrix', 'pearson', 'spearman', 'kendall', 'tau', 'relationship', 'association'],
  sources: ['Kendall 1970, Rank Correlation Methods', 'Knight 1966, doi:10.1080/01621459.1966.10480879'],
  inputs: { data: input.table({ label: 'Features or table', or: 'features' }) },
  params: z.object({
    columns: valuesParam({
      label: 'Columns',
      of: 'data',
      help: 'None chosen: all with numbers.',
    }).optional(),
    method: choice(
      { pearson: 'along a line (Pearson)', spearman: 'in order (Spearman)', kendall: 'pair by pair (Kendall)' },
      { label: 'Going together' },
    ).default('pearson'),
  }),
  outputs: {
    correlations: shown(output.table('Correlations', 'correlations'), { first: true, panel: { id: 'correlations' } }),
  },
  figures: { strongest: { label: 'Strongest' } },
  checks: ({ data }, p) => {
    const found = numberChecks(columnsOf(data), p.columns, 'columns', 2);
    const n = p.columns?.length ?? columnsOf(data).filter((c) => c.type === 'number').length;
    return n > MOST
      ? [
          {
            level: 'refused' as const,
            code: 'column.many',
            about: 'columns',
            message: `${n} columns are more than the ${MOST} that are held against each other; choose some.`,
          },
        ]
      : found;
  },
  estimate: ({ data }, p) => {
    const { count } = kindOf(data).rows!(data);
    const n = p.columns?.length ?? columnsOf(data).filter((c) => c.type === 'number').length;
    return { cells: (n * (n - 1)) / 2, of: 'pairs', bytes: count * 60, seconds: 0.05 + (n * n * count) / 2e7 };
  },
  run: ({ data }, p, job) => {
    const all = numberColumns(data, p.columns, 'columns');
    const pairs: ({ a: string; b: string } & Association)[] = [];
    for (let i = 0; i < all.length; i++) {
      job.progress(i / all.length, 'pairs');
      for (let j = i + 1; j < all.length; j++)
        pairs.push({ a: all[i]!.name, b: all[j]!.name, ...ofBoth(all[i]!, all[j]!, HOW[p.method]) });
    }
    const idle = pairs.filter((q) => q.r !== q.r).length;
    if (idle)
      job.note(
        'look',
        'stats.idle',
        `Of ${idle} of the ${pairs.length} pairs nothing can be said: a column does not vary, or too few rows have both.`,
      );
    const strongest = pairs.reduce((m, q) => (Math.abs(q.r) > Math.abs(m) || m !== m ? q.r : m), NaN);
    return {
      correlations: {
        kind: 'table' as const,
        columns: [
          textColumn(
            'a',
            pairs.map((q) => q.a),
          ),
          textColumn(
            'b',
            pairs.map((q) => q.b),
          ),
          numberColumn(
            'r',
            pairs.map((q) => q.r),
          ),
          numberColumn(
            'p',
            pairs.map((q) => q.p),
          ),
          numberColumn(
            'n',
            pairs.map((q) => q.n),
          ),
        ],
      },
      figures: { strongest: strongest === strongest ? strongest : null },
    };
  },
});

/** Of the rows that have both. */
function ofBoth(a: Column, b: Column, how: (x: ArrayLike<number>, y: ArrayLike<number>) => Association): Association {
  const [x, y]: [number[], number[]] = [[], []];
  const [u, v] = [a.values as Float64Array, b.values as Float64Array];
  for (let i = 0; i < u.length; i++) {
    if (u[i] !== u[i] || v[i] !== v[i] || a.missing?.[i] || b.missing?.[i]) continue;
    x.push(u[i]!);
    y.push(v[i]!);
  }
  return x.length > 1 ? how(x, y) : { r: NaN, p: NaN, n: x.length };
}
