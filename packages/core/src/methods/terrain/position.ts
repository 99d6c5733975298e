import * as z from 'zod';
import { cellCount, cellMetres, measureHead } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { quantity } from '../../method/params';
import { blockBytes, defineRowKernel, overRows } from '../../method/rows';
import { discRows, discSums } from '../../numeric/disc';
import { elevationChecks } from './gradient';

export const position = defineMethod({
  id: 'terrain.position',
  version: 1,
  title: 'Topographic position',
  question: 'Is it a ridge or a hollow?',
  about:
    'The topographic position index: a cell’s elevation minus the mean of the other cells whose centres lie within the radius. Positive on ridges and tops, negative in valleys, near 0 on plains and even slopes. Missing cells are left out of the mean.',
  keywords: ['tpi', 'ridge', 'valley', 'landform', 'relative height'],
  sources: [
    'Weiss 2001, Topographic position and landforms analysis (poster); definition in Guisan, Weiss and Weiss 1999, doi:10.1023/A:1009841519580',
  ],
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length', parts: true }) },
  params: z.object({
    radius: quantity('length', { label: 'Radius', unit: 'm', above: 0, help: 'The size of landform to tell apart.' }),
  }),
  outputs: { position: output.raster('Position') },
  figures: {},
  checks: (inputs) => elevationChecks(inputs, 'slope'),
  suggest: ({ elevation }) => ({
    radius: {
      value: `${Number((10 * Math.max(...cellMetres(elevation.grid, elevation.grid.rows >> 1))).toPrecision(2))} m`,
      reason: 'ten cells',
    },
  }),
  estimate: ({ elevation }, p) => {
    const n = cellCount(elevation.grid);
    return {
      cells: n,
      bytes: blockBytes(
        elevation.grid,
        2,
        p.radius / Math.min(...cellMetres(elevation.grid, elevation.grid.rows >> 1)),
      ),
      seconds: (n * (2 * p.radius)) / Math.max(...cellMetres(elevation.grid, elevation.grid.rows >> 1)) / 1.5e8,
    };
  },
  run: async ({ elevation }, p, job) => {
    const { grid, bands } = elevation.head;
    const [cw, ch] = cellMetres(grid, grid.rows >> 1);
    const head = measureHead(grid, { name: 'position', unit: bands[0]!.unit, role: 'difference' });
    const sink = job.raster('position', head);
    const params = { rx: p.radius / cw, ry: p.radius / ch };
    const inputs = [{ of: elevation, halo: discRows(params.rx, params.ry).reach }];
    await overRows(job, 'position', grid, inputs, positionRows, params, sink, ['float32']);
    return { position: sink, figures: {} };
  },
});

const positionRows = defineRowKernel('terrain.position', ({ rx, ry }: { rx: number; ry: number }, block) => {
  const { cells, above, rows } = block.inputs[0]!;
  const w = block.width;
  const out = block.out[0]!;
  const visit = (y: number, sum: Float64Array, count: Float64Array): void => {
    const o = (y - above) * w;
    for (let x = 0; x < w; x++) {
      const v = cells[y * w + x]!;
      const others = count[x]! - 1;
      out[o + x] = others > 0 ? v - (sum[x]! - v) / others : NaN;
    }
  };
  discSums(cells, w, rows, rx, ry, visit, above, above + block.rows);
});
