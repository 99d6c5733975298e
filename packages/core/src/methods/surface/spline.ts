import * as z from 'zod';
import { HelkError } from '../../errors';
import { defineMethod, output, shown } from '../../method/define';
import { number } from '../../method/params';
import { thinPlate } from '../../numeric/spline';
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

const MOST_POINTS = 4000;

export const spline = defineMethod({
  id: 'surface.spline',
  version: 1,
  title: 'Thin plate spline',
  question: 'Which smooth sheet goes through the measurements?',
  about:
    'The sheet of least bending through all values, or near them where smoothing is above 0. It may rise above the highest and fall below the lowest value between points. All points take part at once, so their number is limited to 4 000.',
  keywords: ['interpolate', 'interpolation', 'tps', 'smooth', 'radial basis'],
  sources: ['Duchon 1977, doi:10.1007/BFb0086566', 'Wahba 1990, Spline Models for Observational Data'],
  inputs: surfaceInputs,
  params: z.object({
    value: valueParam,
    smoothing: number({
      label: 'Smoothing',
      min: 0,
      help: '0 goes through every value; of the order of the squared spacing to be felt.',
    }).default(0),
    ...gridParams,
  }),
  outputs: {
    estimate: shown(output.raster('Spline', undefined, { band: 'measure' }), {
      judged: { input: 'points', param: 'value' },
    }),
  },
  figures: {},
  checks: (inputs, p) => [
    ...surfaceChecks(inputs, p.value),
    ...(inputs.points.count > MOST_POINTS
      ? [
          {
            level: 'refused' as const,
            code: 'points.many',
            about: 'points',
            message: `A spline takes at most ${MOST_POINTS} points at once; there are ${inputs.points.count}. Take inverse distance or kriging with neighbours.`,
          },
        ]
      : []),
  ],
  suggest: (inputs) => suggestGrid(inputs),
  estimate: (inputs, p) => {
    const e = estimateGrid(inputs, p, inputs.points.count * 3e-8);
    return { ...e, bytes: e.bytes + inputs.points.count ** 2 * 8, seconds: e.seconds + inputs.points.count ** 3 / 2e9 };
  },
  run: async ({ points, within }, p, job) => {
    const s = samplesOf(points, p.value, job);
    const grid = gridFor(points, p);
    job.progress(0.01, 'the sheet');
    const sheet = thinPlate(s, p.smoothing);
    if (!sheet)
      throw new HelkError('method.input', 'All points lie on one line; a sheet cannot be laid over them.', 'points');
    const [cells] = await fillGrid(grid, within, job, { how: 'spline', sheet });
    return { estimate: surfaceRaster(grid, cells!, p.value, s.unit), figures: {} };
  },
});
