import { z } from 'zod';
import { HelkError } from '../../errors';
import { FeaturesBuilder, takeColumn } from '../../data/features';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { defineMethod, output } from '../../method/define';
import { LocalJob, type Job } from '../../method/job';
import { choice, number, text } from '../../method/params';
import { InverseDistance } from '../../numeric/inverse-distance';
import { NearPoints } from '../../numeric/near';
import { thinPlate } from '../../numeric/spline';
import { allAlike, samplesOf, suggestGrid, surfaceChecks, surfaceInputs, valueParam, type Measured } from './common';
import { krigingOf } from './kriging';
import { fitted, suggestLags, variogramChecks, variogramParams, type VariogramSettings } from './variogram';
import type { Features } from '../../data/features';

const METHODS = ['nearest', 'idw', 'spline', 'kriging'] as const;
type Name = (typeof METHODS)[number];

interface Settings extends VariogramSettings {
  power: number;
  neighbours: number;
  smoothing: number;
}

/** Estimates of a method at some places from other samples. */
function estimate(
  name: Name,
  s: Measured,
  at: { x: Float64Array; y: Float64Array },
  p: Settings,
  crs: Features['crs'],
  model: ReturnType<typeof fitted>['fit'] | null,
  job: Job,
): Float64Array {
  const out = new Float64Array(at.x.length).fill(NaN);
  if (name === 'kriging') {
    krigingOf(s, crs, model!, p.neighbours, 'none', job).at(at.x, at.y, out);
    return out;
  }
  let f: ((x: number, y: number) => number) | null;
  if (name === 'idw') {
    const w = new InverseDistance(s, p.power, p.neighbours, Infinity);
    f = (x, y) => w.at(x, y);
  } else if (name === 'spline') f = thinPlate(s, p.smoothing);
  else {
    const near = new NearPoints(s.x, s.y);
    const [index, square] = [new Uint32Array(1), new Float64Array(1)];
    f = (x, y) => {
      near.find(x, y, 1, Infinity, index, square);
      return s.z[index[0]!]!;
    };
  }
  if (f) for (let i = 0; i < out.length; i++) out[i] = f(at.x[i]!, at.y[i]!);
  return out;
}

export const validate = defineMethod({
  id: 'surface.validate',
  version: 1,
  title: 'Cross-validation',
  question: 'Which surface is to be trusted?',
  about:
    'Each point, or each fold of points, is left out in turn and estimated from the others by every method, on the same folds: mean error (bias), mean absolute and root mean square error, and R² (1 less the squared errors over the spread of the values). The variogram of kriging is fitted once to all points. Residuals are measured less estimated.',
  keywords: ['leave one out', 'k-fold', 'accuracy', 'error', 'compare methods', 'rmse'],
  sources: ['Stone 1974, doi:10.1111/j.2517-6161.1974.tb00994.x'],
  random: 'which points make a fold',
  inputs: { points: surfaceInputs.points },
  params: z.object({
    value: valueParam,
    methods: text({ label: 'Methods', help: 'Apart by commas: nearest, idw, spline, kriging.' }).default(
      'nearest, idw, spline, kriging',
    ),
    folds: choice({ loo: 'each point by itself', '5': 'five folds', '10': 'ten folds' }, { label: 'Left out' }).default(
      'loo',
    ),
    power: number({ label: 'Power (inverse distance)', above: 0, max: 20 }).default(2),
    smoothing: number({ label: 'Smoothing (spline)', min: 0 }).default(0),
    neighbours: number({ label: 'Neighbours', min: 0, help: 'Of inverse distance and kriging; 0 for all.' }).default(0),
    ...variogramParams,
  }),
  outputs: { validation: output.table('Cross-validation'), residuals: output.features('Residuals') },
  figures: { best: { label: 'Least root mean square error' } },
  checks: (inputs, p) => [...surfaceChecks(inputs, p.value), ...variogramChecks(p)],
  suggest: (inputs, p) => ({ value: suggestGrid(inputs)['value'], ...suggestLags(inputs.points, p.maxDistance) }),
  estimate: ({ points }, p) => ({
    cells: points.count,
    bytes: points.count ** 2 * 16,
    seconds: ((p.folds === 'loo' ? points.count : Number(p.folds)) * points.count ** 3) / 1e9,
  }),
  run: ({ points }, p, job) => {
    const names = p.methods
      .split(',')
      .map((s) => s.trim())
      .filter(Boolean);
    for (const n of names)
      if (!METHODS.includes(n as Name))
        throw new HelkError(
          'method.parameter',
          `methods: there is no "${n}"; there are ${METHODS.join(', ')}.`,
          'methods',
        );
    if (!names.length) throw new HelkError('method.parameter', 'methods: name at least one.', 'methods');
    const s = samplesOf(points, p.value, job);
    const n = s.x.length;
    const model = names.includes('kriging') && !allAlike(s.z) ? fitted(s, points.crs, p, job).fit : null;
    const used = names.filter((m) => m !== 'kriging' || model) as Name[];
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
    for (let k = 0; k < count; k++) {
      job.progress(k / count, `fold ${k + 1} of ${count}`);
      const [inn, out]: [number[], number[]] = [[], []];
      for (let i = 0; i < n; i++) (fold[i] === k ? out : inn).push(i);
      const take = (rows: number[]): Measured => ({
        ...s,
        x: Float64Array.from(rows, (i) => s.x[i]!),
        y: Float64Array.from(rows, (i) => s.y[i]!),
        z: Float64Array.from(rows, (i) => s.z[i]!),
      });
      const [from, at] = [take(inn), take(out)];
      // Every fold would say the same again.
      const told = k === 0 ? job : new LocalJob();
      used.forEach((name, m) => {
        const e = estimate(name, from, at, { ...p, neighbours: Math.round(p.neighbours) }, points.crs, model, told);
        out.forEach((i, q) => (guess[m]![i] = e[q]!));
      });
    }
    const mean = s.z.reduce((a, b) => a + b, 0) / n;
    const spread = s.z.reduce((a, b) => a + (b - mean) ** 2, 0);
    const rows = used.map((name, m) => {
      let [k, e, a, q] = [0, 0, 0, 0];
      for (let i = 0; i < n; i++) {
        const r = s.z[i]! - guess[m]![i]!;
        if (r !== r) continue;
        k++;
        e += r;
        a += Math.abs(r);
        q += r * r;
      }
      return { name, n: k, me: e / k, mae: a / k, rmse: Math.sqrt(q / k), r2: spread > 0 ? 1 - q / spread : NaN };
    });
    rows.sort((a, b) => a.rmse - b.rmse);
    const [first, second] = rows;
    if (first && second)
      job.note(
        'info',
        'validate.best',
        `${first.name} has the least root mean square error, ${Number(first.rmse.toPrecision(3))}${s.unit ? ` ${s.unit}` : ''}: ${(100 * (1 - first.rmse / second.rmse)).toFixed(1)} % less than ${second.name}.`,
      );
    const validation: Table = {
      kind: 'table',
      columns: [
        textColumn(
          'method',
          rows.map((r) => r.name),
        ),
        numberColumn(
          'n',
          rows.map((r) => r.n),
          '',
        ),
        numberColumn(
          'me',
          rows.map((r) => r.me),
          s.unit,
        ),
        numberColumn(
          'mae',
          rows.map((r) => r.mae),
          s.unit,
        ),
        numberColumn(
          'rmse',
          rows.map((r) => r.rmse),
          s.unit,
        ),
        numberColumn(
          'r2',
          rows.map((r) => r.r2),
          '',
        ),
      ],
    };
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
