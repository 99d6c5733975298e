import * as z from 'zod';
import { columnsOf } from '../../data/kinds';
import { defineMethod, output, shown } from '../../method/define';
import { centred, geary as gearyOf } from '../../numeric/autocorrelation';
import { chanceOf, chanceTable, measured, permutationsParam, pOf } from './global';
import { neighbourChecks, neighbourParams, sampleOf, weightsFor } from './neighbours';
import { valueChecks, valueParam, valuesOf } from './values';

export const geary = defineMethod({
  id: 'stats.geary',
  version: 1,
  title: "Geary's c",
  question: 'Do neighbours differ less than others?',
  about:
    "Geary's c: squared differences between neighbours over those between all. Below 1 where neighbours are alike, above where they are unlike. Mean and variance under randomisation; p by the normal distribution, both sides, and by shuffling (the share of shuffles that come out at least as low). z is below 0 where neighbours are alike. Features without a value or without neighbours are left out.",
  keywords: ['spatial autocorrelation', 'geary', 'differences', 'contiguity ratio'],
  sources: ['Geary 1954, doi:10.2307/2986645', 'Cliff and Ord 1981, Spatial Processes'],
  inputs: measured,
  params: z.object({
    column: valueParam({ label: 'Column or formula', of: 'features' }),
    permutations: permutationsParam(),
    ...neighbourParams(),
  }),
  outputs: {
    chance: shown(output.table('By chance', 'by chance'), { panel: { id: 'chance', title: 'By chance alone' } }),
  },
  named: (_, p) => `${p.column}, differences by chance`,
  random: 'the shuffles',
  figures: {
    c: { label: 'c' },
    expected: { label: 'Expected' },
    variance: { label: 'Variance' },
    z: { label: 'z' },
    p: { label: 'p, normal' },
    pPermutation: { label: 'p, by shuffles' },
  },
  checks: ({ features, weights }, p) => [
    ...valueChecks(columnsOf(features), [p.column], 'column'),
    ...neighbourChecks(features, weights, p),
  ],
  estimate: ({ features, weights }, p) => ({
    cells: features.count * p.permutations,
    of: 'shuffled values',
    bytes: features.count * 1000 + (weights?.links ?? 0) * 40,
    seconds: 0.2 + (features.count * p.permutations) / 2e7,
  }),
  run: async ({ features, weights }, p, job) => {
    const x = valuesOf(features, p.column, 'column');
    const { rows } = await weightsFor(features, weights, p, job);
    const s = sampleOf(rows, [x], job);
    const m = gearyOf(s.rows, s.values[0]!);
    const draws = await chanceOf(s.rows, 'geary', centred(s.values[0]!), null, p.permutations, job);
    return {
      chance: chanceTable('c', m.value, draws),
      figures: {
        c: m.value,
        expected: m.expected,
        variance: m.variance,
        z: m.z,
        p: m.p,
        pPermutation: pOf(m.value, draws, -1),
      },
    };
  },
});
