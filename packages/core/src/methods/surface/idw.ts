import * as z from 'zod';
import { metresPerUnit } from '../../data/crs';
import { defineMethod, output, shown } from '../../method/define';
import { number, quantity } from '../../method/params';
import { summarise } from '../../numeric/statistics';
import {
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

export const idw = defineMethod({
  id: 'surface.idw',
  version: 1,
  title: 'Inverse distance',
  question: 'What lies between the measurements, the nearer the more?',
  about:
    'Every cell is the mean of the values, each weighted by its distance to a power; a value at the very place rules. The result never leaves the range of the values, and has a peak or hollow at every point. All points, or only the nearest ones and those within a radius; cells without any are missing.',
  keywords: ['interpolate', 'interpolation', 'inverse distance weighting', 'idw', 'shepard'],
  sources: ['Shepard 1968, doi:10.1145/800186.810616'],
  inputs: surfaceInputs,
  params: z.object({
    value: valueParam,
    power: number({ label: 'Power', above: 0, max: 20 }).default(2),
    neighbours: number({ label: 'Neighbours', min: 0, help: 'The nearest so many; 0 for all.' }).default(0),
    radius: quantity('length', { label: 'Radius', unit: 'm', above: 0, help: 'Empty for none.' }).optional(),
    ...gridParams,
  }),
  outputs: {
    estimate: shown(output.raster('Inverse distance', 'inverse distance', { band: 'measure' }), {
      judged: { input: 'points', param: 'value' },
    }),
  },
  figures: { min: { label: 'Lowest', unit: 'result' }, max: { label: 'Highest', unit: 'result' } },
  checks: (inputs, p) => surfaceChecks(inputs, p.value),
  suggest: (inputs) => suggestGrid(inputs),
  estimate: (inputs, p) => estimateGrid(inputs, p, (p.neighbours || inputs.points.count) * 4e-9 + 1e-6),
  run: async ({ points, within }, p, job) => {
    const s = samplesOf(points, p.value, job);
    const grid = gridFor(points, p);
    const radius = (p.radius ?? Infinity) / (points.crs && !points.crs.geographic ? metresPerUnit(points.crs) : 1);
    const recipe = { how: 'idw' as const, s: plain(s), power: p.power, neighbours: Math.round(p.neighbours), radius };
    const [cells] = await fillGrid(grid, within, job, recipe);
    const { min, max, count } = summarise(cells!);
    return {
      estimate: surfaceRaster(grid, cells!, p.value, s.unit),
      figures: count ? { min, max } : { min: null, max: null },
    };
  },
});
