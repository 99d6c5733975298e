import * as z from 'zod';
import { HelkError } from '../../errors';
import { metresPerUnit } from '../../data/crs';
import type { Features } from '../../data/features';
import { defineMethod, output, shown } from '../../method/define';
import type { Job } from '../../method/job';
import { choice, number } from '../../method/params';
import { straightenedSamples, type Anisotropy } from '../../numeric/anisotropy';
import type { Recipe } from '../../numeric/estimators';
import { factorsOf, type Samples } from '../../numeric/kriging';
import type { Variogram } from '../../numeric/variogram';
import {
  allAlike,
  estimateGrid,
  fillGrid,
  gridFor,
  gridParams,
  plain,
  samplesOf,
  suggestGrid,
  surfaceChecks,
  surfaceInputs,
  surfaceRaster,
  valueParam,
} from './common';
import { fitted, suggestLags, variogramChecks, variogramParams } from './variogram';

const MOST_GLOBAL = 3000;
const MANY = 64;

/**
 * The kriging of some samples with a model in metres: all of them where their covariances allow it, otherwise the nearest.
 *
 * @param neighbours 0 for all
 */
export function krigingOf(
  given: Samples,
  crs: Features['crs'],
  model: Variogram & Partial<Anisotropy>,
  neighbours: number,
  drift: 'none' | 'linear',
  job: Pick<Job, 'note'>,
): Recipe {
  const m = crs && !crs.geographic ? metresPerUnit(crs) : 1;
  const s = plain(given);
  const v: Variogram = { model: model.model, nugget: model.nugget, sill: model.sill, range: model.range / m };
  const ratio = model.ratio ?? 1;
  const anisotropy = ratio < 1 ? { angle: model.angle ?? 0, ratio } : null;
  const common = { how: 'kriging' as const, s, v, drift, anisotropy };
  const all = neighbours === 0 || neighbours >= s.x.length;
  if (all && s.x.length <= MOST_GLOBAL) {
    try {
      return { ...common, factors: factorsOf(straightenedSamples(s, anisotropy), v, drift) };
    } catch {
      job.note(
        'look',
        'kriging.singular',
        'With this model the points are too alike to be solved all at once; the nearest were taken for each cell. A nugget above 0 helps.',
      );
    }
  } else if (all)
    job.note(
      'look',
      'kriging.neighbours',
      `${s.x.length} points are too many to be solved at once; the ${MANY} nearest were taken for each cell.`,
    );
  return { ...common, neighbours: Math.min(s.x.length, all ? MANY : neighbours) };
}

export const kriging = defineMethod({
  id: 'surface.kriging',
  version: 1,
  title: 'Kriging',
  question: 'What is the best estimate, and how sure is it?',
  about:
    'Ordinary kriging, or with a linear drift: the weights that make the expected squared error least under the variogram, and that error itself as a second surface (standard error), high where there are no points. Without settings the model is fitted as surface.variogram does. All points at once, or the nearest of each cell. At a measured place the measured value stands, nugget or not.',
  keywords: [
    'interpolate',
    'interpolation',
    'geostatistics',
    'ordinary kriging',
    'universal kriging',
    'standard error',
    'uncertainty',
  ],
  sources: ['Matheron 1963, doi:10.2113/gsecongeo.58.8.1246', 'Cressie 1993, doi:10.1002/9781119115151'],
  inputs: surfaceInputs,
  params: z.object({
    value: valueParam,
    ...variogramParams,
    drift: choice(
      { none: 'none', linear: 'linear' },
      { label: 'Drift', help: 'Linear: the mean is a tilted plane.' },
    ).default('none'),
    neighbours: number({ label: 'Neighbours', min: 0, help: 'The nearest so many; 0 for all.' }).default(0),
    ...gridParams,
  }),
  serves: 'estimate',
  outputs: {
    estimate: shown(output.raster('Kriging', undefined, { band: 'measure' }), {
      judged: { input: 'points', param: 'value', doubt: 'standardError' },
    }),
    standardError: output.raster('Standard error', 'standard error', { band: 'measure' }),
  },
  figures: {
    model: { label: 'Model' },
    nugget: { label: 'Nugget' },
    sill: { label: 'Sill (total)' },
    range: { label: 'Range', unit: 'm' },
  },
  checks: (inputs, p) => [
    ...surfaceChecks(inputs, p.value),
    ...variogramChecks(p),
    ...(p.neighbours > 0 && p.neighbours < (p.drift === 'linear' ? 4 : 2)
      ? [
          {
            level: 'refused' as const,
            code: 'kriging.few',
            about: 'neighbours',
            message: `At least ${p.drift === 'linear' ? 4 : 2} neighbours are needed.`,
          },
        ]
      : []),
  ],
  suggest: (inputs, p) => ({ ...suggestGrid(inputs), ...suggestLags(inputs.points, p.maxDistance) }),
  estimate: (inputs, p) => {
    const n = p.neighbours || inputs.points.count;
    const e = estimateGrid(
      inputs,
      p,
      p.neighbours || n > MOST_GLOBAL ? Math.min(n, MANY) ** 3 / 3e8 + 1e-5 : (n * n) / 4e9,
    );
    return { ...e, bytes: e.bytes + (n <= MOST_GLOBAL ? n * n * 8 : 0) };
  },
  run: async ({ points, within }, p, job) => {
    const s = samplesOf(points, p.value, job);
    const grid = gridFor(points, p);
    if (allAlike(s.z) && p.sill === undefined)
      throw new HelkError(
        'method.input',
        `All values are ${s.z[0]}; every surface through them is flat, and nothing says how sure it is.`,
        'points',
      );
    job.progress(0.01, 'variogram');
    const { fit } = fitted(s, points.crs, p, job);
    if (!(fit.sill > 0))
      throw new HelkError('method.parameter', 'sill: the fitted sill is 0; give one above it.', 'sill');
    const recipe = krigingOf(s, points.crs, fit, Math.round(p.neighbours), p.drift, job);
    const [estimate, error] = await fillGrid(grid, within, job, recipe, 2);
    const { model, nugget, sill, range } = fit;
    return {
      estimate: surfaceRaster(grid, estimate!, p.value, s.unit),
      standardError: surfaceRaster(grid, error!, `standard error of ${p.value}`, s.unit, 'error'),
      figures: { model, nugget, sill, range },
    };
  },
});
