import { z } from 'zod';
import { cellCount, firstBand, measureRaster } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { choice, quantity } from '../../method/params';
import { elevationChecks, scanGradients, sizesFor, tick } from './gradient';
import { shadeRow, shader } from './light';
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
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length' }) },
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
  outputs: { hillshade: output.raster('Hillshade') },
  figures: {},
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
    const light = shader(p.azimuth, p.altitude, p.lights);
    scanGradients(band.cells, grid.columns, grid.rows, sizesFor(grid, band, p.zFactor), 'horn', (row, gx, gy) => {
      shadeRow(light, gx, gy, out, row * grid.columns);
      tick(job, row, grid.rows, 'hillshade');
    });
    return { hillshade: measureRaster(grid, out, { name: 'hillshade', unit: '', role: 'hillshade' }), figures: {} };
  },
});
