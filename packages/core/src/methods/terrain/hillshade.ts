import * as z from 'zod';
import { cellCount, measureHead } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { choice, quantity } from '../../method/params';
import { blockBytes, defineRowKernel, overRows } from '../../method/rows';
import { blockGradients, elevationChecks, type GradientParams } from './gradient';
import { shadeRow, shader, type Light } from './light';
import { zFactor } from './slope';

export const hillshade = defineMethod({
  id: 'terrain.hillshade',
  version: 1,
  title: 'Hillshade',
  question: 'What does the relief look like under a light?',
  about:
    'Brightness from 0 to 255 of a matt surface under a distant light: 255 (cos zenith cos slope + sin zenith sin slope cos(light - aspect)), shadow cut at 0. "Multiple" mixes lights from 225°, 270°, 315° and 360°, each weighted by the squared sine between its direction and the aspect, so that slopes along the light keep their shape. Gradients after Horn.',
  keywords: ['relief', 'shaded relief', 'shading', 'illumination'],
  sources: [
    'Horn 1981, doi:10.1109/PROC.1981.11918',
    'Mark 1992, US Geological Survey Open-File Report 92-422 (several lights)',
  ],
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length', parts: true }) },
  params: z.object({
    azimuth: quantity('angle', {
      label: 'Light from',
      unit: '°',
      min: 0,
      max: 360,
      help: 'Clockwise from north.',
    }).default(315),
    altitude: quantity('angle', {
      label: 'Light height',
      unit: '°',
      min: 0,
      max: 90,
      help: 'Above the horizon.',
    }).default(45),
    zFactor,
    lights: choice({ single: 'one light', multiple: 'four lights' }, { label: 'Lights' }).default('single'),
  }),
  outputs: { hillshade: output.raster('Hillshade', undefined, { band: 'measure', unit: 'shade' }) },
  figures: {},
  checks: (inputs) => elevationChecks(inputs, 'slope'),
  estimate: ({ elevation }) => ({
    cells: cellCount(elevation.grid),
    bytes: blockBytes(elevation.grid),
    seconds: cellCount(elevation.grid) / 1.5e7,
  }),
  run: async ({ elevation }, p, job) => {
    const { grid, bands } = elevation.head;
    const sink = job.raster('hillshade', measureHead(grid, { name: 'hillshade', unit: '', role: 'hillshade' }));
    const light = shader(p.azimuth, p.altitude, p.lights);
    const params = { grid, band: { unit: bands[0]!.unit }, zFactor: p.zFactor, algorithm: 'horn' as const, light };
    const inputs = [{ of: elevation, halo: 1 }];
    await overRows(job, 'hillshade', grid, inputs, shadeRows, params, sink, ['float32']);
    return { hillshade: sink, figures: {} };
  },
});

const shadeRows = defineRowKernel('terrain.hillshade', (p: GradientParams & { light: Light }, block) => {
  const out = block.out[0] as Float32Array;
  blockGradients(p, block, (o, gx, gy) => shadeRow(p.light, gx, gy, out, o));
});
