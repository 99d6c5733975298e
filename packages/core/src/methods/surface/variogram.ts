import * as z from 'zod';
import { HelkError } from '../../errors';
import { metresPerUnit } from '../../data/crs';
import type { Features, FeaturesInfo } from '../../data/features';
import { squaredUnit } from '../../data/quantity';
import { numberColumn, type Table } from '../../data/table';
import { defineMethod, output, shown, type Suggestion } from '../../method/define';
import type { Job } from '../../method/job';
import { choice, number, quantity } from '../../method/params';
import { fittedAnisotropy, straightenedSamples, type Anisotropy } from '../../numeric/anisotropy';
import type { Samples } from '../../numeric/kriging';
import { empiricalVariogram, fitVariogram, practicalRange, semivariance, type Lag } from '../../numeric/variogram';
import { LEFT_OUT, looError, rankedModels, type Chosen } from '../../numeric/model-choice';
import { NearPoints } from '../../numeric/near';
import { quantileSorted } from '../../numeric/statistics';
import { allAlike, samplesOf, suggestGrid, surfaceChecks, surfaceInputs, valueParam, type Measured } from './common';
import type { Check } from '../../data/check';

const MOST_PAIRS_OF = 6000;

export const variogramParams = {
  lag: quantity('length', { label: 'Lag width', unit: 'm', above: 0 }),
  maxDistance: quantity('length', { label: 'Greatest distance', unit: 'm', above: 0 }),
  model: choice(
    {
      auto: 'the one that errs least',
      spherical: 'spherical',
      exponential: 'exponential',
      gaussian: 'Gaussian',
      linear: 'linear',
    },
    { label: 'Model' },
  ).default('auto'),
  nugget: number({ label: 'Nugget', min: 0, help: 'Empty: fitted.' }).optional(),
  sill: number({ label: 'Sill (total)', above: 0, help: 'Empty: fitted.' }).optional(),
  range: quantity('length', {
    label: 'Range',
    unit: 'm',
    above: 0,
    help: 'Parameter a of the model, of the longest range; empty: fitted.',
  }).optional(),
  angle: quantity('angle', {
    label: 'Longest range towards',
    unit: '°',
    min: 0,
    max: 360,
    help: 'Clockwise from north; only felt with a ratio below 1.',
  }).optional(),
  ratio: number({
    label: 'Shortest to longest range',
    above: 0,
    max: 1,
    help: '1 or empty: alike in every direction.',
  }).optional(),
};

export interface VariogramSettings {
  lag: number;
  maxDistance: number;
  model: 'auto' | 'spherical' | 'exponential' | 'gaussian' | 'linear';
  nugget?: number | undefined;
  sill?: number | undefined;
  range?: number | undefined;
  angle?: number | undefined;
  ratio?: number | undefined;
}

/** A third of the diagonal of the extent, and a fifteenth of that, as is usual (common practice, no source). */
export function suggestLags(points: FeaturesInfo, maxDistance?: number): Record<string, Suggestion | undefined> {
  if (!points.extent || points.crs?.geographic) return {};
  const m = points.crs ? metresPerUnit(points.crs) : 1;
  const diagonal = Math.hypot(points.extent[2] - points.extent[0], points.extent[3] - points.extent[1]) * m;
  if (!(diagonal > 0)) return {};
  const most = maxDistance ?? Number((diagonal / 3).toPrecision(4));
  return {
    maxDistance: {
      value: `${Number((diagonal / 3).toPrecision(4))} m`,
      reason: 'a third of the diagonal of the extent',
    },
    lag: { value: `${Number((most / 15).toPrecision(4))} m`, reason: 'a fifteenth of the greatest distance' },
  };
}

export function variogramChecks(p: VariogramSettings): Check[] {
  const out: Check[] = [];
  if (p.lag > p.maxDistance)
    out.push({
      level: 'refused',
      code: 'variogram.lag',
      about: 'lag',
      message: 'The lag is wider than the greatest distance.',
    });
  if ((p.ratio ?? 1) < 1 && p.angle === undefined)
    out.push({
      level: 'refused',
      code: 'variogram.angle',
      about: 'angle',
      message: 'A ratio below 1 needs the direction of the longest range.',
    });
  if (p.nugget !== undefined && p.sill !== undefined && p.nugget > p.sill)
    out.push({
      level: 'refused',
      code: 'variogram.sill',
      about: 'sill',
      message: 'The total sill cannot be below the nugget.',
    });
  return out;
}

/** Samples whose pairs are compared, places in metres: at most some thousands, evenly taken. */
export function pairSamples(s: Samples, crs: Features['crs']): Samples {
  const m = crs && !crs.geographic ? metresPerUnit(crs) : 1;
  const n = s.x.length;
  // Every k-th sample: pairs grow with the square, and a few thousand are enough to see the structure.
  const step = n > MOST_PAIRS_OF ? n / MOST_PAIRS_OF : 1;
  const take = (a: ArrayLike<number>, factor: number): Float64Array =>
    Float64Array.from({ length: Math.min(n, MOST_PAIRS_OF) }, (_, i) => a[Math.floor(i * step)]! * factor);
  return { x: take(s.x, m), y: take(s.y, m), z: take(s.z, 1) };
}

/** Median distance of places to their nearest neighbour. */
function usualSpacing(x: ArrayLike<number>, y: ArrayLike<number>): number {
  const near = new NearPoints(x, y);
  const index = new Uint32Array(2);
  const square = new Float64Array(2);
  // The nearest place of all is the place itself.
  const found = Float64Array.from({ length: x.length }, (_, i) => {
    near.find(x[i]!, y[i]!, 2, Infinity, index, square);
    return Math.sqrt(Math.max(square[0]!, square[1]!));
  });
  return quantileSorted(found.sort(), 0.5);
}

/** How much less must be missed at points left out, so that ranges by direction are advised (common practice, no source). */
const PAYS = 0.97;

const anisotropyOf = (p: VariogramSettings): Anisotropy | null =>
  (p.ratio ?? 1) < 1 ? { angle: p.angle ?? 0, ratio: p.ratio! } : null;

/**
 * Says which ranges by direction would miss less at points left out, where any do. The direction is that of the directional variograms; of the
 * ratios the one nearest to 1 that is within a standard error of the best (Breiman et al. 1984, Classification and Regression Trees, 3.4.3),
 * since few points make ranges look more unlike than they are.
 */
function adviseDirection(samples: Samples, p: VariogramSettings, fit: Chosen, job: Job): void {
  if (fit.model === 'linear' || !Number.isFinite(fit.looRmse)) return;
  const found = fittedAnisotropy(samples, fit, p.lag, p.maxDistance);
  if (!found) return;
  const tried: { ratio: number; miss: number }[] = [];
  for (let k = Math.round(10 * found.ratio); k <= 9; k++) {
    const turned = straightenedSamples(samples, { angle: found.angle, ratio: k / 10 });
    const lags = empiricalVariogram(turned.x, turned.y, turned.z, p.lag, p.maxDistance);
    if (lags.length >= 3) tried.push({ ratio: k / 10, miss: looError(turned, fitVariogram(lags, fit.model)) });
  }
  const best = Math.min(...tried.map((t) => t.miss));
  const within = best * (1 + 1 / Math.sqrt(2 * Math.min(samples.x.length, LEFT_OUT)));
  const advised = tried.findLast((t) => t.miss <= within && t.miss < PAYS * fit.looRmse);
  if (advised)
    job.note(
      'look',
      'variogram.direction',
      `Values stay alike further towards ${found.angle}° than across it: with the angle ${found.angle}° and the ratio ${advised.ratio} points left out are missed by ${Number(advised.miss.toPrecision(4))} instead of ${Number(fit.looRmse.toPrecision(4))} in the root mean square.`,
    );
}

/** Lags and model of the samples, distances in metres; what they mean is said in notes. */
export function fitted(
  s: Measured,
  crs: Features['crs'],
  p: VariogramSettings & { azimuth?: number | undefined; tolerance?: number },
  job: Job,
): { lags: Lag[]; fit: Chosen & Partial<Anisotropy> } {
  const anisotropy = anisotropyOf(p);
  const places = pairSamples(s, crs);
  const samples = straightenedSamples(places, anisotropy);
  const { x, y, z } = samples;
  if (x.length < s.x.length)
    job.note('info', 'variogram.sample', `The variogram was taken of ${x.length} of the ${s.x.length} points.`);
  const way = p.azimuth === undefined ? undefined : { azimuth: p.azimuth, tolerance: p.tolerance ?? 22.5 };
  const lags = empiricalVariogram(x, y, z, p.lag, p.maxDistance, way);
  if (lags.length < 3 && (p.nugget === undefined || p.sill === undefined || p.range === undefined))
    throw new HelkError(
      'method.parameter',
      `lag: ${lags.length === 0 ? 'no lag holds' : lags.length === 1 ? 'only one lag holds' : `only ${lags.length} lags hold`} any pairs of the ${x.length} places; take a greater distance, or narrower lags.`,
      'lag',
    );
  const held = {
    ...(p.nugget === undefined ? {} : { nugget: p.nugget }),
    ...(p.sill === undefined ? {} : { sill: p.sill }),
    ...(p.range === undefined ? {} : { range: p.range }),
  };
  const fit =
    p.model === 'auto' ? chosenOf(samples, lags, held, job) : ofModel(samples, fitVariogram(lags, p.model, held));
  const few = lags.filter((l) => l.pairs < 30).length;
  if (few)
    job.note(
      'look',
      'variogram.pairs',
      `${few} of ${lags.length} lags rest on fewer than 30 pairs (common practice, no source).`,
    );
  const partial = fit.sill - fit.nugget;
  const usual = usualSpacing(s.x, s.y) * (crs && !crs.geographic ? metresPerUnit(crs) : 1);
  if (!(partial > 0.05 * fit.sill) && fit.model !== 'linear')
    job.note(
      'look',
      'variogram.none',
      'Hardly any correlation between near places is seen: the surface will be little more than the mean.',
    );
  else if (fit.model !== 'linear' && practicalRange(fit) < Math.max(1.5 * lags[0]!.distance, usual))
    job.note(
      'look',
      'variogram.short',
      `The range is short (${Number(practicalRange(fit).toPrecision(3))} m, where the places lie ${Number(usual.toPrecision(2))} m apart): beyond it a measurement says little about its surroundings.`,
    );
  if (!anisotropy && p.ratio === undefined && p.azimuth === undefined) adviseDirection(places, p, fit, job);
  return { lags, fit: { ...fit, ...anisotropy } };
}

const ofModel = (s: Samples, fit: Omit<Chosen, 'looRmse'>): Chosen => ({ ...fit, looRmse: looError(s, fit) });

/** The model that errs least where points are left out, and what the others would do. */
function chosenOf(s: Samples, lags: readonly Lag[], held: Parameters<typeof rankedModels>[2], job: Job): Chosen {
  const ranked = rankedModels(s, lags, held);
  const best = ranked[0]!;
  if (Number.isFinite(best.looRmse))
    job.note(
      'info',
      'variogram.model',
      `The ${best.model} model was taken: points left out one by one are missed by ${ranked
        .filter((f) => Number.isFinite(f.looRmse))
        .map((f) => `${Number(f.looRmse.toPrecision(4))} (${f.model})`)
        .join(', ')} in the root mean square.`,
    );
  return best;
}

export const variogram = defineMethod({
  id: 'surface.variogram',
  version: 1,
  title: 'Variogram',
  question: 'How alike are near places?',
  about:
    'Half the mean squared difference of pairs of values by their distance, with the number of pairs, and a model fitted to it by least squares weighted by pairs over squared distance. Without a choice, of the spherical, exponential and Gaussian models so fitted the one that misses points left out one by one (of at most 300, each kriged from its 24 nearest) by the least. The range is the parameter a of the model; correlation has mostly gone at a (spherical), 3 a (exponential), √3 a (Gaussian). The linear model rises by the partial sill over its range without end. With an angle and a ratio distances across the longest range count more, so that lags and range are those along it; both are advised from directional variograms where points left out are missed by less with them.',
  keywords: ['semivariogram', 'geostatistics', 'correlation', 'range', 'nugget', 'sill', 'structure'],
  sources: [
    'Matheron 1963, doi:10.2113/gsecongeo.58.8.1246',
    'Cressie 1993, doi:10.1002/9781119115151',
    'Journel and Huijbregts 1978, Mining Geostatistics, III.B.4 (geometric anisotropy)',
  ],
  inputs: { points: surfaceInputs.points },
  params: z.object({
    value: valueParam,
    ...variogramParams,
    azimuth: quantity('angle', {
      label: 'Direction',
      unit: '°',
      min: 0,
      max: 360,
      help: 'Only pairs along it, clockwise from north; empty: all directions.',
    }).optional(),
    tolerance: quantity('angle', {
      label: 'Tolerance of the direction',
      unit: '°',
      above: 0,
      max: 90,
      help: 'To either side.',
    }).default(22.5),
  }),
  serves: 'write variogram',
  outputs: { variogram: shown(output.table('Variogram'), { panel: { id: 'variogram' } }) },
  figures: {
    model: { label: 'Model' },
    nugget: { label: 'Nugget' },
    sill: { label: 'Sill (total)' },
    range: { label: 'Range', unit: 'm' },
    rmse: { label: 'RMSE of the fit' },
    r2: { label: 'R² of the fit' },
    looRmse: { label: 'RMSE of points left out' },
  },
  checks: (inputs, p) => [...surfaceChecks(inputs, p.value), ...variogramChecks(p)],
  suggest: (inputs, p) => ({ value: suggestGrid(inputs)['value'], ...suggestLags(inputs.points, p.maxDistance) }),
  estimate: ({ points }) => ({
    cells: points.count,
    bytes: points.count * 100,
    seconds: Math.min(points.count, MOST_PAIRS_OF) ** 2 / 4e8,
  }),
  run: ({ points }, p, job) => {
    const s = samplesOf(points, p.value, job);
    if (allAlike(s.z))
      throw new HelkError('method.input', 'All values are alike; there is nothing to correlate.', 'points');
    const { lags, fit } = fitted(s, points.crs, p, job);
    const square = squaredUnit(s.unit);
    const table: Table = {
      kind: 'table',
      columns: [
        numberColumn(
          'lag',
          Float64Array.from(lags, (_, i) => i + 1),
          '',
        ),
        numberColumn(
          'distance',
          Float64Array.from(lags, (l) => l.distance),
          'm',
        ),
        numberColumn(
          'semivariance',
          Float64Array.from(lags, (l) => l.semivariance),
          square,
        ),
        numberColumn(
          'pairs',
          Float64Array.from(lags, (l) => l.pairs),
          '',
        ),
        numberColumn(
          'model',
          Float64Array.from(lags, (l) => semivariance(fit, l.distance)),
          square,
        ),
      ],
    };
    const { model, nugget, sill, range, rmse, r2, looRmse } = fit;
    return { variogram: table, figures: { model, nugget, sill, range, rmse, r2, looRmse } };
  },
});
