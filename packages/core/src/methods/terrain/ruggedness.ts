import * as z from 'zod';
import { cellCount, measureHead } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { blockBytes, defineRowKernel, overRows } from '../../method/rows';
import { elevationChecks } from './gradient';
import { eachInnerRow } from './window';

export const ruggedness = defineMethod({
  id: 'terrain.ruggedness',
  version: 1,
  title: 'Ruggedness',
  question: 'How rough is the ground?',
  about:
    'Riley’s terrain ruggedness index: the root of the summed squared differences between a cell and its eight neighbours, in the unit of the elevations. Beside missing cells and at the edge the result is missing.',
  keywords: ['tri', 'roughness', 'terrain ruggedness index'],
  sources: ['Riley, DeGloria and Elliot 1999, Intermountain Journal of Sciences 5: 23-27'],
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length', parts: true }) },
  params: z.object({}),
  outputs: { ruggedness: output.raster('Ruggedness') },
  figures: {},
  checks: (inputs) => elevationChecks(inputs, 'slope'),
  estimate: ({ elevation }) => ({
    cells: cellCount(elevation.grid),
    bytes: blockBytes(elevation.grid),
    seconds: cellCount(elevation.grid) / 2e7,
  }),
  run: async ({ elevation }, _p, job) => {
    const { grid, bands } = elevation.head;
    const sink = job.raster('ruggedness', measureHead(grid, { name: 'ruggedness', unit: bands[0]!.unit }));
    const inputs = [{ of: elevation, halo: 1 }];
    await overRows(job, 'ruggedness', grid, inputs, ruggedRows, {}, sink, ['float32']);
    return { ruggedness: sink, figures: {} };
  },
});

const ruggedRows = defineRowKernel('terrain.ruggedness', (_p: object, block) => {
  eachInnerRow(block, (_row, north, middle, south, out) => {
    for (let x = 1; x < block.width - 1; x++) {
      const z = middle[x]!;
      const nw = north[x - 1]! - z;
      const n = north[x]! - z;
      const ne = north[x + 1]! - z;
      const w = middle[x - 1]! - z;
      const e = middle[x + 1]! - z;
      const sw = south[x - 1]! - z;
      const s = south[x]! - z;
      const se = south[x + 1]! - z;
      out[x] = Math.sqrt(nw * nw + n * n + ne * ne + w * w + e * e + sw * sw + s * s + se * se);
    }
  });
});
