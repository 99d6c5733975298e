import { z } from 'zod';
import { takeFeatures } from '../../data/features';
import { compile } from '../../formula/compile';
import { namesOfColumns, rowsWhere } from '../../formula/over-features';
import { FormulaError, parseFormula } from '../../formula/parse';
import { defineMethod, input, output } from '../../method/define';
import { text } from '../../method/params';

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
    where: text({ label: 'Condition', help: 'Like area(ha) > 20 && class == "moor".', editor: 'formula' }),
  }),
  outputs: { subset: output.features('Subset') },
  figures: { kept: { label: 'Kept' }, dropped: { label: 'Left out' } },
  checks: ({ features }, p) => {
    if (compile(parseFormula(p.where), namesOfColumns(features.columns, true)).type === 'text')
      throw new FormulaError('A choice of features needs a condition, like area(ha) > 20; this gives a text.', 0);
    return [];
  },
  estimate: ({ features }) => ({ cells: features.count, bytes: features.count * 400, seconds: features.count / 1e6 }),
  run: ({ features }, p, job) => {
    const yes = rowsWhere(features, p.where);
    const rows: number[] = [];
    for (let i = 0; i < yes.length; i++) if (yes[i]) rows.push(i);
    if (rows.length === 0) job.note('look', 'subset.empty', 'The condition holds for no feature.');
    return { subset: takeFeatures(features, rows), figures: { kept: rows.length, dropped: yes.length - rows.length } };
  },
});
