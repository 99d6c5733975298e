import { z } from 'zod';
import { cellCount, firstBand, measureRaster } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { choice } from '../../method/params';
import { elevationChecks, sizesFor, tick } from './gradient';
import { forWindows } from './window';

export const curvature = defineMethod({
  id: 'terrain.curvature',
  version: 1,
  title: 'Curvature',
  question: 'Where does the ground bulge?',
  about:
    'Curvature of the surface through the eight neighbours after Zevenbergen and Thorne, per metre, positive where the ground bulges and negative where it is hollow: along the slope (profile), across it (plan), or the mean of both directions. On level ground profile and plan are 0. Beside missing cells and at the edge the result is missing.',
  keywords: ['convex', 'concave', 'profile curvature', 'plan curvature', 'bulge', 'hollow'],
  sources: ['Zevenbergen and Thorne 1987, doi:10.1002/esp.3290120107'],
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length' }) },
  params: z.object({
    kind: choice({ profile: 'along the slope', plan: 'across the slope', mean: 'mean' }, { label: 'Kind' }).default(
      'profile',
    ),
  }),
  outputs: { curvature: output.raster('Curvature') },
  figures: {},
  checks: (inputs) => elevationChecks(inputs, 'slope'),
  estimate: ({ elevation }) => ({
    cells: cellCount(elevation.grid),
    bytes: cellCount(elevation.grid) * 8,
    seconds: cellCount(elevation.grid) / 1e7,
  }),
  run: ({ elevation }, p, job) => {
    const { grid } = elevation;
    const band = firstBand(elevation);
    const size = sizesFor(grid, band, 1);
    const out = new Float32Array(cellCount(grid)).fill(NaN);
    let dx = 1;
    let dy = 1;
    forWindows(
      band.cells,
      grid.columns,
      grid.rows,
      (row) => {
        [dx, dy] = size(row);
        tick(job, row, grid.rows, 'curvature');
      },
      (i, a, b, c, d, e, f, g, h, k) => {
        const D = ((d + f) / 2 - e) / (dx * dx);
        const E = ((b + h) / 2 - e) / (dy * dy);
        const F = (c - a + g - k) / (4 * dx * dy);
        const G = (f - d) / (2 * dx);
        const H = (b - h) / (2 * dy);
        const s = G * G + H * H;
        if (p.kind === 'mean') out[i] = -(D + E);
        else if (s === 0) out[i] = 0 * (a + c + g + k);
        else if (p.kind === 'profile') out[i] = (-2 * (D * G * G + E * H * H + F * G * H)) / s;
        else out[i] = (-2 * (D * H * H + E * G * G - F * G * H)) / s;
      },
    );
    return { curvature: measureRaster(grid, out, { name: 'curvature', unit: '1/m', role: 'difference' }), figures: {} };
  },
});
