import { deflate, inflate } from 'node:zlib';
import { promisify } from 'node:util';
import type { Knex } from 'knex';
import {
  HelkError,
  missingOf,
  newCells,
  type Band,
  type BandInfo,
  type Cells,
  type Grid,
  type Raster,
  type RasterInfo,
} from '@helk/core';
import { halve } from '@helk/core/numeric/overview';

export const CHUNK = 512;
/** Chunks compressed at once: zlib works on Node's own threads. */
const AT_ONCE = 4;

const pack = promisify<Uint8Array, { level: number }, Buffer>(deflate);
const unpack = promisify<Uint8Array, { maxOutputLength: number }, Buffer>(inflate);

/**
 * A stored chunk unpacked; never more than a chunk can hold, whatever its bytes say.
 *
 * @throws HelkError `file.damaged` when they hold more or are no stream
 */
export async function inflateChunk(bytes: Uint8Array): Promise<Buffer> {
  try {
    return await unpack(bytes, { maxOutputLength: CHUNK * CHUNK * 8 });
  } catch {
    throw new HelkError('file.damaged', 'A chunk of cells is damaged in the project file.');
  }
}

type Progress = (share: number, stage: string) => void;

/** Number of overview levels beside level 0: halved until one chunk holds everything. */
export function levelsOf(grid: Grid): number {
  let n = 0;
  for (let w = grid.columns, h = grid.rows; w > CHUNK || h > CHUNK; w = Math.ceil(w / 2), h = Math.ceil(h / 2)) n++;
  return n;
}

/**
 * Writes a raster's bands as compressed chunks with overviews, in transactions of a few chunks, into a dataset that is still
 * staged. A chunk without any value is stored empty. Throws what `progress` throws, so a cancel stops it at once.
 */
export async function writeRaster(db: Knex, dataset: string, raster: Raster, progress: Progress): Promise<void> {
  const levels = levelsOf(raster.grid);
  for (let b = 0; b < raster.bands.length; b++) {
    const band = raster.bands[b]!;
    const missing = missingOf(band);
    let cells = band.cells;
    let width = raster.grid.columns;
    let height = raster.grid.rows;
    for (let level = 0; level <= levels; level++) {
      const jobs: { column: number; row: number }[] = [];
      for (let row = 0; row * CHUNK < height; row++)
        for (let column = 0; column * CHUNK < width; column++) jobs.push({ column, row });
      for (let k = 0; k < jobs.length; k += AT_ONCE) {
        const share = level === 0 ? (k / jobs.length) * 0.75 : 0.75 + 0.25 * (level / (levels + 1));
        progress((b + share) / raster.bands.length, level === 0 ? 'storing' : 'storing overviews');
        const rows = await Promise.all(
          jobs.slice(k, k + AT_ONCE).map(async ({ column, row }) => {
            const raw = cut(cells, width, height, column, row, missing);
            const bytes = raw ? await pack(raw, { level: 1 }) : Buffer.alloc(0);
            return { dataset_id: dataset, band: b, level, column, row, bytes };
          }),
        );
        await db('raster_chunks').insert(rows);
      }
      if (level < levels) {
        cells = halve(cells, width, height, band.kind, missing);
        width = Math.ceil(width / 2);
        height = Math.ceil(height / 2);
      }
    }
  }
}

/** The cells of one chunk, edge chunks as wide as they are; null when none has a value. */
function cut(
  cells: Cells,
  width: number,
  height: number,
  column: number,
  row: number,
  missing: number,
): Uint8Array | null {
  const w = Math.min(CHUNK, width - column * CHUNK);
  const h = Math.min(CHUNK, height - row * CHUNK);
  const out =
    cells instanceof Float64Array
      ? new Float64Array(w * h)
      : cells instanceof Int32Array
        ? new Int32Array(w * h)
        : new Float32Array(w * h);
  let some = false;
  for (let y = 0; y < h; y++) {
    const from = (row * CHUNK + y) * width + column * CHUNK;
    out.set(cells.subarray(from, from + w), y * w);
  }
  for (let i = 0; i < out.length && !some; i++) some = out[i] === out[i] && out[i] !== missing;
  return some ? new Uint8Array(out.buffer) : null;
}

interface ChunkRow {
  band: number;
  column: number;
  row: number;
  bytes: Buffer;
}

/** All cells of a raster at full size. @throws HelkError `file.damaged` when a chunk is absent or of the wrong size. */
export async function readRaster(db: Knex, dataset: string, info: RasterInfo, progress: Progress): Promise<Raster> {
  const { grid } = info;
  const bands: Band[] = [];
  for (let b = 0; b < info.bands.length; b++) {
    const { facts: _facts, ...band } = info.bands[b]!;
    const cells = newCells(band.kind, grid.columns * grid.rows, cellType(band) === 'float64');
    const down = Math.ceil(grid.rows / CHUNK);
    for (let row = 0; row < down; row++) {
      progress((b + row / down) / info.bands.length, 'reading');
      const chunks = (await db('raster_chunks')
        .where({ dataset_id: dataset, band: b, level: 0, row })
        .select('band', 'column', 'row', 'bytes')) as ChunkRow[];
      if (chunks.length !== Math.ceil(grid.columns / CHUNK))
        throw new HelkError('file.damaged', 'Cells of the dataset are missing in the project file.');
      for (let k = 0; k < chunks.length; k += AT_ONCE)
        await Promise.all(chunks.slice(k, k + AT_ONCE).map((c) => paste(c, cells, grid)));
    }
    bands.push({ ...band, cells });
  }
  return { kind: 'raster', grid, bands };
}

async function paste(c: ChunkRow, cells: Cells, grid: Grid): Promise<void> {
  if (c.bytes.length === 0) return;
  const raw = await inflateChunk(c.bytes);
  const w = Math.min(CHUNK, grid.columns - c.column * CHUNK);
  const h = Math.min(CHUNK, grid.rows - c.row * CHUNK);
  if (raw.length !== w * h * cells.BYTES_PER_ELEMENT)
    throw new HelkError('file.damaged', 'A chunk of cells is damaged in the project file.');
  const buffer = raw.buffer.slice(raw.byteOffset, raw.byteOffset + raw.length) as ArrayBuffer;
  const part =
    cells instanceof Float64Array
      ? new Float64Array(buffer)
      : cells instanceof Int32Array
        ? new Int32Array(buffer)
        : new Float32Array(buffer);
  for (let y = 0; y < h; y++)
    cells.set(part.subarray(y * w, (y + 1) * w), (c.row * CHUNK + y) * grid.columns + c.column * CHUNK);
}

/** How the cells of a stored band are held; decided once, when it is stored, and kept in its info. */
export function cellType(band: BandInfo & { cellType?: string }): 'float32' | 'float64' | 'int32' {
  return band.kind === 'category' ? 'int32' : band.cellType === 'float64' ? 'float64' : 'float32';
}
