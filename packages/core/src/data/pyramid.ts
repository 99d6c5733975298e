import { halve } from '../numeric/overview';
import { missingOf, type Cells, type Grid } from './raster';

/** Cells along the side of a chunk. */
export const CHUNK = 512;

/** Number of coarser levels beside level 0: halved until one chunk holds everything. */
export function levelsOf(grid: { columns: number; rows: number }): number {
  let n = 0;
  for (let w = grid.columns, h = grid.rows; w > CHUNK || h > CHUNK; w = Math.ceil(w / 2), h = Math.ceil(h / 2)) n++;
  return n;
}

/** Columns and rows of a level. */
export function levelSize(grid: { columns: number; rows: number }, level: number): { width: number; height: number } {
  let { columns: width, rows: height } = grid;
  for (let k = 0; k < level; k++) {
    width = Math.ceil(width / 2);
    height = Math.ceil(height / 2);
  }
  return { width, height };
}

/** Columns and rows of one chunk; those at the edge are as wide as they are. */
export function chunkSize(
  size: { width: number; height: number },
  column: number,
  row: number,
): { w: number; h: number } {
  return { w: Math.min(CHUNK, size.width - column * CHUNK), h: Math.min(CHUNK, size.height - row * CHUNK) };
}

/** The number a chunk has in the store. */
export const chunkKey = (column: number, row: number): number => row * 0x1000000 + column;

/** Every chunk of a grid of a level, row by row from the north. */
export function* chunksOf(size: { width: number; height: number }): Generator<{ column: number; row: number }> {
  for (let row = 0; row * CHUNK < size.height; row++)
    for (let column = 0; column * CHUNK < size.width; column++) yield { column, row };
}

export interface Tile {
  level: number;
  column: number;
  row: number;
  w: number;
  h: number;
  cells: Cells;
}

/**
 * Cuts the rows of one band, as they come, into chunks of every level. At any time only one row of chunks a level is held. Halving is that
 * of `halve`: means for measures, the most frequent for classes.
 */
export class Pyramid {
  private readonly levels: { width: number; height: number; strip: Cells; at: number; row: number }[] = [];
  private readonly missing: number;

  /**
   * @param like an array of the type in which values come
   * @param tiles called for each row of chunks
   */
  constructor(
    grid: Pick<Grid, 'columns' | 'rows'>,
    private readonly kind: 'measure' | 'category',
    like: Cells,
    private readonly tiles: (row: Tile[]) => Promise<void>,
  ) {
    this.missing = missingOf({ kind });
    const Type = like.constructor as new (n: number) => Cells;
    for (let k = 0; k <= levelsOf(grid); k++) {
      const { width, height } = levelSize(grid, k);
      this.levels.push({ width, height, strip: new Type(width * Math.min(CHUNK, height)), at: 0, row: 0 });
    }
  }

  /** Takes the next rows. @throws RangeError when there are more than the grid has, or no whole rows */
  async push(cells: Cells, level = 0): Promise<void> {
    const l = this.levels[level]!;
    const rows = cells.length / l.width;
    if (!Number.isInteger(rows) || l.row * CHUNK + l.at + rows > l.height)
      throw new RangeError(`${cells.length} cells are no whole rows of ${l.width}, or too many.`);
    for (let done = 0; done < rows;) {
      const room = Math.min(CHUNK, l.height - l.row * CHUNK) - l.at;
      const n = Math.min(room, rows - done);
      l.strip.set(cells.subarray(done * l.width, (done + n) * l.width), l.at * l.width);
      l.at += n;
      done += n;
      if (n === room) await this.flush(level);
    }
  }

  /** Whether every row has come. */
  get complete(): boolean {
    const l = this.levels[0]!;
    return l.row * CHUNK >= l.height;
  }

  private async flush(level: number): Promise<void> {
    const l = this.levels[level]!;
    const { width, at: h, row } = l;
    const strip = l.strip.subarray(0, h * width);
    const tiles: Tile[] = [];
    for (let column = 0; column * CHUNK < width; column++) {
      const w = Math.min(CHUNK, width - column * CHUNK);
      const cells = new (strip.constructor as new (n: number) => Cells)(w * h);
      for (let y = 0; y < h; y++) {
        const from = y * width + column * CHUNK;
        cells.set(strip.subarray(from, from + w), y * w);
      }
      tiles.push({ level, column, row, w, h, cells });
    }
    await this.tiles(tiles);
    l.at = 0;
    l.row++;
    if (level + 1 < this.levels.length) await this.push(halve(strip, width, h, this.kind, this.missing), level + 1);
  }
}
