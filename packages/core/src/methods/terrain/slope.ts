import * as z from 'zod';
import { cellCount, measureHead } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { choice, number } from '../../method/params';
import { blockBytes, defineRowKernel, overRows } from '../../method/rows';
import { momentsOf, summaryOf } from '../../numeric/statistics';
import { arctan } from '../../numeric/arctan';
import { blockGradients, elevationChecks, type GradientParams } from './gradient';

export const gradientParams = {
  algorithm: choice(
    { horn: 'Horn', 'zevenbergen-thorne': 'Zevenbergen–Thorne' },
    { label: 'Gradient', help: 'Horn smooths a little; Zevenbergen–Thorne suits clean, fine grids.' },
  ).default('horn'),
};

export const zFactor = number({
  label: 'Vertical factor',
  help: 'Multiplies the elevations before the gradient is taken.',
  above: 0,
}).default(1);

export const slope = defineMethod({
  id: 'terrain.slope',
  version: 1,
  title: 'Slope',
  question: 'How steep is the ground?',
  about:
    'The steepest gradient at each cell, from its eight (Horn) or four (Zevenbergen–Thorne) neighbours. Missing cells stay missing; beside them and at the edge the surface is continued from the neighbour opposite. On a geographic grid the metres of each row are taken from the ellipsoid.',
  keywords: ['steepness', 'gradient', 'incline', 'grade'],
  sources: ['Horn 1981, doi:10.1109/PROC.1981.11918', 'Zevenbergen and Thorne 1987, doi:10.1002/esp.3290120107'],
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length', parts: true }) },
  params: z.object({
    unit: choice({ degrees: 'degrees', percent: 'percent' }, { label: 'Unit' }).default('degrees'),
    ...gradientParams,
    zFactor,
  }),
  outputs: { slope: output.raster('Slope', undefined, { band: 'measure', unit: 'degrees or percent' }) },
  figures: {
    min: { label: 'Lowest', unit: 'result' },
    max: { label: 'Highest', unit: 'result' },
    mean: { label: 'Mean', unit: 'result' },
  },
  checks: (inputs) => elevationChecks(inputs, 'slope'),
  estimate: ({ elevation }) => ({
    cells: cellCount(elevation.grid),
    bytes: blockBytes(elevation.grid),
    seconds: cellCount(elevation.grid) / 2e7,
  }),
  run: async ({ elevation }, p, job) => {
    const { grid, bands } = elevation.head;
    const degrees = p.unit === 'degrees';
    const head = measureHead(grid, { name: 'slope', unit: degrees ? '°' : '%', role: 'slope' });
    const sink = job.raster('slope', head);
    const params = { grid, band: { unit: bands[0]!.unit }, zFactor: p.zFactor, algorithm: p.algorithm, degrees };
    const inputs = [{ of: elevation, halo: 1 }];
    const told = await overRows(job, 'slope', grid, inputs, slopeRows, params, sink, ['float32']);
    const { min, max, mean } = summaryOf(told);
    return { slope: sink, figures: { min, max, mean } };
  },
});

const slopeRows = defineRowKernel('terrain.slope', (p: GradientParams & { degrees: boolean }, block) => {
  const out = block.out[0]!;
  const w = block.width;
  const k = 180 / Math.PI;
  blockGradients(p, block, (o, gx, gy) => {
    if (p.degrees) {
      for (let x = 0; x < w; x++) out[o + x] = arctan(Math.sqrt(gx[x]! * gx[x]! + gy[x]! * gy[x]!)) * k;
    } else {
      for (let x = 0; x < w; x++) out[o + x] = Math.sqrt(gx[x]! * gx[x]! + gy[x]! * gy[x]!) * 100;
    }
  });
  return momentsOf(out);
});
