import * as z from 'zod';
import { HelkError } from '../../errors';
import { columnsOf } from '../../data/kinds';
import {
  besideColumns,
  featureCount,
  takeColumn,
  type Column,
  type ColumnInfo,
  type Features,
} from '../../data/features';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { column } from '../../method/params';
import { meantColours } from '../../render/meanings';
import { elsewhere, middles } from '../../numeric/middles';
import { ALONE, ASSOCIATION_COLOURS, GATHERING_COLOURS, NOT_SIGNIFICANT } from './clusters';

/** Classes in the order in which they are told. */
const ORDER = [
  ...Object.keys(ASSOCIATION_COLOURS).slice(0, 4),
  ...Object.keys(GATHERING_COLOURS).slice(0, 2),
  NOT_SIGNIFICANT,
  ALONE,
];
const rank = (c: string): number => (ORDER.includes(c) ? ORDER.indexOf(c) : ORDER.length);

const classes = (columns: readonly ColumnInfo[]): ColumnInfo[] => columns.filter((c) => c.type === 'text');
/** The column of classes that a run made: the last that is called so. */
const usual = (columns: readonly ColumnInfo[]): string | undefined =>
  classes(columns).findLast((c) => c.name.includes('cluster'))?.name;

export const compareClusters = defineMethod({
  id: 'stats.compareClusters',
  version: 1,
  title: 'Clusters compared',
  question: 'How do the clusters of two runs differ?',
  about:
    'Classes of the same features from two runs (other years, distances, weights) held against each other: a table of which became which, and a map of what stayed, what changed, what came and what went. Two columns of one dataset may be compared as well. Features are the same where they stand in the same order at the same places.',
  keywords: ['cluster change', 'years', 'sensitivity', 'transition', 'stable clusters', 'agreement'],
  sources: ['common practice, no source'],
  inputs: {
    a: input.features({ label: 'Clusters, before' }),
    b: input.features({ label: 'Clusters, after' }),
  },
  params: z.object({
    aColumn: column({ label: 'Class before', of: 'a' }).optional(),
    bColumn: column({ label: 'Class after', of: 'b' }).optional(),
  }),
  outputs: {
    changes: shown(output.features('Clusters compared', 'compared'), {
      features: {
        by: {
          kind: 'category',
          column: '*change',
          colours: meantColours('same', 'other', 'came', 'went', NOT_SIGNIFICANT),
        },
        fill: 1,
        width: 0.5,
        outline: '#fbf8f2',
      },
    }),
    matrix: shown(output.table('Which became which', 'which became which'), {
      panel: { id: 'crossing', of: 'changes', title: 'Which became which' },
      first: true,
    }),
  },
  figures: {
    same: { label: 'The same' },
    sameShare: { label: 'Share', unit: 'share' },
    came: { label: 'Came' },
    went: { label: 'Went' },
    other: { label: 'Of another kind' },
  },
  checks: ({ a, b }, p) => {
    const refused = (about: string, message: string) => [
      { level: 'refused' as const, code: 'clusters.compare', about, message },
    ];
    if (a.count !== b.count)
      return refused(
        'b',
        `These are ${a.count} features and those ${b.count}: clusters of the same features are wanted.`,
      );
    for (const [role, info, name] of [
      ['a', a, p.aColumn],
      ['b', b, p.bColumn],
    ] as const) {
      const all = columnsOf(info);
      if (name !== undefined && !classes(all).some((c) => c.name === name))
        return refused(`${role}Column`, `There is no column of classes "${name}".`);
      if (name === undefined && usual(all) === undefined)
        return refused(role, 'There is no column of clusters; choose one of classes.');
    }
    return [];
  },
  suggest: ({ a, b }) => ({
    ...(usual(columnsOf(a)) ? { aColumn: { value: usual(columnsOf(a)), reason: 'the last that a run made' } } : {}),
    ...(usual(columnsOf(b)) ? { bColumn: { value: usual(columnsOf(b)), reason: 'the last that a run made' } } : {}),
  }),
  estimate: ({ a }) => ({ cells: a.count, of: 'features', bytes: a.count * 400, seconds: 0.1 + a.count / 1e6 }),
  run: ({ a, b }, p) => {
    sameFeatures(a, b);
    const [ca, cb] = [classColumn(a, p.aColumn), classColumn(b, p.bColumn)];
    const n = featureCount(a);
    const text = (c: Column, i: number): string | null => (c.missing?.[i] ? null : (c.values as string[])[i]!);
    const none = (v: string): boolean => v === NOT_SIGNIFICANT || v === ALONE;
    const counts = new Map<string, number>();
    const change: (string | null)[] = [];
    const tally = { same: 0, other: 0, came: 0, went: 0, [NOT_SIGNIFICANT]: 0 };
    for (let i = 0; i < n; i++) {
      const [u, v] = [text(ca, i), text(cb, i)];
      if (u === null || v === null) {
        change.push(null);
        continue;
      }
      const key = JSON.stringify([u, v]);
      counts.set(key, (counts.get(key) ?? 0) + 1);
      const how =
        none(u) && none(v) ? NOT_SIGNIFICANT : none(u) ? 'came' : none(v) ? 'went' : u === v ? 'same' : 'other';
      tally[how]++;
      change.push(how);
    }
    const both = Object.values(tally).reduce((s, v) => s + v, 0);
    if (!both) throw new HelkError('method.input', 'No feature has a class in both.', 'b');
    const names = [...new Set([...counts.keys()].flatMap((k) => JSON.parse(k) as string[]))].sort(
      (x, y) => rank(x) - rank(y) || x.localeCompare(y, 'en'),
    );
    const missing = Uint8Array.from(change, (v) => (v === null ? 1 : 0));
    const all = Array.from({ length: n }, (_, i) => i);
    return {
      changes: {
        ...a,
        columns: besideColumns(a.columns, [
          { ...takeColumn(ca, all), name: 'before' },
          { ...takeColumn(cb, all), name: 'after' },
          {
            ...textColumn(
              'change',
              change.map((v) => v ?? ''),
            ),
            ...(missing.includes(1) ? { missing } : {}),
          },
        ]),
      },
      matrix: {
        kind: 'table' as const,
        columns: [
          textColumn('before', names),
          ...names.map((to) =>
            numberColumn(
              to === 'before' ? 'before (class)' : to,
              names.map((from) => counts.get(JSON.stringify([from, to])) ?? 0),
            ),
          ),
        ],
      },
      figures: {
        same: tally.same + tally[NOT_SIGNIFICANT],
        sameShare: (tally.same + tally[NOT_SIGNIFICANT]) / both,
        came: tally.came,
        went: tally.went,
        other: tally.other,
      },
    };
  },
});

function classColumn(f: Features, name: string | undefined): Column {
  const c = f.columns.find((o) => o.name === (name ?? usual(f.columns)));
  if (c?.type !== 'text')
    throw new HelkError('method.parameter', `There is no column of classes "${name ?? 'cluster'}".`);
  return c;
}

/** @throws HelkError `method.input` where two sets are not the same features in the same order */
function sameFeatures(a: Features, b: Features): void {
  if (elsewhere(middles(a), middles(b)))
    throw new HelkError(
      'method.input',
      'These are not the same features in the same order; clusters can be compared only where they are.',
      'b',
    );
}
