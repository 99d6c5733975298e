import * as z from 'zod';
import { besideColumns } from '../../data/features';
import { formatNumber } from '../../data/number-words';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { defineMethod, output, shown } from '../../method/define';
import type { Job } from '../../method/job';
import { centred, moranOf } from '../../numeric/autocorrelation';
import { chiUpper } from '../../numeric/distributions';
import * as tests from '../../numeric/model-tests';
import type { ModelTest } from '../../numeric/model-tests';
import { lagged, weightSums } from '../../numeric/sparse-rows';
import { spread } from './clusters';
import { measured } from './global';
import {
  determinantFor,
  fitOf,
  leastSquaresModel,
  modelChecks,
  modelParam,
  regressionOf,
  spatialFitted,
  type Coefficient,
  type Fitted,
  type Regression,
} from './models';
import { neighbourParams } from './neighbours';
import { valueParam, valuesParam } from './values';
import type { Fit } from '../../numeric/least-squares';

export const modelParams = {
  dependent: valueParam({ label: 'To be explained', of: 'features' }),
  predictors: valuesParam({ label: 'By', of: 'features' }),
};

export const regression = defineMethod({
  id: 'stats.regression',
  version: 1,
  title: 'Regression',
  question: 'What explains it?',
  about:
    'Linear regression by least squares, or with a spatial lag (neighbours’ values take part) or a spatial error (what is left out is alike among neighbours) by maximum likelihood. The log-determinant is exact by sparse factors; beyond 5 000 features, where those would be too full, it is estimated. Standard errors of the spatial models come from the information matrix. Least squares is tested for normal residuals, for spread that follows the predictors, for predictors that say the same, and for dependence that is left. Features that lack a value are left out. The residual is observed less fitted; pseudo R² the squared correlation of observed and fitted.',
  keywords: [
    'ordinary least squares',
    'least squares',
    'spatial lag model',
    'spatial error model',
    'sar',
    'lagrange multiplier',
    'maximum likelihood',
    'linear model',
    'explain',
    'predict',
    'coefficients',
    'diagnostics',
  ],
  sources: [
    'Ord 1975, doi:10.1080/01621459.1975.10480272',
    'Anselin 1988, Spatial Econometrics',
    'Anselin, Bera, Florax and Yoon 1996, doi:10.1016/0166-0462(95)02111-6',
    'Barry and Pace 1999, doi:10.1016/S0024-3795(97)10009-X',
  ],
  inputs: measured,
  params: z.object({ ...modelParams, model: modelParam(), ...neighbourParams() }),
  outputs: {
    residuals: shown(output.features('Residuals', 'residuals'), {
      features: {
        by: {
          kind: 'classes',
          column: '*residual',
          rule: 'equal',
          classes: 7,
          own: [],
          ramp: 'scales',
          reversed: false,
          around: 0,
        },
        fill: 1,
        width: 0.5,
        outline: '#fbf8f2',
      },
      panel: { id: 'model', of: 'coefficients', title: 'What explains it' },
    }),
    coefficients: shown(output.table('Coefficients', 'coefficients'), {
      panel: { id: 'model-table', of: 'diagnostics', title: 'The model as printed' },
      first: true,
    }),
    diagnostics: output.table('Diagnostics', 'diagnostics'),
  },
  named: (_, p, role) =>
    `${role.replace(/^./, (c) => c.toUpperCase())}, ${p.dependent}${p.model === 'ols' ? '' : `, spatial ${p.model}`}`,
  random: 'vectors on which traces are estimated, beyond 5 000 features',
  figures: {
    n: { label: 'Features' },
    r2: { label: 'R²' },
    pseudoR2: { label: 'Pseudo R²' },
    logLikelihood: { label: 'Log-likelihood' },
    aic: { label: 'AIC' },
    sigma2: { label: 'σ²' },
    rho: { label: 'ρ' },
    lambda: { label: 'λ' },
    residualMoran: { label: "Residuals' I" },
  },
  checks: ({ features, weights }, p) => modelChecks(features, weights, p),
  estimate: ({ features, weights }, p) => ({
    cells: features.count,
    of: 'features',
    bytes: features.count * (2000 + p.predictors.length * 100) + (weights?.links ?? 0) * 40,
    seconds: 0.2 + features.count / 2e4 + (p.model === 'ols' ? 0 : (features.count / 3000) ** 1.5 * 3),
  }),
  run: async ({ features, weights }, p, job) => {
    const r = await regressionOf(features, weights, p, job);
    const fit = fitOf(r);
    const plain = leastSquaresModel(r, fit);
    const m = p.model === 'ols' ? plain : spatialFitted(p.model, r, determinantFor(r, job), job);
    const diagnostics = p.model === 'ols' ? plainTests(r, fit, job) : spatialTests(r, m, plain, job);
    const e = centred(m.residuals);
    const residualMoran = moranOf(r.rows, e, weightSums(r.rows).s0);
    return {
      residuals: {
        ...features,
        columns: besideColumns(features.columns, [
          numberColumn('fitted', spread(r.sample, m.fitted)),
          numberColumn('residual', spread(r.sample, m.residuals)),
        ]),
      },
      coefficients: coefficientTable(m.coefficients),
      diagnostics: testTable(diagnostics),
      figures: {
        n: r.y.length,
        ...(p.model === 'ols' ? { r2: m.r2 } : { pseudoR2: m.r2 }),
        logLikelihood: m.logLikelihood,
        aic: m.aic,
        sigma2: m.sigma2,
        ...(p.model === 'lag' ? { rho: m.parameter } : p.model === 'error' ? { lambda: m.parameter } : {}),
        residualMoran,
      },
    };
  },
});

const coefficientTable = (all: readonly Coefficient[]): Table => ({
  kind: 'table',
  columns: [
    textColumn(
      'variable',
      all.map((c) => c.variable),
    ),
    numberColumn(
      'coefficient',
      all.map((c) => c.coefficient),
    ),
    numberColumn(
      'standardError',
      all.map((c) => c.standardError),
    ),
    numberColumn(
      'statistic',
      all.map((c) => c.statistic),
    ),
    numberColumn(
      'p',
      all.map((c) => c.p),
    ),
  ],
});

type Named = [name: string, test: ModelTest];

const testTable = (all: readonly Named[]): Table => ({
  kind: 'table',
  columns: [
    textColumn(
      'test',
      all.map(([name]) => name),
    ),
    numberColumn(
      'value',
      all.map(([, t]) => t.value),
    ),
    numberColumn(
      'df',
      all.map(([, t]) => t.df ?? NaN),
    ),
    numberColumn(
      'p',
      all.map(([, t]) => t.p ?? NaN),
    ),
  ],
});

const told = (p: number | null): string => (p === null ? '' : p < 0.001 ? 'p below 0.001' : `p ${p.toFixed(3)}`);

/** Condition numbers above this are much (Belsley, Kuh and Welsch 1980). */
const CONDITION = 30;
/** The same of the inflation of a variance: common practice, no source. */
const INFLATION = 10;

function plainTests(r: Regression, fit: Fit, job: Job): Named[] {
  const e = fit.residuals;
  const { plain, studentised } = tests.breuschPagan(r.x, e);
  const normal = tests.jarqueBera(e);
  const condition = tests.conditionNumber(r.x);
  const vif = r.x.length > 2 ? tests.inflation(r.x) : [];
  const moran = tests.residualMoran(r.rows, r.x, fit);
  const dependence = tests.dependenceTests(r.rows, r.x, r.y, fit);
  const figure = (value: number): ModelTest => ({ value, df: null, p: null });

  if (condition > CONDITION || vif.some((v) => v > INFLATION))
    job.note(
      'look',
      'model.collinear',
      `Predictors say much of the same (condition number ${formatNumber(condition)}, more than ${CONDITION} is much${vif.length ? `; largest variance inflation ${formatNumber(Math.max(...vif))}, of ${r.names[vif.indexOf(Math.max(...vif)) + 1]!}` : ''}): their coefficients cannot be told apart well. Leave one out, or measure them from their means.`,
    );
  if (normal.p! < tests.LEVEL)
    job.note(
      'look',
      'model.normal',
      `Residuals are not normal (Jarque-Bera ${formatNumber(normal.value)}, ${told(normal.p)}): with few features p is not to be taken by the letter, and of the tests of spread Koenker-Bassett's holds. A logarithm of what is explained may help.`,
    );
  if (studentised.p! < tests.LEVEL)
    job.note(
      'look',
      'model.spread',
      `The spread of residuals follows the predictors (Koenker-Bassett ${formatNumber(studentised.value)}, ${told(studentised.p)}): standard errors are not right. A logarithm or a rate may even it out; look whether regions differ (stability).`,
    );
  const advice = tests.advised(dependence);
  if (advice.model !== 'ols')
    job.note(
      'look',
      'model.dependence',
      `What is left is alike among neighbours (Moran's I ${formatNumber(moran.value)}, ${told(moran.p)}). ${advice.reason} Run it with a spatial ${advice.model}.`,
    );
  return [
    ['jarqueBera', normal],
    ['breuschPagan', plain],
    ['koenkerBassett', studentised],
    ['white', tests.white(r.x, e)],
    ['conditionNumber', figure(condition)],
    ...vif.map((v, k): Named => [`vif:${r.names[k + 1]!}`, figure(v)]),
    ['moran', { value: moran.value, df: null, p: moran.p }],
    ...Object.entries(dependence).map(([name, t]): Named => [name, t as ModelTest]),
  ];
}

function spatialTests(r: Regression, m: Fitted, plain: Fitted, job: Job): Named[] {
  const ratio = 2 * (m.logLikelihood - plain.logLikelihood);
  // An error model is one of least squares between what is filtered.
  const x = m.model === 'error' ? r.x.map((c) => less(c, lagged(r.rows, c), m.parameter!)) : r.x;
  const { plain: spreadTest } = tests.breuschPagan(x, m.residuals);
  if (spreadTest.p! < tests.LEVEL)
    job.note(
      'look',
      'model.spread',
      `The spread of residuals follows the predictors (Breusch-Pagan ${formatNumber(spreadTest.value)}, ${told(spreadTest.p)}): standard errors are not right.`,
    );
  return [
    ['likelihoodRatio', { value: ratio, df: 1, p: chiUpper(ratio, 1) }],
    ['breuschPagan', spreadTest],
  ];
}

const less = (a: Float64Array, b: Float64Array, by: number): Float64Array => a.map((v, i) => v - by * b[i]!);
