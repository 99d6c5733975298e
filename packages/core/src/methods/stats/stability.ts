import * as z from 'zod';
import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import { columnsOf } from '../../data/kinds';
import { valueOf, type Features } from '../../data/features';
import { formatNumber } from '../../data/number-words';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, output, shown } from '../../method/define';
import type { Job } from '../../method/job';
import { column } from '../../method/params';
import { chiUpper, fUpper, normalTwoSided, tTwoSided } from '../../numeric/distributions';
import { leastSquares } from '../../numeric/least-squares';
import { LEVEL } from '../../numeric/model-tests';
import { spatialModel } from '../../numeric/spatial-models';
import { measured } from './global';
import { determinantFor, fitOf, modelChecks, modelParam, regressionOf, type Regression } from './models';
import { neighbourParams } from './neighbours';
import { modelParams } from './regression';

const MOST_GROUPS = 12;

export const stability = defineMethod({
  id: 'stats.stability',
  version: 1,
  title: 'Stability of coefficients',
  question: 'Do the coefficients hold in both parts?',
  about:
    'One model for all against one in which every part (the groups of a column) has coefficients of its own, neighbours counting across parts. For least squares the F of Chow; with a spatial lag or error twice the gain in log-likelihood, by chi-squared. Then for each coefficient its value in every part and whether they differ: by F for least squares, by a Wald test on independent estimates else.',
  keywords: ['chow', 'regimes', 'structural change', 'groups', 'regions', 'heterogeneity'],
  sources: ['Chow 1960, doi:10.2307/1910133', 'Anselin 1988, Spatial Econometrics, section 9.2.2'],
  inputs: measured,
  params: z.object({
    ...modelParams,
    groups: column({ label: 'Parts by', of: 'features' }),
    model: modelParam(),
    ...neighbourParams(),
  }),
  outputs: { tests: shown(output.table('Stability', 'stability'), { first: true }) },
  named: (_, p) => `Stability of ${p.dependent} by ${p.groups}`,
  random: 'vectors on which traces are estimated, beyond 5 000 features',
  figures: { chow: { label: 'Chow' }, p: { label: 'p' } },
  checks: ({ features, weights }, p) => [
    ...modelChecks(features, weights, p),
    ...(columnsOf(features).some((c) => c.name === p.groups)
      ? []
      : [
          {
            level: 'refused' as const,
            code: 'column.none',
            about: 'groups',
            message: `There is no column "${p.groups}".`,
          },
        ]),
  ],
  estimate: ({ features, weights }, p) => ({
    cells: features.count,
    of: 'features',
    bytes: features.count * (2500 + p.predictors.length * 300) + (weights?.links ?? 0) * 40,
    seconds: 0.3 + features.count / 1e4 + (p.model === 'ols' ? 0 : (features.count / 3000) ** 1.5 * 8),
  }),
  run: async ({ features, weights }, p, job) => {
    const r = await regressionOf(features, weights, p, job);
    const { names, part } = partsOf(features, p.groups, r);
    // Every part has columns of its own, 0 elsewhere.
    const apart: Regression = {
      ...r,
      names: names.flatMap((g) => r.names.map((v) => `${v} (${g})`)),
      x: names.flatMap((_, g) => r.x.map((c) => c.map((v, i) => (part[i] === g ? v : 0)))),
    };
    const t =
      p.model === 'ols' ? byLeastSquares(r, apart, names.length) : byLikelihood(p.model, r, apart, names.length, job);
    job.note(
      'info',
      'stability.chow',
      `${t.p < LEVEL ? 'The parts differ' : 'The parts do not differ by more than chance'}: Chow ${formatNumber(t.chow)}, ${t.how}, p ${t.p < 0.001 ? 'below 0.001' : t.p.toFixed(3)}.`,
    );
    const k = r.x.length;
    const rows = r.names.flatMap((variable, j) => [
      ...names.map((group, g) => {
        const [c, se] = [t.coefficients[g * k + j]!, t.errors[g * k + j]!];
        return { variable, part: group, coefficient: c, standardError: se, value: c / se, p: t.pOf(c / se) };
      }),
      { variable, part: 'difference', coefficient: NaN, standardError: NaN, ...t.differs(j) },
    ]);
    rows.push({ variable: 'all', part: 'difference', coefficient: NaN, standardError: NaN, value: t.chow, p: t.p });
    const column = (name: string, of: (o: (typeof rows)[number]) => number) => numberColumn(name, rows.map(of));
    return {
      tests: {
        kind: 'table' as const,
        columns: [
          textColumn(
            'variable',
            rows.map((o) => o.variable),
          ),
          textColumn(
            'part',
            rows.map((o) => o.part),
          ),
          column('coefficient', (o) => o.coefficient),
          column('standardError', (o) => o.standardError),
          column('statistic', (o) => o.value),
          column('p', (o) => o.p),
        ],
      },
      figures: { chow: t.chow, p: t.p },
    };
  },
});

/** Parts by the values of a column, and that of each feature. @throws HelkError `method.input` where they cannot be compared */
function partsOf(f: Features, groups: string, r: Regression): { names: string[]; part: number[] } {
  const refuse = (message: string): never => {
    throw new HelkError('method.input', message, 'groups');
  };
  const by = f.columns.find((c) => c.name === groups)!;
  const words = Array.from(r.sample.kept, (i) => valueOf(by, i));
  const lost = words.filter((v) => v === null).length;
  if (lost)
    refuse(
      `${plural(lost, 'feature')} ${lost === 1 ? 'has' : 'have'} no value in "${groups}"; take a subset without ${lost === 1 ? 'it' : 'them'}.`,
    );
  const names = [...new Set(words.map(String))].sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
  if (names.length < 2) refuse(`All features are in one part ("${names[0] ?? ''}").`);
  if (names.length > MOST_GROUPS)
    refuse(`"${groups}" has ${names.length} values; at most ${MOST_GROUPS} parts are compared.`);
  const part = words.map((v) => names.indexOf(String(v)));
  names.forEach((name, g) => {
    const n = part.filter((o) => o === g).length;
    if (n <= r.x.length)
      refuse(`The part "${name}" has ${plural(n, 'feature')}, too few for ${r.x.length} coefficients.`);
  });
  return { names, part };
}

/** One model for all held against one with coefficients of every part. */
interface Held {
  chow: number;
  p: number;
  /** Of what distribution it is. */
  how: string;
  /** Part by part. */
  coefficients: Float64Array;
  errors: Float64Array;
  /** Of a coefficient over its error. */
  pOf: (statistic: number) => number;
  /** Whether a variable's coefficients differ. */
  differs: (variable: number) => { value: number; p: number };
}

function byLeastSquares(r: Regression, apart: Regression, parts: number): Held {
  const [n, k] = [r.y.length, r.x.length];
  const [whole, own] = [fitOf(r), fitOf(apart)];
  const [extra, rest] = [k * (parts - 1), n - k * parts];
  const s2 = own.rss / rest;
  const chow = (whole.rss - own.rss) / extra / s2;
  return {
    chow,
    p: fUpper(chow, extra, rest),
    how: `F with ${extra} and ${rest} degrees of freedom`,
    coefficients: own.coefficients,
    errors: own.coefficients.map((_, j) => Math.sqrt(s2 * own.inverse[j * k * parts + j]!)),
    pOf: (t) => tTwoSided(t, rest),
    // With one column for all parts in place of theirs: how much worse it fits.
    differs: (j) => {
      const held = leastSquares([...apart.x.filter((_, c) => c % k !== j), r.x[j]!], r.y);
      const value = 'dependent' in held ? NaN : (held.rss - own.rss) / (parts - 1) / s2;
      return { value, p: fUpper(value, parts - 1, rest) };
    },
  };
}

/** @throws HelkError `method.input` where a model cannot be fitted */
function byLikelihood(model: 'lag' | 'error', r: Regression, apart: Regression, parts: number, job: Job): Held {
  const k = r.x.length;
  const det = determinantFor(r, job, 2);
  const [one, two] = [r.x, apart.x].map((x) => spatialModel(model, r.rows, x, r.y, det));
  if (!one || !two)
    throw new HelkError(
      'method.input',
      'The model cannot be fitted: predictors are combinations of each other.',
      'predictors',
    );
  const extra = k * (parts - 1);
  const chow = 2 * (two.logLikelihood - one.logLikelihood);
  return {
    chow,
    p: chiUpper(chow, extra),
    how: `chi-squared with ${extra} degrees of freedom`,
    coefficients: two.coefficients,
    errors: two.standardErrors,
    pOf: normalTwoSided,
    // Against their mean by precision.
    differs: (j) => {
      const own = Array.from({ length: parts }, (_, g) => ({
        b: two.coefficients[g * k + j]!,
        w: 1 / two.standardErrors[g * k + j]! ** 2,
      }));
      const mean = own.reduce((s, o) => s + o.b * o.w, 0) / own.reduce((s, o) => s + o.w, 0);
      const value = own.reduce((s, o) => s + o.w * (o.b - mean) ** 2, 0);
      return { value, p: chiUpper(value, parts - 1) };
    },
  };
}
