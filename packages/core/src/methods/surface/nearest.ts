import * as z from 'zod';
import { defineMethod, output, shown } from '../../method/define';
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

export const nearest = defineMethod({
  id: 'surface.nearest',
  version: 1,
  title: 'Nearest measurement',
  question: 'Which value does the nearest measurement have?',
  about:
    'Every cell takes the value of the point nearest to its centre: the surface of Thiessen polygons. Nothing is averaged, so it suits classes as well.',
  keywords: ['interpolate', 'interpolation', 'nearest neighbour', 'voronoi', 'thiessen surface'],
  sources: ['Thiessen 1911, doi:10.1175/1520-0493(1911)39<1082b:PAFLA>2.0.CO;2'],
  inputs: surfaceInputs,
  params: z.object({ value: valueParam, ...gridParams }),
  outputs: {
    estimate: shown(output.raster('Nearest value', 'nearest'), { judged: { input: 'points', param: 'value' } }),
  },
  figures: {},
  checks: (inputs, p) => surfaceChecks(inputs, p.value),
  suggest: (inputs) => suggestGrid(inputs),
  estimate: (inputs, p) => estimateGrid(inputs, p, 1e-6),
  run: async ({ points, within }, p, job) => {
    const s = samplesOf(points, p.value, job);
    const grid = gridFor(points, p);
    const [cells] = await fillGrid(grid, within, job, { how: 'nearest', s: plain(s) });
    return { estimate: surfaceRaster(grid, cells!, p.value, s.unit), figures: {} };
  },
});
