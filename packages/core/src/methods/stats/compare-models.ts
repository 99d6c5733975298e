import * as z from 'zod';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, output, shown } from '../../method/define';
import { centred, moranOf } from '../../numeric/autocorrelation';
import { advised, dependenceTests } from '../../numeric/model-tests';
import { weightSums } from '../../numeric/sparse-rows';
import { measured } from './global';
import { determinantFor, fitOf, leastSquaresModel, modelChecks, regressionOf, spatialFitted } from './models';
import { neighbourParams } from './neighbours';
import { modelParams } from './regression';

export const compareModels = defineMethod({
  id: 'stats.compareModels',
  version: 1,
  title: 'Models compared',
  question: 'Which model is to be trusted?',
  about:
    'Least squares, a spatial lag and a spatial error fitted to the same features, side by side: coefficients, standard errors and p of each, then what is left. The advice follows the usual rule: least squares where neither test for dependence that it leaves stands out at 0.05, the model whose test does where one does, the larger of the robust tests where both do.',
  keywords: ['model selection', 'decision rule', 'lagrange multiplier', 'aic', 'lag or error', 'model table'],
  sources: [
    'Anselin and Rey 1991, doi:10.1111/j.1538-4632.1991.tb00228.x',
    'Anselin, Bera, Florax and Yoon 1996, doi:10.1016/0166-0462(95)02111-6',
  ],
  inputs: measured,
  params: z.object({ ...modelParams, ...neighbourParams() }),
  outputs: {
    models: shown(output.table('Models', 'models'), {
      panel: { id: 'model-table', title: 'Models as printed' },
      first: true,
    }),
  },
  named: (_, p) => `Models of ${p.dependent}`,
  random: 'vectors on which traces are estimated, beyond 5 000 features',
  figures: { advised: { label: 'Advised' }, reason: { label: 'Why' } },
  checks: ({ features, weights }, p) => modelChecks(features, weights, p),
  estimate: ({ features, weights }, p) => ({
    cells: features.count,
    of: 'features',
    bytes: features.count * (2000 + p.predictors.length * 100) + (weights?.links ?? 0) * 40,
    seconds: 0.3 + features.count / 1e4 + (features.count / 3000) ** 1.5 * 6,
  }),
  run: async ({ features, weights }, p, job) => {
    const r = await regressionOf(features, weights, p, job);
    const fit = fitOf(r);
    const tests = dependenceTests(r.rows, r.x, r.y, fit);
    const { model, reason } = advised(tests);
    const det = determinantFor(r, job, 2);
    const lag = spatialFitted('lag', r, det, job);
    const error = spatialFitted('error', r, det, job);
    const all = [leastSquaresModel(r, fit), lag, error];
    const { s0 } = weightSums(r.rows);

    const rows: { term: string; what: string; values: (number | null)[] }[] = [];
    for (const term of [...r.names, 'rho', 'lambda']) {
      const found = all.map((m) => m.coefficients.find((c) => c.variable === term));
      const put = (what: string, of: (c: NonNullable<(typeof found)[number]>) => number): void =>
        void rows.push({ term, what, values: found.map((c) => (c ? of(c) : null)) });
      put('coefficient', (c) => c.coefficient);
      put('standardError', (c) => c.standardError);
      put('p', (c) => c.p);
    }
    const figure = (term: string, values: (number | null)[]): void => void rows.push({ term, what: 'figure', values });
    figure(
      'n',
      all.map(() => r.y.length),
    );
    figure(
      'r2',
      all.map((m) => m.r2),
    );
    figure(
      'logLikelihood',
      all.map((m) => m.logLikelihood),
    );
    figure(
      'aic',
      all.map((m) => m.aic),
    );
    figure(
      'sigma2',
      all.map((m) => m.sigma2),
    );
    figure(
      'residualMoran',
      all.map((m) => moranOf(r.rows, centred(m.residuals), s0)),
    );
    for (const [name, t] of Object.entries(tests) as [string, { value: number; p: number }][]) {
      rows.push({ term: name, what: 'test', values: [t.value, null, null] });
      rows.push({ term: name, what: 'p', values: [t.p, null, null] });
    }
    const column = (name: string, k: number) =>
      numberColumn(
        name,
        rows.map((row) => row.values[k] ?? NaN),
      );
    return {
      models: {
        kind: 'table' as const,
        columns: [
          textColumn(
            'term',
            rows.map((row) => row.term),
          ),
          textColumn(
            'what',
            rows.map((row) => row.what),
          ),
          column('ols', 0),
          column('lag', 1),
          column('error', 2),
        ],
      },
      figures: { advised: model, reason },
    };
  },
});
