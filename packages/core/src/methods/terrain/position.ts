import { z } from 'zod';
import { cellCount, cellMetres, firstBand, measureRaster } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { quantity } from '../../method/params';
import { discSums } from '../../numeric/disc';
import { elevationChecks, tick } from './gradient';

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
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length' }) },
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
      bytes: n * 8,
      seconds: (n * (2 * p.radius)) / Math.max(...cellMetres(elevation.grid, elevation.grid.rows >> 1)) / 1.5e8,
    };
  },
  run: ({ elevation }, p, job) => {
    const { grid } = elevation;
    const band = firstBand(elevation);
    const [cw, ch] = cellMetres(grid, grid.rows >> 1);
    const out = new Float32Array(cellCount(grid));
    const w = grid.columns;
    discSums(band.cells, w, grid.rows, p.radius / cw, p.radius / ch, (y, sum, count) => {
      tick(job, y, grid.rows, 'position');
      for (let x = 0; x < w; x++) {
        const v = band.cells[y * w + x]!;
        const others = count[x]! - 1;
        out[y * w + x] = others > 0 ? v - (sum[x]! - v) / others : NaN;
      }
    });
    return {
      position: measureRaster(grid, out, { name: 'position', unit: band.unit, role: 'difference' }),
      figures: {},
    };
  },
});
