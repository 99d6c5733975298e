import { HelkError } from '../../errors';
import type { Features, FeaturesInfo } from '../../data/features';
import { columnsOf } from '../../data/kinds';
import type { Check } from '../../data/check';
import type { Weights } from '../../data/weights';
import type { WeightsInfo } from '../../data/weights-facts';
import type { Job } from '../../method/job';
import { choice } from '../../method/params';
import { normalTwoSided, tTwoSided } from '../../numeric/distributions';
import { leastSquares, type Fit } from '../../numeric/least-squares';
import { determinantOf, EXACT, spatialModel, type Determinant, type SpatialFit } from '../../numeric/spatial-models';
import { rowCount, type Rows } from '../../numeric/sparse-rows';
import { neighbourChecks, sampleOf, weightsFor, type NeighbourSettings, type Sample } from './neighbours';
import { valueChecks, valuesOf } from './values';

export const CONSTANT = 'constant';

export type Model = 'ols' | 'lag' | 'error';
export const MODELS: Record<Model, string> = {
  ols: 'least squares',
  lag: 'with a spatial lag',
  error: 'with a spatial error',
};
export const modelParam = () =>
  choice(MODELS, {
    label: 'Model',
    help: 'Lag: neighbours’ values take part. Error: what is left out of the model is alike among neighbours.',
  }).default('ols');

/** What is regressed on what, among features that have all of it. */
export interface Regression {
  sample: Sample;
  names: string[];
  /** Columns of X, the constant first. */
  x: Float64Array[];
  y: Float64Array;
  rows: Rows;
}

/** Columns of a regression and the weights among those that have them all. */
export async function regressionOf(
  f: Features,
  weights: Weights | undefined,
  p: NeighbourSettings & { dependent: string; predictors: string[] },
  job: Job,
): Promise<Regression> {
  const all = [valuesOf(f, p.dependent, 'dependent'), ...p.predictors.map((c) => valuesOf(f, c, 'predictors'))];
  const { rows } = await weightsFor(f, weights, p, job);
  const sample = sampleOf(rows, all, job, true);
  const [y, ...x] = sample.values as [Float64Array, ...Float64Array[]];
  const n = y.length;
  const k = x.length + 1;
  if (n <= k + 1)
    throw new HelkError(
      'method.input',
      `${n} features with all values are too few for ${k} coefficients.`,
      'predictors',
    );
  return {
    sample,
    names: [CONSTANT, ...p.predictors],
    x: [new Float64Array(n).fill(1), ...x],
    y,
    rows: sample.rows,
  };
}

/** @throws HelkError `method.input` where a predictor is a combination of others */
export function fitOf(r: Pick<Regression, 'x' | 'y' | 'names'>): Fit {
  const fit = leastSquares(r.x, r.y);
  if ('dependent' in fit)
    throw new HelkError(
      'method.input',
      `"${r.names[fit.dependent]!}" says nothing that the ${fit.dependent === 1 ? 'constant does' : 'other predictors do'} not say already (it is a combination of them); leave it out.`,
      'predictors',
    );
  return fit;
}

/** One row of a table of coefficients. */
export interface Coefficient {
  variable: string;
  coefficient: number;
  standardError: number;
  statistic: number;
  p: number;
}

/** A model that has been fitted, whichever it is. */
export interface Fitted {
  model: Model;
  coefficients: Coefficient[];
  /** rho or lambda. */
  parameter: number | null;
  fitted: Float64Array;
  residuals: Float64Array;
  sigma2: number;
  logLikelihood: number;
  aic: number;
  /** Of least squares; else the squared correlation of observed and fitted. */
  r2: number;
}

export function leastSquaresModel(r: Regression, fit: Fit): Fitted {
  const [n, k] = [r.y.length, r.x.length];
  const sigma2 = fit.rss / (n - k);
  const logLikelihood = (-n / 2) * (Math.log(2 * Math.PI) + Math.log(fit.rss / n) + 1);
  return {
    model: 'ols',
    coefficients: r.names.map((variable, j) => {
      const coefficient = fit.coefficients[j]!;
      const standardError = Math.sqrt(sigma2 * fit.inverse[j * k + j]!);
      const statistic = coefficient / standardError;
      return { variable, coefficient, standardError, statistic, p: tTwoSided(statistic, n - k) };
    }),
    parameter: null,
    fitted: fit.fitted,
    residuals: fit.residuals,
    sigma2,
    logLikelihood,
    aic: 2 * (k + 1) - 2 * logLikelihood,
    r2: 1 - fit.rss / sumOfSquares(r.y),
  };
}

/** @throws HelkError `method.input` where no likelihood can be worked out */
export function spatialFitted(model: 'lag' | 'error', r: Regression, det: Determinant, job: Job): Fitted {
  const f: SpatialFit | null = spatialModel(model, r.rows, r.x, r.y, det);
  if (!f)
    throw new HelkError(
      'method.input',
      `The model ${MODELS[model]} cannot be fitted: predictors are combinations of each other once neighbours are taken into account.`,
      'predictors',
    );
  const parameter = model === 'lag' ? 'rho' : 'lambda';
  if (f.atEnd)
    job.note(
      'look',
      'model.end',
      `${parameter} came out at an end of its range (${f.parameter.toFixed(3)}): the likelihood has no maximum within it, so that nothing of this model should be relied on.`,
    );
  if (!f.exact)
    job.note(
      'look',
      'model.estimated',
      'The weights are too many and too full for an exact determinant: it is estimated by powers of the weights on random vectors (Barry and Pace 1999), good to about a hundredth.',
    );
  else if (rowCount(r.rows) > EXACT)
    job.note(
      'info',
      'model.traces',
      `Above ${EXACT} features the traces in standard errors are estimated on random vectors; coefficients and likelihood are exact.`,
    );
  const row = (variable: string, coefficient: number, standardError: number): Coefficient => {
    const statistic = coefficient / standardError;
    return { variable, coefficient, standardError, statistic, p: normalTwoSided(statistic) };
  };
  const k = r.x.length;
  return {
    model,
    coefficients: [
      ...r.names.map((name, j) => row(name, f.coefficients[j]!, f.standardErrors[j]!)),
      row(parameter, f.parameter, f.parameterError),
    ],
    parameter: f.parameter,
    fitted: f.fitted,
    residuals: f.residuals,
    sigma2: f.sigma2,
    logLikelihood: f.logLikelihood,
    aic: 2 * (k + 2) - 2 * f.logLikelihood,
    r2: squaredCorrelation(r.y, f.fitted),
  };
}

/** Likelihoods that one model takes, about. */
const STEPS = 25;

/** @param models that are fitted with it, for telling how far it is */
export function determinantFor(r: Regression, job: Job, models = 1): Determinant {
  let done = 0;
  job.progress(0.02, 'factors of the weights');
  return determinantOf(r.rows, job.random.uint32() >>> 2, () =>
    job.progress(Math.min(0.98, 0.05 + (0.93 * done++) / (STEPS * models)), 'likelihoods'),
  );
}

function sumOfSquares(y: Float64Array): number {
  const mean = y.reduce((s, v) => s + v, 0) / y.length;
  return y.reduce((s, v) => s + (v - mean) ** 2, 0);
}

function squaredCorrelation(a: Float64Array, b: Float64Array): number {
  const [ma, mb] = [a, b].map((v) => v.reduce((s, x) => s + x, 0) / v.length) as [number, number];
  let [ab, aa, bb] = [0, 0, 0];
  for (let i = 0; i < a.length; i++) {
    ab += (a[i]! - ma) * (b[i]! - mb);
    aa += (a[i]! - ma) ** 2;
    bb += (b[i]! - mb) ** 2;
  }
  return (ab * ab) / (aa * bb);
}

/** What can be said of a regression before it is run. */
export function modelChecks(
  features: FeaturesInfo,
  weights: WeightsInfo | undefined,
  p: NeighbourSettings & { dependent: string; predictors: string[] },
): Check[] {
  const out = [
    ...valueChecks(columnsOf(features), [p.dependent], 'dependent'),
    ...valueChecks(columnsOf(features), p.predictors, 'predictors'),
    ...neighbourChecks(features, weights, p),
  ];
  const refused = (code: string, about: string, message: string): void =>
    void out.push({ level: 'refused', code, about, message });
  if (!p.predictors.length) refused('model.none', 'predictors', 'Choose at least one column that may explain it.');
  if (p.predictors.includes(p.dependent))
    refused('model.same', 'predictors', `"${p.dependent}" cannot explain itself; leave it out of the predictors.`);
  if (new Set(p.predictors).size < p.predictors.length)
    refused('model.twice', 'predictors', 'A predictor is named twice.');
  if (p.predictors.length > MOST)
    refused('model.many', 'predictors', `${p.predictors.length} predictors are more than the ${MOST} that are taken.`);
  return out;
}
const MOST = 60;
