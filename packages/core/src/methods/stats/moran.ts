import * as z from 'zod';
import { columnsOf } from '../../data/kinds';
import { besideColumns, type Column } from '../../data/features';
import { formatNumber } from '../../data/number-words';
import { numberColumn } from '../../data/table';
import { defineMethod, output, shown } from '../../method/define';
import { centred, moran as moranOf, moranBetween, standard } from '../../numeric/autocorrelation';
import { lagged } from '../../numeric/sparse-rows';
import { ASSOCIATION_COLOURS, quarterOf, spread, wordsColumn } from './clusters';
import { chanceOf, chanceTable, measured, permutationsParam, pOf } from './global';
import { neighbourChecks, neighbourParams, sampleOf, weightsFor } from './neighbours';
import { valueChecks, valueParam, valuesOf } from './values';

export const moran = defineMethod({
  id: 'stats.moran',
  version: 1,
  title: "Moran's I",
  question: 'Are like values neighbours?',
  about:
    "Moran's I: how the values of features go together with the mean of their neighbours', as the slope of one over the other. Mean and variance are those under randomisation; p by the normal distribution, both sides, and by shuffling the values over the features (the share of shuffles that come out at least as high). With another column, its neighbours' values are held against the first (bivariate; the other is shuffled). Features without a value or without neighbours are left out.",
  keywords: [
    'spatial autocorrelation',
    'moran',
    'bivariate moran',
    'moran scatterplot',
    'clustered',
    'dispersed',
    'random',
  ],
  sources: [
    'Moran 1950, doi:10.1093/biomet/37.1-2.17',
    'Cliff and Ord 1981, Spatial Processes',
    'Anselin 1996 (scatter)',
  ],
  inputs: measured,
  params: z.object({
    column: valueParam({ label: 'Column or formula', of: 'features' }),
    other: valueParam({ label: 'Neighbours by', of: 'features', help: 'Empty: by the same column.' }).optional(),
    permutations: permutationsParam(),
    ...neighbourParams(),
  }),
  outputs: {
    scatter: shown(output.features('Value and neighbours', 'value and neighbours'), {
      features: {
        by: { kind: 'category', column: '*quadrant', colours: ASSOCIATION_COLOURS },
        fill: 1,
        width: 0.5,
        outline: '#fbf8f2',
      },
      panel: { id: 'quarters', of: 'chance', title: 'Like values are neighbours' },
      first: true,
    }),
    chance: shown(output.table('By chance', 'by chance'), { panel: { id: 'chance', title: 'By chance alone' } }),
  },
  named: (_, p, role) =>
    `${p.column}${p.other ? ` against ${p.other}` : ''} ${role === 'chance' ? 'by chance' : 'and neighbours'}`,
  random: 'the shuffles',
  figures: {
    i: { label: 'I' },
    expected: { label: 'Expected' },
    variance: { label: 'Variance' },
    z: { label: 'z' },
    p: { label: 'p, normal' },
    pPermutation: { label: 'p, by shuffles' },
  },
  checks: ({ features, weights }, p) => [
    ...valueChecks(columnsOf(features), [p.column], 'column'),
    ...valueChecks(columnsOf(features), [p.other], 'other'),
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
    const y = p.other === undefined ? null : valuesOf(features, p.other, 'other');
    const { rows: all } = await weightsFor(features, weights, p, job);
    const s = sampleOf(all, y ? [x, y] : [x], job);
    const [own, other] = [s.values[0]!, s.values[1] ?? null];
    const m = other ? moranBetween(s.rows, own, other) : moranOf(s.rows, own);
    const draws = await chanceOf(
      s.rows,
      other ? 'between' : 'moran',
      other ? standard(own) : centred(own),
      other && standard(other),
      p.permutations,
      job,
    );
    const pPermutation = pOf(m.value, draws, 1);
    if (m.value < m.expected)
      job.note(
        'info',
        'stats.unlike',
        `Neighbours are less alike than by chance: the share of shuffles that come out at least as low is ${formatNumber(pOf(m.value, draws, -1))}.`,
      );
    const lag = lagged(s.rows, other ?? own);
    const [z, lz] = [centred(own), other ? lag.map((v) => v - mean(other)) : lag.map((v) => v - mean(own))];
    const columns: Column[] = [
      numberColumn('value', spread(s, own), x.unit),
      numberColumn('lag', spread(s, lag), (y ?? x).unit),
      wordsColumn('quadrant', s, (k) => quarterOf(z[k]!, lz[k]!)),
    ];
    return {
      scatter: { ...features, columns: besideColumns(features.columns, columns) },
      chance: chanceTable('i', m.value, draws),
      figures: { i: m.value, expected: m.expected, variance: m.variance, z: m.z, p: m.p, pPermutation },
    };
  },
});

const mean = (v: Float64Array): number => v.reduce((s, a) => s + a, 0) / v.length;
