import * as z from 'zod';
import { HelkError } from '../../errors';
import { takeFeatures } from '../../data/features';
import { compile } from '../../formula/compile';
import { namesOfColumns, rowsWhere } from '../../formula/over-features';
import { FormulaError, parseFormula } from '../../formula/parse';
import { defineMethod, input, output, shown } from '../../method/define';
import { LONG_TEXT, text } from '../../method/params';

/** `3, 7-12` as rows, counted from 1; null for an empty text. @throws HelkError for what is no such list */
export function readRows(text: string, count: number): Uint8Array | null {
  if (!text.trim()) return null;
  const out = new Uint8Array(count);
  for (const part of text.split(/[,;\s]+/).filter(Boolean)) {
    const m = /^(\d+)(?:-(\d+))?$/.exec(part);
    const from = Number(m?.[1]);
    const to = Number(m?.[2] ?? m?.[1]);
    if (!m || from < 1 || to < from || to > count)
      throw new HelkError(
        'method.parameter',
        `rows: "${part}" is no number between 1 and ${count}, nor a range like 7-12.`,
        'rows',
      );
    out.fill(1, from - 1, to);
  }
  return out;
}

/** Picked rows in the shortest such text. */
export function writeRows(rows: Uint8Array): string {
  const out: string[] = [];
  for (let i = 0; i < rows.length; i++) {
    if (!rows[i]) continue;
    let to = i;
    while (rows[to + 1]) to++;
    out.push(to > i ? `${i + 1}-${to + 1}` : String(i + 1));
    i = to;
  }
  return out.join(', ');
}

export const subset = defineMethod({
  id: 'features.subset',
  version: 1,
  title: 'Subset',
  question: 'Which features are wanted?',
  about:
    'The features for which a condition holds, with all their columns; the others stay where they are. A condition that is missing for a feature counts as no. Names of columns, numbers, texts in quotes, comparison, && || !, area(unit), length(unit), x(), y().',
  keywords: ['select', 'filter', 'query', 'where', 'selection', 'exclude'],
  sources: ['ECMA-262 (grammar of expressions)'],
  inputs: { features: input.features({ label: 'Features' }) },
  params: z.object({
    where: text({ label: 'Condition', help: 'Like area(ha) > 20 && class == "moor".', widget: 'formula' }).default(
      'true',
    ),
    rows: text({
      label: 'Features by number',
      help: 'As they were picked, like 3, 7-12; empty for all.',
      most: LONG_TEXT,
    }).default(''),
  }),
  preview: { kind: 'rows', input: 'features', param: 'where' },
  serves: 'keep picked',
  outputs: { subset: shown(output.features('Subset', undefined, { as: 'features' }), { like: 'features' }) },
  figures: { kept: { label: 'Kept' }, dropped: { label: 'Left out' } },
  checks: ({ features }, p) => {
    if (compile(parseFormula(p.where), namesOfColumns(features.columns, true)).type === 'text')
      throw new FormulaError('A choice of features needs a condition, like area(ha) > 20; this gives a text.', 0);
    return [];
  },
  estimate: ({ features }) => ({ cells: features.count, bytes: features.count * 400, seconds: features.count / 1e6 }),
  run: ({ features }, p, job) => {
    const yes = rowsWhere(features, p.where);
    const picked = readRows(p.rows, yes.length);
    const rows: number[] = [];
    for (let i = 0; i < yes.length; i++) if (yes[i] && picked?.[i] !== 0) rows.push(i);
    if (rows.length === 0) job.note('look', 'subset.empty', 'The condition holds for no feature.');
    return { subset: takeFeatures(features, rows), figures: { kept: rows.length, dropped: yes.length - rows.length } };
  },
});
