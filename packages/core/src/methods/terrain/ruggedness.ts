import { z } from 'zod';
import { cellCount, firstBand, measureRaster } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { elevationChecks, tick } from './gradient';
import { forWindows } from './window';

export const ruggedness = defineMethod({
  id: 'terrain.ruggedness',
  version: 1,
  title: 'Ruggedness',
  question: 'How rough is the ground?',
  about:
    'Riley’s terrain ruggedness index: the root of the summed squared differences between a cell and its eight neighbours, in the unit of the elevations. Beside missing cells and at the edge the result is missing.',
  keywords: ['tri', 'roughness', 'terrain ruggedness index'],
  sources: ['Riley, DeGloria and Elliot 1999, Intermountain Journal of Sciences 5: 23-27'],
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length' }) },
  params: z.object({}),
  outputs: { ruggedness: output.raster('Ruggedness') },
  figures: {},
  checks: (inputs) => elevationChecks(inputs, 'slope'),
  estimate: ({ elevation }) => ({
    cells: cellCount(elevation.grid),
    bytes: cellCount(elevation.grid) * 8,
    seconds: cellCount(elevation.grid) / 2e7,
  }),
  run: ({ elevation }, _p, job) => {
    const { grid } = elevation;
    const band = firstBand(elevation);
    const out = new Float32Array(cellCount(grid)).fill(NaN);
    forWindows(
      band.cells,
      grid.columns,
      grid.rows,
      (row) => tick(job, row, grid.rows, 'ruggedness'),
      (i, a, b, c, d, e, f, g, h, k) => {
        out[i] = Math.sqrt(
          (a - e) ** 2 +
            (b - e) ** 2 +
            (c - e) ** 2 +
            (d - e) ** 2 +
            (f - e) ** 2 +
            (g - e) ** 2 +
            (h - e) ** 2 +
            (k - e) ** 2,
        );
      },
    );
    return { ruggedness: measureRaster(grid, out, { name: 'ruggedness', unit: band.unit }), figures: {} };
  },
});
