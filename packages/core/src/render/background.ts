import * as z from 'zod';
import { CrsShape } from '../sheet/shape';

/** One scale of a picture of the ground that comes in tiles. */
const LevelShape = z.object({
  /** As the service calls it. */
  name: z.string().max(200),
  /** Units of the system to a pixel. */
  resolution: z.number().positive(),
  /** The upper left corner of the first tile. */
  x: z.number(),
  y: z.number(),
  /** Pixels of a tile. */
  width: z.number().int().min(16).max(4096),
  height: z.number().int().min(16).max(4096),
  columns: z.number().int().positive(),
  rows: z.number().int().positive(),
});

/** A picture of the ground that lies under the data: tiles of a service, and how each of them is asked for. */
export const BackgroundShape = z.object({
  format: z.literal('helk-background'),
  version: z.literal(1),
  name: z.string().trim().min(1, 'A name is needed.').max(200),
  /** Who made it, as they want to be named; empty where the service does not say. */
  credit: z.string().max(500),
  /** The address of the service, as it was typed. */
  address: z.string().max(2000),
  service: z.enum(['xyz', 'tiles', 'wms']),
  /**
   * The address of a tile: `{z}`, `{x}`, `{y}` stand for level, column and row from the top, `{-y}` for the row from the bottom,
   * `{box}` for west, south, east, north, `{boxYX}` for south, west, north, east.
   */
  tile: z.string().max(4000),
  /** It describes itself, as it does everywhere: who draws it needs no catalogue. */
  crs: CrsShape,
  /** Where there is something, in its system. */
  extent: z.tuple([z.number(), z.number(), z.number(), z.number()]).nullable(),
  /** From coarse to fine. */
  levels: z.array(LevelShape).min(1).max(40),
});

export type Background = z.infer<typeof BackgroundShape>;
export type TileLevel = z.infer<typeof LevelShape>;

/** The address of a tile; null where there is none. */
export function tileAddress(b: Background, level: number, column: number, row: number): string | null {
  const l = b.levels[level];
  if (!l || !(column >= 0 && column < l.columns && row >= 0 && row < l.rows)) return null;
  const [w, h] = [l.width * l.resolution, l.height * l.resolution];
  const [west, north] = [l.x + column * w, l.y - row * h];
  const [east, south] = [west + w, north - h];
  if (b.extent && (west > b.extent[2] || east < b.extent[0] || south > b.extent[3] || north < b.extent[1])) return null;
  const put: Record<string, string | number> = {
    '{z}': encodeURIComponent(l.name),
    '{x}': column,
    '{y}': row,
    '{-y}': l.rows - 1 - row,
    '{box}': [west, south, east, north].join(),
    '{boxYX}': [south, west, north, east].join(),
  };
  return b.tile.replace(/\{-?\w+\}/g, (name) => String(put[name] ?? name));
}
