import * as z from 'zod';
import { HelkError } from '../../errors';
import type { Column } from '../../data/features';
import { numberColumn } from '../../data/table';
import { compile } from '../../formula/compile';
import { evaluateOver, namesOfColumns } from '../../formula/over-features';
import { parseFormula } from '../../formula/parse';
import { defineMethod, input, output, shown } from '../../method/define';
import { text } from '../../method/params';
import type { Check } from '../../data/check';

export const calculate = defineMethod({
  id: 'features.calculate',
  version: 1,
  title: 'Calculate a column',
  question: 'What follows from the columns there are?',
  about:
    'A new column worked out by a formula for every feature; a column of the same name is replaced, the others stay. Missing in, missing out, but for isMissing, coalesce and the branch of a choice that is not taken. Infinite results are missing.',
  keywords: ['field', 'column', 'attribute', 'compute', 'formula', 'rate', 'density'],
  sources: ['ECMA-262 (grammar of expressions)'],
  inputs: { features: input.features({ label: 'Features' }) },
  params: z.object({
    column: text({ label: 'Name of the column' }),
    formula: text({ label: 'Formula', help: 'Like people / area(km2), or upper(name).', widget: 'formula' }),
    unit: text({ label: 'Unit', help: 'Like ha; empty when it has none.' }).default(''),
  }),
  serves: 'add a column',
  preview: { kind: 'values', input: 'features', param: 'formula' },
  outputs: { features: shown(output.features('With column', undefined, { as: 'features' }), { like: 'features' }) },
  named: ({ features: [name] = ['Features'] }, p) => `${name}, new ${p.column}`,
  figures: { missing: { label: 'Missing values' } },
  checks: ({ features }, p): Check[] => {
    if (!p.column.trim()) throw new HelkError('method.parameter', 'column: the new column needs a name.', 'column');
    compile(parseFormula(p.formula), namesOfColumns(features.columns, true));
    return features.columns.some((c) => c.name === p.column)
      ? [
          {
            level: 'look',
            code: 'column.replaced',
            about: 'column',
            message: `There is a column "${p.column}" already; the result holds the new one in its place.`,
          },
        ]
      : [];
  },
  estimate: ({ features }) => ({ cells: features.count, bytes: features.count * 16, seconds: features.count / 2e6 }),
  run: ({ features }, p) => {
    const v = evaluateOver(features, p.formula);
    let made: Column;
    if (v instanceof Float64Array)
      made = numberColumn(
        p.column,
        v.map((x) => (Number.isFinite(x) ? x : NaN)),
        p.unit || null,
      );
    else {
      const missing = Uint8Array.from(v, (x) => (x === null ? 1 : 0));
      made = {
        name: p.column,
        type: 'text',
        unit: null,
        values: v.map((x) => x ?? ''),
        ...(missing.includes(1) ? { missing } : {}),
      };
    }
    const at = features.columns.findIndex((c) => c.name === p.column);
    const columns = at < 0 ? [...features.columns, made] : features.columns.map((c, i) => (i === at ? made : c));
    return {
      features: { ...features, columns },
      figures: { missing: made.missing?.reduce((s, m) => s + m, 0) ?? 0 },
    };
  },
});
