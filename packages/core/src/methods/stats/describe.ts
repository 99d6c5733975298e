import * as z from 'zod';
import { plural } from '../../data/check';
import type { Column } from '../../data/features';
import { columnsOf, kindOf } from '../../data/kinds';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { column } from '../../method/params';
import { quantileSorted } from '../../numeric/statistics';
import { numberChecks, numberColumns } from './common';
import { valuesParam } from './values';

/** Groups that a table is made for, at most. */
const MOST_GROUPS = 10_000;

export const describe = defineMethod({
  id: 'stats.describe',
  version: 1,
  title: 'Describe columns',
  question: 'What is in these columns?',
  about:
    'Count, missing ones, mean, standard deviation (n - 1), least and greatest, quartiles (linear between values, type 7 of Hyndman and Fan 1996), skewness and excess kurtosis (by moments, n) of columns of numbers, of all rows or by the groups of a column. Missing values are left out; rows without a group are a group of their own.',
  keywords: [
    'summary',
    'descriptive statistics',
    'mean',
    'median',
    'standard deviation',
    'quartiles',
    'skewness',
    'by group',
  ],
  sources: ['Hyndman and Fan 1996, doi:10.2307/2684934 (quartiles)'],
  inputs: { data: input.table({ label: 'Features or table', or: 'features' }) },
  params: z.object({
    columns: valuesParam({
      label: 'Columns',
      of: 'data',
      help: 'None chosen: all with numbers.',
    }).optional(),
    by: column({ label: 'By the groups of', of: 'data' }).optional(),
  }),
  outputs: { summary: shown(output.table('Summary', 'summary'), { first: true }) },
  figures: { rows: { label: 'Rows' } },
  checks: ({ data }, p) => numberChecks(columnsOf(data), p.columns, 'columns', 1),
  estimate: ({ data }) => {
    const { count } = kindOf(data).rows!(data);
    return { cells: count, of: 'rows', bytes: count * 40, seconds: 0.05 + count / 1e6 };
  },
  run: ({ data }, p, job) => {
    const all = numberColumns(data, p.columns, 'columns');
    const { names, of } = groupsOf(data.columns, p.by);
    if (names.length > MOST_GROUPS)
      job.note('look', 'stats.groups', `"${p.by!}" has ${plural(names.length, 'group')}; is it a name of each row?`);
    const rows: { group: string; column: Column; values: Float64Array; missing: number }[] = [];
    all.forEach((c, k) => {
      job.progress(k / all.length, c.name);
      const parts = names.map(() => [] as number[]);
      const missing = new Float64Array(names.length);
      (c.values as Float64Array).forEach((v, i) => {
        const g = of ? of[i]! : 0;
        if (v !== v || c.missing?.[i]) missing[g]!++;
        else parts[g]!.push(v);
      });
      names.forEach((group, g) =>
        rows.push({ group, column: c, values: Float64Array.from(parts[g]!).sort(), missing: missing[g]! }),
      );
    });
    const stats = rows.map((r) => momentsAbout(r.values));
    const at = (share: number): number[] => rows.map((r) => quantileSorted(r.values, share));
    return {
      summary: {
        kind: 'table' as const,
        columns: [
          textColumn(
            'column',
            rows.map((r) => r.column.name),
          ),
          ...(p.by
            ? [
                textColumn(
                  'group',
                  rows.map((r) => r.group),
                ),
              ]
            : []),
          textColumn(
            'unit',
            rows.map((r) => r.column.unit ?? ''),
          ),
          numberColumn(
            'count',
            rows.map((r) => r.values.length),
          ),
          numberColumn(
            'missing',
            rows.map((r) => r.missing),
          ),
          numberColumn(
            'mean',
            stats.map((s) => s.mean),
          ),
          numberColumn(
            'sd',
            stats.map((s) => s.sd),
          ),
          numberColumn('min', at(0)),
          numberColumn('q25', at(0.25)),
          numberColumn('median', at(0.5)),
          numberColumn('q75', at(0.75)),
          numberColumn('max', at(1)),
          numberColumn(
            'skewness',
            stats.map((s) => s.skewness),
          ),
          numberColumn(
            'kurtosis',
            stats.map((s) => s.kurtosis),
          ),
        ],
      },
      figures: { rows: data.columns[0]?.values.length ?? 0 },
    };
  },
});

/** The groups that a column has, in order, and that of each row. */
function groupsOf(columns: readonly Column[], by: string | undefined): { names: string[]; of: Uint32Array | null } {
  const c = by === undefined ? undefined : columns.find((o) => o.name === by);
  if (!c) return { names: [''], of: null };
  const text = (i: number): string => (c.missing?.[i] ? '' : String(c.values[i]!));
  const names = [...new Set(Array.from({ length: c.values.length }, (_, i) => text(i)))].sort((a, b) =>
    a.localeCompare(b, 'en', { numeric: true }),
  );
  const number = new Map(names.map((name, k) => [name, k]));
  return { names, of: Uint32Array.from({ length: c.values.length }, (_, i) => number.get(text(i))!) };
}

/** Mean, standard deviation (n - 1), skewness and excess kurtosis by moments (n); NaN where too few values say it. */
export function momentsAbout(values: ArrayLike<number>): {
  mean: number;
  sd: number;
  skewness: number;
  kurtosis: number;
} {
  const n = values.length;
  let mean = 0;
  for (let i = 0; i < n; i++) mean += values[i]! / n;
  let [m2, m3, m4] = [0, 0, 0];
  for (let i = 0; i < n; i++) {
    const d = values[i]! - mean;
    m2 += d * d;
    m3 += d * d * d;
    m4 += d * d * d * d;
  }
  const varies = m2 > 0;
  return {
    mean: n ? mean : NaN,
    sd: n > 1 ? Math.sqrt(m2 / (n - 1)) : NaN,
    skewness: varies ? m3 / n / (m2 / n) ** 1.5 : NaN,
    kurtosis: varies ? m4 / n / (m2 / n) ** 2 - 3 : NaN,
  };
}
