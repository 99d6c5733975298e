import * as z from 'zod';
import { FeaturesBuilder, takeColumn } from '../../data/features';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { defineMethod, output, shown } from '../../method/define';
import type { Note } from '../../data/check';
import type { Job } from '../../method/job';
import { defineKernel } from '../../method/parallel';
import { choice, number, several } from '../../method/params';
import { estimatorOf, type Recipe } from '../../numeric/estimators';
import type { Anisotropy } from '../../numeric/anisotropy';
import type { Samples } from '../../numeric/kriging';
import type { Chosen } from '../../numeric/model-choice';
import { thinPlate } from '../../numeric/spline';
import { allAlike, plain, samplesOf, suggestGrid, surfaceChecks, surfaceInputs, valueParam } from './common';
import { krigingOf } from './kriging';
import { fitted, suggestLags, variogramChecks, variogramParams, type VariogramSettings } from './variogram';
import type { Features } from '../../data/features';

const METHODS = { nearest: 'nearest value', idw: 'inverse distance', spline: 'spline', kriging: 'kriging' };
type Name = keyof typeof METHODS;

interface Settings extends VariogramSettings {
  power: number;
  neighbours: number;
  smoothing: number;
}

/** The way a method estimates from some samples; null where it cannot. */
function recipeOf(
  name: Name,
  s: Samples,
  p: Settings,
  crs: Features['crs'],
  model: Folds['model'],
  job: Pick<Job, 'note'>,
): Recipe | null {
  if (name === 'kriging') return krigingOf(s, crs, model!, p.neighbours, 'none', job);
  if (name === 'idw') return { how: 'idw', s, power: p.power, neighbours: p.neighbours, radius: Infinity };
  if (name === 'nearest') return { how: 'nearest', s };
  const sheet = thinPlate(s, p.smoothing);
  return sheet && { how: 'spline', sheet };
}

interface Folds {
  s: Samples;
  /** The fold each sample is in. */
  fold: Uint32Array;
  names: Name[];
  settings: Settings;
  crs: Features['crs'];
  model: (Chosen & Partial<Anisotropy>) | null;
}

/** One fold left out: which samples, what each method makes of them, and what was said on the way. */
const leaveOut = defineKernel('surface.validate', ({ s, fold, names, settings, crs, model }: Folds, k: number) => {
  const [inn, out]: [number[], number[]] = [[], []];
  for (let i = 0; i < fold.length; i++) (fold[i] === k ? out : inn).push(i);
  const take = (rows: number[]): Samples => ({
    x: Float64Array.from(rows, (i) => s.x[i]!),
    y: Float64Array.from(rows, (i) => s.y[i]!),
    z: Float64Array.from(rows, (i) => s.z[i]!),
  });
  const [from, at] = [take(inn), take(out)];
  const notes: Note[] = [];
  const note = (level: Note['level'], code: string, message: string): void => void notes.push({ level, code, message });
  const guesses = names.map((name) => {
    const values = new Float64Array(out.length).fill(NaN);
    const r = recipeOf(name, from, settings, crs, model, { note });
    if (r) estimatorOf(r).at(at.x, at.y, values);
    return values;
  });
  return { out, guesses, notes };
});

interface Errors {
  name: Name;
  n: number;
  me: number;
  mae: number;
  rmse: number;
  r2: number;
}

/** Mean, mean absolute and root mean square error of estimates, and the share of the spread that they explain. O(n) */
function errorsOf(name: Name, z: Float64Array, guess: Float64Array): Errors {
  const mean = z.reduce((a, b) => a + b, 0) / z.length;
  const spread = z.reduce((a, b) => a + (b - mean) ** 2, 0);
  let [k, e, a, q] = [0, 0, 0, 0];
  for (let i = 0; i < z.length; i++) {
    const r = z[i]! - guess[i]!;
    if (r !== r) continue;
    k++;
    e += r;
    a += Math.abs(r);
    q += r * r;
  }
  return { name, n: k, me: e / k, mae: a / k, rmse: Math.sqrt(q / k), r2: spread > 0 ? 1 - q / spread : NaN };
}

/** One row a method, the best first. @param unit of the values */
function tableOf(rows: readonly Errors[], unit: string | null): Table {
  const numbers = (name: Exclude<keyof Errors, 'name'>, of: string | null) =>
    numberColumn(
      name,
      rows.map((r) => r[name]),
      of,
    );
  return {
    kind: 'table',
    columns: [
      textColumn(
        'method',
        rows.map((r) => r.name),
      ),
      numbers('n', ''),
      numbers('me', unit),
      numbers('mae', unit),
      numbers('rmse', unit),
      numbers('r2', ''),
    ],
  };
}

export const validate = defineMethod({
  id: 'surface.validate',
  version: 1,
  title: 'Cross-validation',
  question: 'Which surface is to be trusted?',
  about:
    'Each point, or each fold of points, is left out in turn and estimated from the others by every method, on the same folds: mean error (bias), mean absolute and root mean square error, and R² (1 less the squared errors over the spread of the values). The variogram of kriging is fitted once to all points. Residuals are measured less estimated.',
  keywords: ['trustworthy interpolation', 'leave one out', 'k-fold', 'accuracy', 'error', 'compare methods', 'rmse'],
  sources: ['Stone 1974, doi:10.1111/j.2517-6161.1974.tb00994.x'],
  random: 'which points make a fold',
  inputs: { points: surfaceInputs.points },
  params: z.object({
    value: valueParam,
    methods: several(METHODS, { label: 'Methods' }).default(['nearest', 'idw', 'spline', 'kriging']),
    folds: choice({ loo: 'each point by itself', '5': 'five folds', '10': 'ten folds' }, { label: 'Left out' }).default(
      'loo',
    ),
    power: number({ label: 'Power (inverse distance)', above: 0, max: 20 }).default(2),
    smoothing: number({ label: 'Smoothing (spline)', min: 0 }).default(0),
    neighbours: number({ label: 'Neighbours', min: 0, help: 'Of inverse distance and kriging; 0 for all.' }).default(0),
    ...variogramParams,
  }),
  outputs: {
    validation: shown(output.table('Cross-validation'), { first: true }),
    residuals: shown(output.features('Residuals'), {
      features: {
        by: {
          kind: 'classes',
          column: 'residual_*',
          rule: 'equal',
          classes: 6,
          own: [],
          ramp: 'scales',
          reversed: false,
          around: 0,
        },
        size: { column: 'residual_*', largest: 9 },
        outline: '#6a6258',
      },
    }),
  },
  figures: { best: { label: 'Least root mean square error' } },
  checks: (inputs, p) => [...surfaceChecks(inputs, p.value), ...variogramChecks(p)],
  suggest: (inputs, p) => ({ value: suggestGrid(inputs)['value'], ...suggestLags(inputs.points, p.maxDistance) }),
  estimate: ({ points }, p) => ({
    cells: points.count,
    bytes: points.count ** 2 * 16,
    seconds: ((p.folds === 'loo' ? points.count : Number(p.folds)) * points.count ** 3) / 1e9,
  }),
  run: async ({ points }, p, job) => {
    const names = p.methods;
    const s = samplesOf(points, p.value, job);
    const n = s.x.length;
    const model = names.includes('kriging') && !allAlike(s.z) ? fitted(s, points.crs, p, job).fit : null;
    const used = names.filter((m) => m !== 'kriging' || model);
    const fold = new Uint32Array(n);
    const count = p.folds === 'loo' ? n : Math.min(n, Number(p.folds));
    // A shuffled deal: folds are alike in size, and the same for every method.
    const order = Array.from({ length: n }, (_, i) => i);
    if (p.folds !== 'loo')
      for (let i = n - 1; i > 0; i--) {
        const j = job.random.below(i + 1);
        [order[i], order[j]] = [order[j]!, order[i]!];
      }
    order.forEach((i, k) => (fold[i] = k % count));
    const guess = used.map(() => new Float64Array(n).fill(NaN));
    const settings: Settings = { ...p, neighbours: Math.round(p.neighbours) };
    const shared: Folds = { s: plain(s), fold, names: used, settings, crs: points.crs, model };
    await job.parallel(
      leaveOut,
      shared,
      Array.from({ length: count }, (_, k) => k),
      ({ out, guesses, notes }, k) => {
        job.progress(k / count, `fold ${k + 1} of ${count}`);
        // Every fold would say the same again.
        if (k === 0) for (const n of notes) job.note(n.level, n.code, n.message);
        guesses.forEach((e, m) => out.forEach((i, q) => (guess[m]![i] = e[q]!)));
      },
    );
    const rows = used.map((name, m) => errorsOf(name, s.z, guess[m]!));
    rows.sort((a, b) => a.rmse - b.rmse);
    const [first, second] = rows;
    if (first && second)
      job.note(
        'info',
        'validate.best',
        `${first.name} has the least root mean square error, ${Number(first.rmse.toPrecision(3))}${s.unit ? ` ${s.unit}` : ''}: ${(100 * (1 - first.rmse / second.rmse)).toFixed(1)} % less than ${second.name}.`,
      );
    const validation = tableOf(rows, s.unit);
    const b = new FeaturesBuilder();
    for (let i = 0; i < n; i++) {
      b.point(s.x[i]!, s.y[i]!);
    }
    const residuals = b.build('point', points.crs, [
      ...points.columns.filter((c) => c.name !== p.value).map((c) => takeColumn(c, s.rows)),
      numberColumn(p.value, s.z, s.unit),
      // The best method first, as it is what is drawn.
      ...rows.map(({ name }) => {
        const g = guess[used.indexOf(name)]!;
        return numberColumn(
          `residual_${name}`,
          s.z.map((v, i) => v - g[i]!),
          s.unit,
        );
      }),
    ]);
    return { validation, residuals, figures: { best: first?.name ?? null } };
  },
});
