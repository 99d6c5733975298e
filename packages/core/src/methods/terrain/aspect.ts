import * as z from 'zod';
import { cellCount, measureHead } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { blockBytes, defineRowKernel, overRows } from '../../method/rows';
import { blockGradients, elevationChecks, type GradientParams } from './gradient';
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
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length', parts: true }) },
  params: z.object({ ...gradientParams }),
  outputs: { aspect: output.raster('Aspect') },
  figures: { flatCells: { label: 'Flat cells' } },
  checks: (inputs) => elevationChecks(inputs, 'slope'),
  estimate: ({ elevation }) => ({
    cells: cellCount(elevation.grid),
    bytes: blockBytes(elevation.grid),
    seconds: cellCount(elevation.grid) / 1.5e7,
  }),
  run: async ({ elevation }, p, job) => {
    const { grid, bands } = elevation.head;
    const sink = job.raster('aspect', measureHead(grid, { name: 'aspect', unit: '°', role: 'aspect' }));
    const params = { grid, band: { unit: bands[0]!.unit }, zFactor: 1, algorithm: p.algorithm };
    const inputs = [{ of: elevation, halo: 1 }];
    const flat = await overRows(job, 'aspect', grid, inputs, aspectRows, params, sink, ['float32']);
    return { aspect: sink, figures: { flatCells: flat.reduce((s, n) => s + n, 0) } };
  },
});

const aspectRows = defineRowKernel('terrain.aspect', (p: GradientParams, block) => {
  const out = block.out[0]!;
  let flat = 0;
  blockGradients(p, block, (o, gx, gy) => {
    for (let x = 0; x < gx.length; x++) {
      const e = gx[x]!;
      const s = gy[x]!;
      if (e === 0 && s === 0) {
        flat++;
        out[o + x] = NaN;
      } else {
        // Descent points to (-gx east, +gy north).
        const a = (Math.atan2(-e, s) * 180) / Math.PI;
        const d = Math.fround(a < 0 ? a + 360 : a);
        out[o + x] = d >= 360 ? 0 : d;
      }
    }
  });
  return flat;
});
