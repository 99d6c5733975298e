import * as z from 'zod';
import type { Crs } from '../data/crs';
import { FeaturesBuilder, featuresIn, type Features } from '../data/features';
import type { Grid } from '../data/raster';
import type { Job } from '../method/job';
import { blockRows } from '../method/rows';
import { completeVectors, type Scene } from '../methods/imagery/scene';
import { eachRun, edgeRows } from '../numeric/scanline';

export const Corners = z.array(z.tuple([z.number(), z.number()])).max(20_000);

/** An area that somebody drew: its corners, and what it is called. */
export const Outline = z.object({ label: z.string().max(200), ring: Corners.min(3) });

/** Outlines as features on a grid. */
export function areasIn(areas: readonly z.output<typeof Outline>[], crs: Crs | null, grid: Grid): Features {
  const f = new FeaturesBuilder();
  for (const { ring } of areas) {
    for (const [x, y] of [...ring, ring[0]!]) f.coordinate(x, y);
    f.endRing();
    f.endPart();
    f.endFeature();
  }
  return featuresIn(f.build('polygon', crs, []), grid.crs);
}

/** Calls with the cells of areas that have a value in every band; only rows that an area reaches are read. */
export async function eachAreaCell(
  job: Job,
  scene: Scene,
  f: Features,
  visit: (area: number, x: Float32Array, at: number) => void,
): Promise<void> {
  const { grid } = scene.of.head;
  const b = scene.bands.length;
  const edges = edgeRows(f, grid);
  let [top, bottom] = [Infinity, -Infinity];
  for (let i = 1; i < f.xy.length; i += 2) {
    const r = (grid.y - f.xy[i]!) / grid.dy;
    top = Math.min(top, r);
    bottom = Math.max(bottom, r);
  }
  const first = Math.max(0, Math.floor(top));
  const last = Math.min(grid.rows, Math.ceil(bottom));
  const step = blockRows(grid.columns);
  for (let from = first; from < last; from += step) {
    job.progress((from - first) / (last - first), 'areas');
    const rows = Math.min(step, last - from);
    const inputs = [];
    for (const band of scene.bands) inputs.push({ cells: await scene.of.rows(band, from, rows) });
    const x = new Float32Array(rows * grid.columns * b);
    const at = new Uint32Array(rows * grid.columns);
    const n = completeVectors(inputs, x, at);
    const place = new Int32Array(rows * grid.columns).fill(-1);
    for (let i = 0; i < n; i++) place[at[i]!] = i;
    for (let y = 0; y < rows; y++)
      eachRun(f, edges, grid, from + y, (c0, c1, area) => {
        for (let c = c0; c < c1; c++) {
          const i = place[y * grid.columns + c]!;
          if (i >= 0) visit(area, x, i * b);
        }
      });
  }
}
