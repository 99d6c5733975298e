import * as z from 'zod';
import { HelkError } from '../../errors';
import { featureCount, featuresIn } from '../../data/features';
import { unitFactor } from '../../data/quantity';
import { cellCount, cellMetres, firstBand, measureRaster, type Cells } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { defineKernel } from '../../method/parallel';
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

interface Looking {
  z: Cells;
  width: number;
  height: number;
  /** All lengths in the unit of the elevations. */
  eyeHeight: number;
  targetHeight: number;
  radius: number;
  cw: number;
  ch: number;
  bend: number;
}

/** Rows of the ground around one observer. */
interface Outlook {
  x: number;
  y: number;
  from: number;
  to: number;
}

/** Rows that are looked at at once: each costs as many lines of sight as the radius has cells. */
const ROWS = 16;

/** What one observer sees in some rows: 1 for each cell of the box around, row by row. O(cells in reach x radius). */
const outlookRows = defineKernel('terrain.visibility', (l: Looking, o: Outlook): Uint8Array => {
  const { z, width } = l;
  const eye = z[o.y * width + o.x]! + l.eyeHeight;
  const [x0, x1] = columnsAround(l, o.x);
  const seen = new Uint8Array((o.to - o.from) * (x1 - x0));
  for (let y = o.from, k = 0; y < o.to; y++) {
    for (let x = x0; x < x1; x++, k++) {
      const here = z[y * width + x]!;
      if (here !== here || Math.hypot((x - o.x) * l.cw, (y - o.y) * l.ch) > l.radius) continue;
      const own = x === o.x && y === o.y;
      if (own || sees(z, width, o.x, o.y, eye, x, y, l.targetHeight, l.cw, l.ch, l.bend)) seen[k] = 1;
    }
  }
  return seen;
});

function columnsAround(l: Looking, x: number): [number, number] {
  const reach = Math.min(l.width, Math.floor(l.radius / l.cw));
  return [Math.max(0, x - reach), Math.min(l.width, x + reach + 1)];
}

/** The rows around an observer, some at a time. */
function outlooks(l: Looking, x: number, y: number): Outlook[] {
  const reach = Math.min(l.height, Math.floor(l.radius / l.ch));
  const end = Math.min(l.height, y + reach + 1);
  const out: Outlook[] = [];
  for (let from = Math.max(0, y - reach); from < end; from += ROWS)
    out.push({ x, y, from, to: Math.min(end, from + ROWS) });
  return out;
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
  figures: { visibleShare: { label: 'Visible share', unit: 'share' } },
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
  run: async ({ elevation, observers }, p, job) => {
    const { grid } = elevation;
    const band = firstBand(elevation);
    const metres = unitFactor(band.unit) ?? 1;
    const [cw, ch] = cellMetres(grid, grid.rows >> 1).map((v) => v / metres) as [number, number];
    const bend = ((1 - p.refraction) / (2 * EARTH)) * metres;
    const out = new Float32Array(cellCount(grid));
    for (let i = 0; i < out.length; i++) out[i] = band.cells[i]! * 0;
    const points = featuresIn(observers, grid.crs);
    const looking: Looking = {
      z: band.cells,
      width: grid.columns,
      height: grid.rows,
      eyeHeight: p.eyeHeight / metres,
      targetHeight: p.targetHeight / metres,
      radius: p.radius / metres,
      cw,
      ch,
      bend,
    };
    let used = 0;
    const n = featureCount(observers);
    const blocks: Outlook[] = [];
    for (let f = 0; f < n; f++) {
      if (observers.featureOffsets[f] === observers.featureOffsets[f + 1]) continue;
      const c = observers.ringOffsets[observers.partOffsets[observers.featureOffsets[f]!]!]!;
      const x = Math.floor((points.xy[2 * c]! - grid.x) / grid.dx);
      const y = Math.floor((grid.y - points.xy[2 * c + 1]!) / grid.dy);
      if (!(x >= 0 && y >= 0 && x < grid.columns && y < grid.rows) || Number.isNaN(band.cells[y * grid.columns + x]!))
        continue;
      used++;
      blocks.push(...outlooks(looking, x, y));
    }
    await job.parallel(outlookRows, looking, blocks, (seen, i) => {
      job.progress(i / blocks.length, 'lines of sight');
      const { x, from, to } = blocks[i]!;
      const [x0, x1] = columnsAround(looking, x);
      for (let y = from, k = 0; y < to; y++)
        for (let o = y * grid.columns + x0, e = y * grid.columns + x1; o < e; o++, k++)
          if (seen[k]) out[o] = out[o]! + 1;
    });
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
