import { z } from 'zod';
import { HelkError } from '../../errors';
import { featureCount, featuresIn } from '../../data/features';
import { unitFactor } from '../../data/quantity';
import { cellCount, cellMetres, firstBand, measureRaster, type Cells } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import type { Job } from '../../method/job';
import { number, quantity } from '../../method/params';
import { elevationChecks } from './gradient';

/** Mean radius of the earth in metres (IUGG). */
const EARTH = 6371008.8;

/**
 * Whether a target is seen from an eye: no ground between rises above the straight line, ground taken where the line crosses
 * rows or columns of cell centres, linearly between the two cells beside it; heights lowered by the earth's curvature less
 * refraction, (1 - k) d² / 2R.
 */
export function sees(
  z: Cells,
  width: number,
  ex: number,
  ey: number,
  eye: number,
  tx: number,
  ty: number,
  target: number,
  cw: number,
  ch: number,
  bend: number,
): boolean {
  const dx = tx - ex;
  const dy = ty - ey;
  const steps = Math.max(Math.abs(dx), Math.abs(dy));
  const d2 = (dx * cw) ** 2 + (dy * ch) ** 2;
  const drop = bend * d2;
  const rise = z[ty * width + tx]! + target - drop - eye;
  const wide = Math.abs(dx) >= Math.abs(dy);
  for (let s = 1; s < steps; s++) {
    const t = s / steps;
    let ground: number;
    if (wide) {
      const x = ex + (dx > 0 ? s : -s);
      const y = ey + dy * t;
      const y0 = Math.floor(y);
      const f = y - y0;
      ground = f === 0 ? z[y0 * width + x]! : z[y0 * width + x]! * (1 - f) + z[(y0 + 1) * width + x]! * f;
    } else {
      const y = ey + (dy > 0 ? s : -s);
      const x = ex + dx * t;
      const x0 = Math.floor(x);
      const f = x - x0;
      ground = f === 0 ? z[y * width + x0]! : z[y * width + x0]! * (1 - f) + z[y * width + x0 + 1]! * f;
    }
    // Missing ground does not hide: the comparison with NaN is false.
    if (ground - bend * d2 * t * t - eye > rise * t + 1e-9) return false;
  }
  return true;
}

/** Adds 1 to every cell seen from one observer within a radius. O(cells in reach x radius). */
export function addViewshed(
  z: Cells,
  width: number,
  height: number,
  ex: number,
  ey: number,
  eyeHeight: number,
  targetHeight: number,
  radius: number,
  cw: number,
  ch: number,
  bend: number,
  out: Float32Array,
  job: Job,
  from: number,
  to: number,
): void {
  const eye = z[ey * width + ex]! + eyeHeight;
  const rx = Math.min(width, Math.floor(radius / cw));
  const ry = Math.min(height, Math.floor(radius / ch));
  const y0 = Math.max(0, ey - ry);
  const y1 = Math.min(height - 1, ey + ry);
  for (let y = y0; y <= y1; y++) {
    if ((y & 15) === 0) job.progress(from + ((to - from) * (y - y0)) / (y1 - y0 + 1), 'lines of sight');
    for (let x = Math.max(0, ex - rx); x <= Math.min(width - 1, ex + rx); x++) {
      const i = y * width + x;
      if (out[i]! !== out[i]! || Math.hypot((x - ex) * cw, (y - ey) * ch) > radius) continue;
      if ((x === ex && y === ey) || sees(z, width, ex, ey, eye, x, y, targetHeight, cw, ch, bend)) out[i] = out[i]! + 1;
    }
  }
}

export const visibility = defineMethod({
  id: 'terrain.visibility',
  version: 1,
  title: 'Visibility',
  question: 'What is seen from here?',
  about:
    'How many observers see each cell: a straight line from eye to target that no ground rises above, each cell with a line of its own. The earth’s curvature lowers far ground, refraction lifts it by the given share. The visible share is that of cells with elevations that at least one observer sees.',
  keywords: ['viewshed', 'line of sight', 'view', 'seen', 'visible'],
  sources: [
    'Fisher 1993, doi:10.1080/02693799308901965 (line of sight on grids)',
    'common practice, no source (refraction coefficient 0.13)',
  ],
  inputs: {
    elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length' }),
    observers: input.features({ label: 'Observers', geometry: 'point' }),
  },
  params: z.object({
    eyeHeight: quantity('length', { label: 'Eye height', unit: 'm', min: 0, help: 'Above the ground.' }).default(1.6),
    targetHeight: quantity('length', { label: 'Target height', unit: 'm', min: 0, help: 'Above the ground.' }).default(
      0,
    ),
    radius: quantity('length', { label: 'Radius', unit: 'm', above: 0, help: 'How far to look.' }),
    refraction: number({
      label: 'Refraction',
      min: 0,
      max: 1,
      help: 'Share of the curvature that bent light makes up for.',
    }).default(0.13),
  }),
  outputs: { visible: output.raster('Visible') },
  figures: { visibleShare: { label: 'Visible share (0 to 1)' } },
  checks: (inputs) => elevationChecks(inputs, 'slope'),
  suggest: ({ elevation }) => {
    const [w, h] = cellMetres(elevation.grid, elevation.grid.rows >> 1);
    const diagonal = Math.hypot(w * elevation.grid.columns, h * elevation.grid.rows);
    const km = Math.min(10, diagonal / 1000);
    return {
      radius: {
        value: `${Number(km.toPrecision(2))} km`,
        reason: km < 10 ? 'the whole grid' : 'as far as single things are made out on a clear day',
      },
    };
  },
  estimate: ({ elevation, observers }, p) => {
    const [w, h] = cellMetres(elevation.grid, elevation.grid.rows >> 1);
    const reach = Math.min(cellCount(elevation.grid), (Math.PI * p.radius * p.radius) / (w * h));
    return {
      cells: cellCount(elevation.grid),
      bytes: cellCount(elevation.grid) * 8,
      seconds: (observers.count * reach * Math.sqrt(reach / Math.PI)) / 2e8,
    };
  },
  run: ({ elevation, observers }, p, job) => {
    const { grid } = elevation;
    const band = firstBand(elevation);
    const metres = unitFactor(band.unit) ?? 1;
    const [cw, ch] = cellMetres(grid, grid.rows >> 1).map((v) => v / metres) as [number, number];
    const bend = ((1 - p.refraction) / (2 * EARTH)) * metres;
    const out = new Float32Array(cellCount(grid));
    for (let i = 0; i < out.length; i++) out[i] = band.cells[i]! * 0;
    const points = featuresIn(observers, grid.crs);
    let used = 0;
    const n = featureCount(observers);
    for (let f = 0; f < n; f++) {
      if (observers.featureOffsets[f] === observers.featureOffsets[f + 1]) continue;
      const c = observers.ringOffsets[observers.partOffsets[observers.featureOffsets[f]!]!]!;
      const x = Math.floor((points.xy[2 * c]! - grid.x) / grid.dx);
      const y = Math.floor((grid.y - points.xy[2 * c + 1]!) / grid.dy);
      if (!(x >= 0 && y >= 0 && x < grid.columns && y < grid.rows) || Number.isNaN(band.cells[y * grid.columns + x]!))
        continue;
      used++;
      addViewshed(
        band.cells,
        grid.columns,
        grid.rows,
        x,
        y,
        p.eyeHeight / metres,
        p.targetHeight / metres,
        p.radius / metres,
        cw,
        ch,
        bend,
        out,
        job,
        f / n,
        (f + 1) / n,
      );
    }
    if (!used) throw new HelkError('method.input', 'No observer stands on ground with an elevation.', 'observers');
    if (used < n)
      job.note(
        'look',
        'observers.outside',
        `${n - used} of ${n} observers stand outside the elevations and were left out.`,
      );
    let seen = 0;
    let present = 0;
    for (let i = 0; i < out.length; i++) {
      if (out[i]! !== out[i]!) continue;
      present++;
      if (out[i]! > 0) seen++;
    }
    return {
      visible: measureRaster(grid, out, { name: 'observers', unit: '', storedType: 'int16' }),
      figures: { visibleShare: present ? seen / present : 0 },
    };
  },
});
