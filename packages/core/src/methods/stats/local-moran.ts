import * as z from 'zod';
import { columnsOf } from '../../data/kinds';
import { besideColumns } from '../../data/features';
import { numberColumn } from '../../data/table';
import { defineMethod, output, shown } from '../../method/define';
import { centred } from '../../numeric/autocorrelation';
import { adjusted, localMoranOf } from '../../numeric/local-association';
import { lagged } from '../../numeric/sparse-rows';
import {
  ALONE,
  ASSOCIATION_COLOURS,
  chanceChecks,
  conditionalOf,
  falseAlarms,
  NOT_SIGNIFICANT,
  quarterOf,
  significanceParams,
  spread,
  tally,
  wordsColumn,
} from './clusters';
import { measured, permutationsParam } from './global';
import { neighbourChecks, neighbourParams, sampleOf, weightsFor } from './neighbours';
import { valueChecks, valueParam, valuesOf } from './values';

export const localMoran = defineMethod({
  id: 'stats.localMoran',
  version: 1,
  title: 'Local Moran',
  question: 'Where are the clusters and the odd ones out?',
  about:
    'For each feature whether it and its neighbours are high together, low together, or unlike (high among low, low among high), and how likely as much is by chance. I is by the variance by n; p by conditional shuffles, folded: each feature keeps its value, its neighbours’ are drawn from all others. What is not significant is kept apart. With a correction for many tests the corrected p decides, and stands in a column of its own.',
  keywords: [
    'lisa',
    'local indicators',
    'cluster map',
    'outliers',
    'hot spot',
    'cold spot',
    'anselin',
    'high-high',
    'local moran',
  ],
  sources: [
    'Anselin 1995, doi:10.1111/j.1538-4632.1995.tb00338.x',
    'Benjamini and Hochberg 1995, doi:10.1111/j.2517-6161.1995.tb02031.x',
  ],
  inputs: measured,
  params: z.object({
    column: valueParam({ label: 'Column or formula', of: 'features' }),
    permutations: permutationsParam(),
    ...significanceParams,
    ...neighbourParams(),
  }),
  outputs: {
    clusters: shown(output.features('Clusters', 'clusters'), {
      features: {
        by: { kind: 'category', column: '*cluster', colours: ASSOCIATION_COLOURS },
        fill: 1,
        width: 0.5,
        outline: '#fbf8f2',
      },
      panel: { id: 'quarters', title: 'A place and its neighbours' },
      first: true,
    }),
  },
  named: (_, p) => `Clusters of ${p.column}`,
  random: 'the shuffles',
  figures: {
    highHigh: { label: 'High among high' },
    lowLow: { label: 'Low among low' },
    highLow: { label: 'High among low' },
    lowHigh: { label: 'Low among high' },
    notSignificant: { label: 'Not significant' },
  },
  checks: ({ features, weights }, p) => [
    ...valueChecks(columnsOf(features), [p.column], 'column'),
    ...neighbourChecks(features, weights, p),
    ...chanceChecks(features.count, p),
  ],
  estimate: ({ features, weights }, p) => ({
    cells: features.count * p.permutations,
    of: 'shuffled places',
    bytes: features.count * 1500 + (weights?.links ?? 0) * 40,
    seconds: 0.2 + (features.count * p.permutations * ((weights?.mean ?? 6) + 1)) / 1e8,
  }),
  run: async ({ features, weights }, p, job) => {
    const x = valuesOf(features, p.column, 'column');
    const { rows } = await weightsFor(features, weights, p, job);
    const s = sampleOf(rows, [x], job, true);
    const z = centred(s.values[0]!);
    const variance = z.reduce((a, v) => a + v * v, 0) / z.length;
    const i = localMoranOf(s.rows, z, variance);
    const lag = lagged(s.rows, z);
    const chance = await conditionalOf(s.rows, z, p.permutations, job);
    const decisive = adjusted(chance, p.correction);
    const alone = (k: number): boolean => chance[k] !== chance[k];
    const words = Array.from(z, (v, k) =>
      alone(k) ? ALONE : decisive[k]! <= p.significance ? quarterOf(v, lag[k]!) : NOT_SIGNIFICANT,
    );
    const counts = tally(words);
    const tests = z.length - (counts.get(ALONE) ?? 0);
    falseAlarms(tests - (counts.get(NOT_SIGNIFICANT) ?? 0), tests, p, job);
    const lagOf = lagged(s.rows, s.values[0]!);
    const own = (name: string, values: ArrayLike<number>, unit: string | null = null) =>
      numberColumn(
        `${p.prefix}${name}`,
        spread(
          s,
          Array.from(values, (v, k) => (alone(k) ? NaN : v)),
        ),
        unit,
      );
    return {
      clusters: {
        ...features,
        columns: besideColumns(features.columns, [
          ...(features.columns.some((c) => c.name === p.column)
            ? []
            : [numberColumn(`${p.prefix}value`, x.values, x.unit)]),
          own('i', i),
          own('lag', lagOf, x.unit),
          own('p', chance),
          ...(p.correction === 'none' ? [] : [own('p_corrected', decisive)]),
          wordsColumn(`${p.prefix}cluster`, s, (k) => words[k]!),
        ]),
      },
      figures: {
        highHigh: counts.get('high-high') ?? 0,
        lowLow: counts.get('low-low') ?? 0,
        highLow: counts.get('high-low') ?? 0,
        lowHigh: counts.get('low-high') ?? 0,
        notSignificant: counts.get(NOT_SIGNIFICANT) ?? 0,
      },
    };
  },
});
