import * as z from 'zod';
import { HelkError } from '../../errors';
import { featureCount, featuresExtent, featuresIn, type FeaturesInfo } from '../../data/features';
import { heldBand, isWhole, roomier } from '../../data/cells';
import type { Held } from '../../data/held';
import { cellCount, cellsLike, gridExtent, missingOf, type BandInfo, type Grid } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { bounds, choice } from '../../method/params';
import { blockBytes, blockRows } from '../../method/rows';
import { insideRows } from '../../numeric/scanline';
import type { Check } from '../../data/check';
import { sameCrs, transformExtent } from '../../data/crs';
import { formatNumber } from '../../data/number-words';

/** The part of a grid whose cell centres lie inside an extent; null when none does. */
export function cropGrid(
  g: Grid,
  [xmin, ymin, xmax, ymax]: readonly number[],
): { grid: Grid; column: number; row: number } | null {
  const eps = 1e-9;
  const c0 = Math.max(0, Math.ceil((xmin! - g.x) / g.dx - 0.5 - eps));
  const c1 = Math.min(g.columns, Math.floor((xmax! - g.x) / g.dx + 0.5 + eps));
  const r0 = Math.max(0, Math.ceil((g.y - ymax!) / g.dy - 0.5 - eps));
  const r1 = Math.min(g.rows, Math.floor((g.y - ymin!) / g.dy + 0.5 + eps));
  if (c1 <= c0 || r1 <= r0) return null;
  return {
    grid: { ...g, x: g.x + c0 * g.dx, y: g.y - r0 * g.dy, columns: c1 - c0, rows: r1 - r0 },
    column: c0,
    row: r0,
  };
}

/** The part of a grid within bounds and about an area, as far as its box tells. */
function partOf(
  grid: Grid,
  box: readonly number[] | undefined,
  area: FeaturesInfo | undefined,
): ReturnType<typeof cropGrid> {
  const part = box ? cropGrid(grid, box) : { grid, column: 0, row: 0 };
  if (!part || !area?.extent) return area ? null : part;
  const inner =
    area.crs && grid.crs && !sameCrs(area.crs, grid.crs)
      ? transformExtent(area.extent, area.crs, grid.crs)
      : area.extent;
  return inner && cropGrid(part.grid, inner);
}

export const clip = defineMethod({
  id: 'raster.clip',
  version: 1,
  title: 'Clip',
  question: 'What lies in this part only?',
  about:
    'Keeps the cells whose centre lies inside the polygons or the bounds (given in the raster’s coordinates), unresampled; the rest of the smaller grid is missing. Polygons in another coordinate system are brought to the raster’s, corner by corner.',
  keywords: ['crop', 'cut', 'mask', 'subset', 'extract', 'area of interest'],
  sources: ['common practice, no source (a cell belongs to an area when its centre lies in it)'],
  inputs: {
    raster: input.raster({ bands: 'all', parts: true }),
    area: input.features({ label: 'Area', geometry: 'polygon', least: 0 }),
  },
  params: z.object({
    bounds: bounds({ label: 'Bounds', help: 'west, south, east, north in the raster’s coordinates' }).optional(),
    feather: choice({ none: 'none' }, { label: 'Feather', help: 'Edges are cut sharp.' }).default('none'),
  }),
  serves: 'cut a part',
  outputs: { clipped: output.raster('Clipped', undefined, { as: 'raster' }) },
  figures: { cells: { label: 'Cells kept' } },
  checks: ({ raster, area }, p): Check[] => {
    if (!area && !p.bounds)
      return [{ level: 'refused', code: 'clip.nothing', message: 'Give an area or bounds to keep.', about: 'bounds' }];
    if (p.bounds && !cropGrid(raster.grid, p.bounds)) {
      const e = gridExtent(raster.grid).map((v) => Number(v.toPrecision(8)));
      return [
        {
          level: 'refused',
          code: 'clip.outside',
          about: 'bounds',
          message: `No cell lies in those bounds; the raster spans ${e.join(', ')}.`,
        },
      ];
    }
    if (area && (!area.crs || !raster.grid.crs) && area.crs !== raster.grid.crs) {
      return [
        {
          level: 'look',
          code: 'crs.missing',
          about: 'area',
          message: 'One of the two has no coordinate system; they are taken to share one.',
        },
      ];
    }
    const part = partOf(raster.grid, p.bounds, area);
    if (!part) return [];
    const { columns, rows } = part.grid;
    return [
      {
        level: 'fine',
        code: 'clip.size',
        about: 'bounds',
        message: `${columns} columns × ${rows} rows: ${formatNumber(columns * rows)} of ${formatNumber(cellCount(raster.grid))} cells${area ? ', less those outside the area' : ''}.`,
      },
    ];
  },
  estimate: ({ raster }) => ({
    cells: cellCount(raster.grid),
    bytes: blockBytes(raster.grid, 2 * raster.bands.length),
    seconds: cellCount(raster.grid) / 5e7,
  }),
  run: async ({ raster, area }, p, job) => {
    const whole = raster.head.grid;
    let part = p.bounds ? cropGrid(whole, p.bounds) : { grid: whole, column: 0, row: 0 };
    const zone = area ? featuresIn(area, whole.crs) : null;
    if (zone && part) {
      const e = featureCount(zone) ? featuresExtent(zone) : null;
      const inner = e ? cropGrid(part.grid, e) : null;
      part = inner && { grid: inner.grid, column: part.column + inner.column, row: part.row + inner.row };
    }
    if (!part)
      throw new HelkError('method.input', 'The area does not touch the raster: no cell centre lies in it.', 'area');
    const { grid, column, row } = part;
    const bands = raster.head.bands.map((b) => leavable(heldBand(b), zone !== null));
    const sink = job.raster('clipped', { grid, bands });
    const inside = zone ? insideRows(zone, grid) : null;
    const step = blockRows(whole.columns);
    const mask = new Uint8Array(step * grid.columns);
    let cells = 0;
    for (let from = 0; from < grid.rows; from += step) {
      job.progress(from / grid.rows, 'cutting');
      const n = Math.min(step, grid.rows - from);
      if (inside) for (let y = 0; y < n; y++) inside(from + y, mask.subarray(y * grid.columns, (y + 1) * grid.columns));
      for (const [k, b] of bands.entries()) {
        const given = await raster.rows(k, row + from, n);
        const out = cellsLike(given, n * grid.columns);
        const missing = missingOf(b);
        for (let y = 0; y < n; y++) {
          const at = y * whole.columns + column;
          out.set(given.subarray(at, at + grid.columns), y * grid.columns);
        }
        if (inside) for (let i = 0; i < out.length; i++) if (mask[i] === 0) out[i] = missing;
        if (k === 0)
          for (let i = 0; i < out.length; i++) {
            const v = out[i]!;
            if (v === v && v !== missing) cells++;
          }
        await sink.write(k, out);
      }
    }
    return { clipped: sink, figures: { cells } };
  },
});

/** A band whose cells may be left out: held so that a value is there for missing ones. */
function leavable(b: BandInfo & { held: Held }, leaves: boolean): BandInfo & { held: Held } {
  if (!leaves || !isWhole(b.held.type) || b.held.missing !== null) return b;
  // Every value of the type may be taken: the next wider one has room.
  return { ...b, held: { ...b.held, ...roomier(b.held.type) } };
}
