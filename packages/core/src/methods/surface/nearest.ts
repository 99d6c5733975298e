import { z } from 'zod';
import { defineMethod, output } from '../../method/define';
import { NearPoints } from '../../numeric/near';
import {
  estimateGrid,
  fillGrid,
  gridFor,
  gridParams,
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
  outputs: { estimate: output.raster('Nearest value', 'nearest') },
  figures: {},
  checks: (inputs, p) => surfaceChecks(inputs, p.value),
  suggest: (inputs) => suggestGrid(inputs),
  estimate: (inputs, p) => estimateGrid(inputs, p, 1e-6),
  run: ({ points, within }, p, job) => {
    const s = samplesOf(points, p.value, job);
    const grid = gridFor(points, p);
    const near = new NearPoints(s.x, s.y);
    const [index, square] = [new Uint32Array(1), new Float64Array(1)];
    const [cells] = fillGrid(grid, within, job, 1, (x, y, [out]) => {
      for (let i = 0; i < x.length; i++) {
        near.find(x[i]!, y[i]!, 1, Infinity, index, square);
        out![i] = s.z[index[0]!]!;
      }
    });
    return { estimate: surfaceRaster(grid, cells!, p.value, s.unit), figures: {} };
  },
});
