import * as z from 'zod';
import { cellCount, cellMetres, measureRaster } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { scanGradients, sizesFor, tick } from './gradient';
import { accumulation, schemeParam, waterChecks, waterOf } from './water';

/** Slopes below this count as this: the index has no value on level ground (0.06 degrees; common practice, no source). */
const LEAST_SLOPE = 0.001;

export const wetness = defineMethod({
  id: 'terrain.wetness',
  version: 1,
  title: 'Wetness index',
  question: 'Where is it wet?',
  about:
    'The topographic wetness index ln(a / tan b): a is the area draining through a cell per metre of contour (accumulated area over the root of the cell area), b the slope after Horn. Slopes below 0.001 count as 0.001.',
  keywords: ['twi', 'topographic wetness index', 'moisture', 'soil', 'wet'],
  sources: ['Beven and Kirkby 1979, doi:10.1080/02626667909491834', 'Freeman 1991, doi:10.1016/0098-3004(91)90048-I'],
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length' }) },
  params: z.object({ scheme: schemeParam.default('mfd') }),
  outputs: { wetness: output.raster('Wetness', undefined, { band: 'measure', unit: 'no unit' }) },
  figures: {},
  checks: waterChecks,
  estimate: ({ elevation }) => ({
    cells: cellCount(elevation.grid),
    bytes: cellCount(elevation.grid) * 38,
    seconds: cellCount(elevation.grid) / 2e6,
  }),
  run: async ({ elevation }, p, job) => {
    const { grid } = elevation;
    const w = waterOf(elevation, job);
    const area = await accumulation(elevation, w, p.scheme, true, job);
    const out = new Float32Array(area.length);
    scanGradients(w.band.cells, w.width, w.height, sizesFor(grid, w.band, 1), 'horn', (row, gx, gy) => {
      const [cw, ch] = cellMetres(grid, row);
      const contour = Math.sqrt(cw * ch);
      const o = row * w.width;
      for (let x = 0; x < w.width; x++) {
        const tan = Math.sqrt(gx[x]! * gx[x]! + gy[x]! * gy[x]!);
        out[o + x] = Math.log(area[o + x]! / contour / Math.max(tan, LEAST_SLOPE)) + tan * 0;
      }
      tick(job, row, w.height, 'wetness');
    });
    return { wetness: measureRaster(grid, out, { name: 'wetness', unit: '', role: 'wetness' }), figures: {} };
  },
});
