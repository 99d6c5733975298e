import * as z from 'zod';
import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import { columnsOf } from '../../data/kinds';
import { valueOf } from '../../data/features';
import { formatNumber } from '../../data/number-words';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, output, shown } from '../../method/define';
import { column } from '../../method/params';
import { chiUpper, fUpper, normalTwoSided, tTwoSided } from '../../numeric/distributions';
import { leastSquares } from '../../numeric/least-squares';
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
    const by = features.columns.find((c) => c.name === p.groups)!;
    const r = await regressionOf(features, weights, p, job);
    const words = Array.from(r.sample.kept, (i) => valueOf(by, i));
    if (words.includes(null)) {
      const lost = words.filter((v) => v === null).length;
      throw new HelkError(
        'method.input',
        `${plural(lost, 'feature')} ${lost === 1 ? 'has' : 'have'} no value in "${p.groups}"; take a subset without ${lost === 1 ? 'it' : 'them'}.`,
        'groups',
      );
    }
    const names = [...new Set(words.map(String))].sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
    if (names.length < 2)
      throw new HelkError('method.input', `All features are in one part ("${names[0] ?? ''}").`, 'groups');
    if (names.length > MOST_GROUPS)
      throw new HelkError(
        'method.input',
        `"${p.groups}" has ${names.length} values; at most ${MOST_GROUPS} parts are compared.`,
        'groups',
      );
    const part = words.map((v) => names.indexOf(String(v)));
    names.forEach((name, g) => {
      const n = part.filter((o) => o === g).length;
      if (n <= r.x.length)
        throw new HelkError(
          'method.input',
          `The part "${name}" has ${plural(n, 'feature')}, too few for ${r.x.length} coefficients.`,
          'groups',
        );
    });
    // Every part has columns of its own, 0 elsewhere.
    const apart: Regression = {
      ...r,
      names: names.flatMap((g) => r.names.map((v) => `${v} (${g})`)),
      x: names.flatMap((_, g) => r.x.map((c) => c.map((v, i) => (part[i] === g ? v : 0)))),
    };
    const [n, k] = [r.y.length, r.x.length];
    const whole = fitOf(r);
    const own = fitOf(apart);
    let [chow, pValue, dfNote] = [0, 0, ''];
    let coefficients: Float64Array;
    let errors: Float64Array;
    let differs: (j: number) => { value: number; p: number };
    const extra = k * (names.length - 1);
    if (p.model === 'ols') {
      const rest = n - k * names.length;
      chow = (whole.rss - own.rss) / extra / (own.rss / rest);
      pValue = fUpper(chow, extra, rest);
      dfNote = `F with ${extra} and ${rest} degrees of freedom`;
      coefficients = own.coefficients;
      const s2 = own.rss / rest;
      errors = coefficients.map((_, j) => Math.sqrt(s2 * own.inverse[j * k * names.length + j]!));
      // Without the part's own column of this variable: how much worse it fits.
      differs = (j) => {
        const held = leastSquares([...apart.x.filter((_, c) => c % k !== j), r.x[j]!], r.y);
        const f = 'dependent' in held ? NaN : (held.rss - own.rss) / (names.length - 1) / s2;
        return { value: f, p: fUpper(f, names.length - 1, rest) };
      };
    } else {
      const det = determinantFor(r, job, 2);
      const one = spatialModel(p.model, r.rows, r.x, r.y, det);
      const two = spatialModel(p.model, r.rows, apart.x, r.y, det);
      if (!one || !two)
        throw new HelkError(
          'method.input',
          'The model cannot be fitted: predictors are combinations of each other.',
          'predictors',
        );
      chow = 2 * (two.logLikelihood - one.logLikelihood);
      pValue = chiUpper(chow, extra);
      dfNote = `chi-squared with ${extra} degrees of freedom`;
      coefficients = two.coefficients;
      errors = two.standardErrors;
      differs = (j) => {
        // Against their mean by precision.
        const b = names.map((_, g) => coefficients[g * k + j]!);
        const w = names.map((_, g) => 1 / errors[g * k + j]! ** 2);
        const mean = b.reduce((s, v, g) => s + v * w[g]!, 0) / w.reduce((s, v) => s + v, 0);
        const value = b.reduce((s, v, g) => s + w[g]! * (v - mean) ** 2, 0);
        return { value, p: chiUpper(value, names.length - 1) };
      };
    }
    job.note(
      'info',
      'stability.chow',
      `${pValue < 0.05 ? 'The parts differ' : 'The parts do not differ by more than chance'}: Chow ${formatNumber(chow)}, ${dfNote}, p ${pValue < 0.001 ? 'below 0.001' : pValue.toFixed(3)}.`,
    );
    const df = n - k * names.length;
    const rows = r.names.flatMap((variable, j) => [
      ...names.map((group, g) => {
        const [c, se] = [coefficients[g * k + j]!, errors[g * k + j]!];
        return {
          variable,
          part: group,
          coefficient: c,
          standardError: se,
          value: c / se,
          p: p.model === 'ols' ? tTwoSided(c / se, df) : normalTwoSided(c / se),
        };
      }),
      { variable, part: 'difference', coefficient: NaN, standardError: NaN, ...differs(j) },
    ]);
    rows.push({ variable: 'all', part: 'difference', coefficient: NaN, standardError: NaN, value: chow, p: pValue });
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
          numberColumn(
            'coefficient',
            rows.map((o) => o.coefficient),
          ),
          numberColumn(
            'standardError',
            rows.map((o) => o.standardError),
          ),
          numberColumn(
            'statistic',
            rows.map((o) => o.value),
          ),
          numberColumn(
            'p',
            rows.map((o) => o.p),
          ),
        ],
      },
      figures: { chow, p: pValue },
    };
  },
});
