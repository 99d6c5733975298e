import { z } from 'zod';
import { cellCount, firstBand, measureRaster } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { elevationChecks, scanGradients, sizesFor, tick } from './gradient';
import { gradientParams } from './slope';

export const aspect = defineMethod({
  id: 'terrain.aspect',
  version: 1,
  title: 'Aspect',
  question: 'Which way does the ground face?',
  about:
    'The direction of steepest descent in degrees clockwise from north, from 0 to below 360. Flat cells have no aspect and are missing.',
  keywords: ['exposure', 'orientation', 'facing', 'direction of slope'],
  sources: ['Horn 1981, doi:10.1109/PROC.1981.11918', 'Zevenbergen and Thorne 1987, doi:10.1002/esp.3290120107'],
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length' }) },
  params: z.object({ ...gradientParams }),
  outputs: { aspect: output.raster('Aspect') },
  figures: { flatCells: { label: 'Flat cells' } },
  checks: (inputs) => elevationChecks(inputs, 'slope'),
  estimate: ({ elevation }) => ({
    cells: cellCount(elevation.grid),
    bytes: cellCount(elevation.grid) * 8,
    seconds: cellCount(elevation.grid) / 1.5e7,
  }),
  run: ({ elevation }, p, job) => {
    const { grid } = elevation;
    const band = firstBand(elevation);
    const out = new Float32Array(cellCount(grid));
    const w = grid.columns;
    let flatCells = 0;
    scanGradients(band.cells, w, grid.rows, sizesFor(grid, band, 1), p.algorithm, (row, gx, gy) => {
      const o = row * w;
      for (let x = 0; x < w; x++) {
        const e = gx[x]!;
        const s = gy[x]!;
        if (e === 0 && s === 0) {
          flatCells++;
          out[o + x] = NaN;
        } else {
          // Descent points to (-gx east, +gy north).
          const a = (Math.atan2(-e, s) * 180) / Math.PI;
          const d = Math.fround(a < 0 ? a + 360 : a);
          out[o + x] = d >= 360 ? 0 : d;
        }
      }
      tick(job, row, grid.rows, 'aspect');
    });
    return { aspect: measureRaster(grid, out, { name: 'aspect', unit: '°', role: 'aspect' }), figures: { flatCells } };
  },
});
