import * as z from 'zod';
import { HelkError } from '../../errors';
import { columnsOf } from '../../data/kinds';
import { defineMethod } from '../../method/define';
import { generalG } from '../../numeric/autocorrelation';
import { withoutSelf } from '../../numeric/sparse-rows';
import { measured } from './global';
import { neighbourChecks, neighbourParams, sampleOf, weightsFor } from './neighbours';
import { valueChecks, valueParam, valuesOf } from './values';

export const globalG = defineMethod({
  id: 'stats.globalG',
  version: 1,
  title: 'General G',
  question: 'Do high values gather, or low ones?',
  about:
    'The share that products of neighbouring values have in the products of all pairs: more than expected where high values lie together, less where low ones do, which Moran’s I does not tell apart. Weights count as they are, 1 for each neighbour unless told otherwise. Values must not be below 0. Mean and variance under randomisation, p by the normal distribution, both sides. Features without a value or without neighbours are left out.',
  keywords: ['getis', 'ord', 'general g', 'hot spots', 'high-low clustering', 'concentration'],
  sources: ['Getis and Ord 1992, doi:10.1111/j.1538-4632.1992.tb00261.x'],
  inputs: measured,
  params: z.object({
    column: valueParam({ label: 'Column or formula', of: 'features' }),
    ...neighbourParams(false),
  }),
  outputs: {},
  figures: {
    g: { label: 'G' },
    expected: { label: 'Expected' },
    variance: { label: 'Variance' },
    z: { label: 'z' },
    p: { label: 'p, normal' },
  },
  checks: ({ features, weights }, p) => [
    ...valueChecks(columnsOf(features), [p.column], 'column'),
    ...neighbourChecks(features, weights, p),
    ...(weights?.self
      ? [
          {
            level: 'look' as const,
            code: 'weights.self',
            about: 'weights',
            message: 'The weights hold each place itself; G is of others only, so those links do not count.',
          },
        ]
      : []),
  ],
  estimate: ({ features, weights }) => ({
    cells: features.count,
    of: 'features',
    bytes: features.count * 1000 + (weights?.links ?? 0) * 40,
    seconds: 0.2 + features.count / 1e5,
  }),
  run: async ({ features, weights }, p, job) => {
    const x = valuesOf(features, p.column, 'column');
    const below = x.values.find((v) => v < 0);
    if (below !== undefined)
      throw new HelkError(
        'method.input',
        `"${p.column}" has values below 0 (${below}): a share of products is not defined for them. Take a column that has none.`,
        'column',
      );
    const { rows } = await weightsFor(features, weights, p, job);
    const s = sampleOf(withoutSelf(rows), [x], job);
    const m = generalG(s.rows, s.values[0]!);
    return { figures: { g: m.value, expected: m.expected, variance: m.variance, z: m.z, p: m.p } };
  },
});
