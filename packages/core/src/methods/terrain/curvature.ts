import * as z from 'zod';
import { cellCount, measureHead, type BandInfo, type Grid } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { choice } from '../../method/params';
import { blockBytes, defineRowKernel, overRows } from '../../method/rows';
import { elevationChecks, sizesFor } from './gradient';
import { eachInnerRow } from './window';

export const curvature = defineMethod({
  id: 'terrain.curvature',
  version: 1,
  title: 'Curvature',
  question: 'Where does the ground bulge?',
  about:
    'Curvature of the surface through the eight neighbours after Zevenbergen and Thorne, per metre, positive where the ground bulges and negative where it is hollow: along the slope (profile), across it (plan), or the mean of both directions. On level ground profile and plan are 0. Beside missing cells and at the edge the result is missing.',
  keywords: ['convex', 'concave', 'profile curvature', 'plan curvature', 'bulge', 'hollow'],
  sources: ['Zevenbergen and Thorne 1987, doi:10.1002/esp.3290120107'],
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length', parts: true }) },
  params: z.object({
    kind: choice({ profile: 'along the slope', plan: 'across the slope', mean: 'mean' }, { label: 'Kind' }).default(
      'profile',
    ),
  }),
  outputs: { curvature: output.raster('Curvature', undefined, { band: 'measure', unit: 'a share of a length' }) },
  figures: {},
  checks: (inputs) => elevationChecks(inputs, 'slope'),
  estimate: ({ elevation }) => ({
    cells: cellCount(elevation.grid),
    bytes: blockBytes(elevation.grid),
    seconds: cellCount(elevation.grid) / 1e7,
  }),
  run: async ({ elevation }, p, job) => {
    const { grid, bands } = elevation.head;
    const sink = job.raster('curvature', measureHead(grid, { name: 'curvature', unit: '1/m', role: 'difference' }));
    const params = { grid, band: { unit: bands[0]!.unit }, kind: p.kind };
    const inputs = [{ of: elevation, halo: 1 }];
    await overRows(job, 'curvature', grid, inputs, curvatureRows, params, sink, ['float32']);
    return { curvature: sink, figures: {} };
  },
});

interface CurvatureParams {
  grid: Grid;
  band: Pick<BandInfo, 'unit'>;
  kind: 'profile' | 'plan' | 'mean';
}

const curvatureRows = defineRowKernel('terrain.curvature', ({ grid, band, kind }: CurvatureParams, block) => {
  const size = sizesFor(grid, band, 1);
  eachInnerRow(block, (row, north, middle, south, out) => {
    const [dx, dy] = size(row);
    // Divided once a row instead of five times a cell.
    const [xx, yy, xy] = [1 / (dx * dx), 1 / (dy * dy), 1 / (4 * dx * dy)];
    const [tx, ty] = [1 / (2 * dx), 1 / (2 * dy)];
    // Letters as in Zevenbergen and Thorne.
    for (let x = 1; x < block.width - 1; x++) {
      const corners = north[x + 1]! - north[x - 1]! + south[x - 1]! - south[x + 1]!;
      const z = middle[x]!;
      const D = ((middle[x - 1]! + middle[x + 1]!) / 2 - z) * xx;
      const E = ((north[x]! + south[x]!) / 2 - z) * yy;
      const F = corners * xy;
      const G = (middle[x + 1]! - middle[x - 1]!) * tx;
      const H = (north[x]! - south[x]!) * ty;
      const s = G * G + H * H;
      if (kind === 'mean') out[x] = -(D + E);
      else if (s === 0) out[x] = 0 * corners;
      else if (kind === 'profile') out[x] = (-2 * (D * G * G + E * H * H + F * G * H)) / s;
      else out[x] = (-2 * (D * H * H + E * G * G - F * G * H)) / s;
    }
  });
});
