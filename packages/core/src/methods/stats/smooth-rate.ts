import * as z from 'zod';
import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import { columnsOf } from '../../data/kinds';
import { besideColumns } from '../../data/features';
import { numberColumn } from '../../data/table';
import { defineMethod, output, shown } from '../../method/define';
import { flag, number, text } from '../../method/params';
import { smoothed, smoothedNear } from '../../numeric/empirical-bayes';
import { addUpToOne } from '../../numeric/sparse-rows';
import { spread } from './clusters';
import { measured } from './global';
import { neighbourChecks, neighbourParams, sampleOf, weightsFor } from './neighbours';
import { valueChecks, valueParam, valuesOf } from './values';

/** Cases below which a rate is shaken by one more or less. */
const FEW_CASES = 20;

export const smoothRate = defineMethod({
  id: 'stats.smoothRate',
  version: 1,
  title: 'Smoothed rate',
  question: 'Which rate do few cases not shake?',
  about:
    'Cases over population, and the same drawn towards the rate of all (or of the neighbours and the place itself) the more, the smaller the population is: empirical Bayes by moments. Where rates vary no more than chance has them, all become the mean. Features without both numbers, or without population, have none.',
  keywords: ['empirical bayes', 'rate', 'smoothing', 'small numbers', 'shrinkage', 'incidence', 'disease mapping'],
  sources: ['Marshall 1991, doi:10.2307/2347593'],
  inputs: measured,
  params: z.object({
    cases: valueParam({ label: 'Cases', of: 'features' }),
    population: valueParam({ label: 'Population', of: 'features' }),
    per: number({ label: 'Per', above: 0, help: '1000: rates by thousand.' }).default(1),
    local: flag({ label: 'Towards the neighbours', help: 'Else towards the rate of all.' }).default(false),
    prefix: text({ label: 'Columns begin with', most: 40 }).default(''),
    ...neighbourParams(),
  }),
  outputs: {
    features: shown(output.features('Smoothed rate', 'smoothed'), {
      features: {
        by: {
          kind: 'classes',
          column: '*smoothed',
          rule: 'quantile',
          classes: 5,
          own: [],
          ramp: 'viridis',
          reversed: true,
        },
        fill: 1,
        width: 0.5,
        outline: '#fbf8f2',
      },
    }),
  },
  named: (_, p) => `Smoothed ${p.cases} / ${p.population}`,
  figures: { mean: { label: 'Rate of all' } },
  checks: ({ features, weights }, p) => [
    ...valueChecks(columnsOf(features), [p.cases], 'cases'),
    ...valueChecks(columnsOf(features), [p.population], 'population'),
    ...(p.local ? neighbourChecks(features, weights, p) : []),
  ],
  estimate: ({ features }) => ({
    cells: features.count,
    of: 'features',
    bytes: features.count * 1200,
    seconds: 0.1 + features.count / 1e5,
  }),
  run: async ({ features, weights }, p, job) => {
    const cases = valuesOf(features, p.cases, 'cases');
    const population = valuesOf(features, p.population, 'population');
    const bad = (what: string, values: Float64Array): void => {
      const v = values.find((a) => a < 0);
      if (v !== undefined)
        throw new HelkError(
          'method.input',
          `"${what}" has values below 0 (${v}); numbers of people have none.`,
          what === p.cases ? 'cases' : 'population',
        );
    };
    bad(p.cases, cases.values);
    bad(p.population, population.values);
    const empty = population.values.reduce((n, v) => n + (v === 0 ? 1 : 0), 0);
    if (empty) {
      job.note(
        'look',
        'rate.nobody',
        `${plural(empty, 'feature')} without population ${empty === 1 ? 'has' : 'have'} no rate.`,
      );
      population.values = population.values.map((v) => (v === 0 ? NaN : v));
    }
    const n = features.featureOffsets.length - 1;
    const rows = p.local ? (await weightsFor(features, weights, p, job)).rows : emptyRows(n);
    const s = p.local
      ? sampleOf(
          addUpToOne(rows) ? { ...rows, values: rows.values.map(() => 1) } : rows,
          [cases, population],
          job,
          true,
        )
      : both(cases.values, population.values);
    const [c, m] = s.values as [Float64Array, Float64Array];
    if (!c.length) throw new HelkError('method.input', 'No feature has both cases and population.', 'cases');
    const few = c.reduce((k, v) => k + (v < FEW_CASES ? 1 : 0), 0);
    if (few)
      job.note(
        'look',
        'rate.few',
        `${plural(few, 'feature')} of ${c.length} ${few === 1 ? 'has' : 'have'} fewer than ${FEW_CASES} cases: one more or less shakes ${few === 1 ? 'its' : 'their'} rate by more than a twentieth (common practice, no source).`,
      );
    const r = p.local ? smoothedNear(s.rows, c, m) : smoothed(c, m);
    if (r.flat)
      job.note(
        'info',
        'rate.flat',
        p.local
          ? `In ${plural(r.flat, 'surrounding')} rates vary no more than by chance: there the smoothed rate is their mean.`
          : 'Rates vary no more than by chance: every smoothed rate is that of all.',
      );
    const put = (values: Float64Array) =>
      spread(
        s,
        values.map((v) => v * p.per),
      );
    return {
      features: {
        ...features,
        columns: besideColumns(features.columns, [
          numberColumn(`${p.prefix}rate`, put(c.map((v, k) => v / m[k]!))),
          numberColumn(`${p.prefix}smoothed`, put(r.rates)),
        ]),
      },
      figures: { mean: r.mean * p.per },
    };
  },
});

const emptyRows = (n: number) => ({
  offsets: new Uint32Array(n + 1),
  neighbours: new Uint32Array(),
  values: new Float64Array(),
});

/** Features that have both numbers, without regard to neighbours. */
function both(a: Float64Array, b: Float64Array) {
  const kept = Uint32Array.from(Array.from(a.keys()).filter((i) => a[i] === a[i] && b[i] === b[i]));
  const place = new Int32Array(a.length).fill(-1);
  kept.forEach((i, k) => (place[i] = k));
  const take = (v: Float64Array): Float64Array => Float64Array.from(kept, (i) => v[i]!);
  return { kept, place, rows: emptyRows(kept.length), values: [take(a), take(b)], alone: new Uint32Array() };
}
