import * as z from 'zod';
import { besideColumns, featureCount, takeColumn } from '../../data/features';
import { columnsOf, kindOf } from '../../data/kinds';
import { defineMethod, input, output } from '../../method/define';
import { column } from '../../method/params';
import { columnChecks, columnOf } from './common';
import { plural } from '../../data/check';

/** Numbers and texts that read as the same number are alike: a key of 7 finds "7", and "07" does not. */
const keyText = (v: number | string): string => String(v).trim();

export const join = defineMethod({
  id: 'features.join',
  version: 1,
  title: 'Join a table',
  question: 'What does a table say of these features?',
  about:
    'Columns of a table put beside those of the features wherever the keys are alike. Every feature stays; without a match the new columns are missing. Where several rows have one key the first is taken, and that is said.',
  keywords: ['attribute join', 'link', 'lookup', 'merge table', 'key'],
  sources: ['common practice, no source'],
  inputs: {
    features: input.features({ label: 'Features' }),
    table: input.table({ label: 'Table', or: 'features' }),
  },
  params: z.object({
    key: column({ label: 'Key of the features', of: 'features' }),
    tableKey: column({ label: 'Key of the table', of: 'table' }),
  }),
  outputs: { joined: output.features('Joined') },
  figures: { matched: { label: 'Features with a match' }, unmatched: { label: 'Features without' } },
  checks: ({ features, table }, p) => [
    ...columnChecks(features, [p.key], 'key'),
    ...columnChecks(table, [p.tableKey], 'tableKey'),
  ],
  suggest: ({ features, table }, p) => {
    const columns = columnsOf(table);
    const both = features.columns.find((c) => columns.some((t) => t.name.toLowerCase() === c.name.toLowerCase()));
    const other = both && columns.find((t) => t.name.toLowerCase() === both.name.toLowerCase());
    return {
      key: both && { value: both.name, reason: 'both have a column of this name' },
      tableKey: p.key && !other ? undefined : other && { value: other.name, reason: 'both have a column of this name' },
    };
  },
  estimate: ({ features, table }) => {
    const { count } = kindOf(table).rows!(table);
    return { cells: features.count, bytes: (features.count + count) * 200, seconds: (features.count + count) / 1e6 };
  },
  run: ({ features, table }, p, job) => {
    const key = columnOf(features.columns, p.key, 'key');
    const tableKey = columnOf(table.columns, p.tableKey, 'tableKey');
    const rows = new Map<string, number>();
    let doubled = 0;
    for (let i = 0; i < tableKey.values.length; i++) {
      if (tableKey.missing?.[i]) continue;
      const k = keyText(tableKey.values[i]!);
      if (rows.has(k)) doubled++;
      else rows.set(k, i);
    }
    const n = featureCount(features);
    const found = Int32Array.from({ length: n }, (_, i) =>
      key.missing?.[i] ? -1 : (rows.get(keyText(key.values[i]!)) ?? -1),
    );
    const matched = found.reduce((s, r) => s + (r >= 0 ? 1 : 0), 0);
    const idle = rows.size - new Set(found.filter((r) => r >= 0)).size;
    if (doubled)
      job.note(
        'look',
        'join.doubled',
        `${plural(doubled, 'row')} of the table repeat a key; the first of each was taken.`,
      );
    if (idle) job.note('look', 'join.idle', `${plural(idle, 'key')} of the table belong to no feature.`);
    if (matched === 0) job.note('look', 'join.none', 'No key fits: are these the right columns, and written alike?');
    const columns = table.columns.filter((c) => c !== tableKey).map((c) => takeColumn(c, found));
    return {
      joined: { ...features, columns: besideColumns(features.columns, columns) },
      figures: { matched, unmatched: n - matched },
    };
  },
});
