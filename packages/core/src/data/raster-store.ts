import { HelkError } from '../errors';
import { codec } from '../formats/codec';
import { FactGatherer } from './band-facts';
import { bytesOf, cellsFor, decodeCells, encodeCells, isWide, plainHeld, storedOver, type StoredArray } from './cells';
import type { PieceStore, Progress, RasterHandle, RasterHead, RasterSink } from './handle';
import type { Held } from './held';
import { CHUNK, chunkKey, chunkSize, chunksOf, levelSize, levelsOf, Pyramid, type Tile } from './pyramid';
import { bandInfo, missingOf, newCells, type BandInfo, type Cells, type Grid, type RasterInfo } from './raster';
import { BLOCK_ROWS, MemoryRaster, RowRaster } from './raster-handles';

/** Name of a band's array in the store. */
export const bandArray = (band: number): string => `band ${band}`;

/**
 * How a level of a band is stored: the whole as it is held, coarser levels of measures, which are means, as floats.
 */
export function heldAt(band: { kind: BandInfo['kind']; held: Held }, level: number): Held {
  if (level === 0 || band.kind === 'category') return band.held;
  return { type: isWide(band.held.type) ? 'float64' : 'float32', missing: null };
}

type HeldBand = BandInfo & { held: Held };

const heldBands = (info: Pick<RasterInfo, 'bands'>): HeldBand[] =>
  info.bands.map((b) => ({ ...b, held: b.held ?? plainHeld(b) }));

/** The values of a stored chunk, as methods see them. @throws HelkError `file.damaged` */
export async function readChunk(
  bytes: Uint8Array,
  band: { kind: BandInfo['kind']; held: Held },
  level: number,
  size: number,
): Promise<Cells> {
  const held = heldAt(band, level);
  return decodeCells(
    await inflateChunk(bytes, held, size),
    { kind: band.kind, held },
    cellsFor({ ...band, held }, size),
  );
}

async function inflateChunk(bytes: Uint8Array, held: Held, size: number): Promise<StoredArray> {
  const damaged = (): HelkError => new HelkError('file.damaged', 'A chunk of cells is damaged in the project file.');
  const raw = await codec()
    .inflateLater(bytes, CHUNK * CHUNK * 8)
    .catch(() => {
      throw damaged();
    });
  if (raw.length !== size * bytesOf(held.type)) throw damaged();
  return storedOver(held.type, raw);
}

/** A raster in a store. */
export class StoredRaster extends RowRaster {
  private readonly bands: HeldBand[];
  /** The row of chunks read last, a band: neighbouring blocks share it. */
  private readonly last = new Map<number, { row: number; cells: Cells }>();

  constructor(
    info: RasterInfo,
    private readonly store: Pick<PieceStore, 'get'>,
  ) {
    super(info);
    this.bands = heldBands(info);
  }

  async rows(band: number, from: number, count: number): Promise<Cells> {
    const { columns } = this.head.grid;
    const first = Math.floor(from / CHUNK);
    const last = Math.floor((from + count - 1) / CHUNK);
    if (first === last) {
      const strip = await this.strip(band, first);
      const at = from - first * CHUNK;
      return strip.subarray(at * columns, (at + count) * columns);
    }
    let out: Cells | null = null;
    for (let row = first; row <= last; row++) {
      const strip = await this.strip(band, row);
      out ??= new (strip.constructor as new (n: number) => Cells)(count * columns);
      const begin = Math.max(from, row * CHUNK);
      const end = Math.min(from + count, (row + 1) * CHUNK);
      out.set(strip.subarray((begin - row * CHUNK) * columns, (end - row * CHUNK) * columns), (begin - from) * columns);
    }
    return out!;
  }

  private async strip(band: number, row: number): Promise<Cells> {
    const held = this.last.get(band);
    if (held?.row === row) return held.cells;
    const b = this.bands[band]!;
    const size = levelSize(this.head.grid, 0);
    const { width } = size;
    const h = Math.min(CHUNK, size.height - row * CHUNK);
    const out = newCells(b.kind, width * h, isWide(b.held.type));
    await Promise.all(
      Array.from({ length: Math.ceil(width / CHUNK) }, async (_, column) => {
        const bytes = await this.store.get(bandArray(band), 0, chunkKey(column, row));
        if (!bytes) throw new HelkError('file.damaged', 'Cells of the dataset are missing in the project file.');
        if (bytes.length === 0) return;
        const { w } = chunkSize(size, column, row);
        const part = await readChunk(bytes, b, 0, w * h);
        for (let y = 0; y < h; y++) out.set(part.subarray(y * w, (y + 1) * w), y * width + column * CHUNK);
      }),
    );
    this.last.set(band, { row, cells: out });
    return out;
  }
}

/**
 * Writes the cells of a raster into a store as they come, as compressed chunks with coarser levels, and gathers the facts on the way. A
 * chunk without any value is stored empty.
 */
export class RasterPacker implements RasterSink {
  private readonly bands: HeldBand[];
  private readonly facts: FactGatherer[];
  private readonly pyramids: Pyramid[];

  constructor(
    private readonly grid: Grid,
    bands: RasterHead['bands'],
    private readonly store: PieceStore,
  ) {
    this.bands = heldBands({ bands });
    this.facts = this.bands.map((b) => new FactGatherer(b, grid));
    this.pyramids = this.bands.map(
      (b, k) => new Pyramid(grid, b.kind, cellsFor(b, 0), (tiles) => this.putAll(k, b, tiles)),
    );
  }

  async write(band: number, rows: Cells): Promise<void> {
    this.facts[band]!.first(rows);
    await this.pyramids[band]!.push(rows);
  }

  private async putAll(k: number, band: HeldBand, tiles: Tile[]): Promise<void> {
    const missing = missingOf(band);
    const packed = await Promise.all(
      tiles.map(({ cells, level }) => {
        if (!cells.some((v) => v === v && v !== missing)) return new Uint8Array(0);
        const raw = encodeCells(cells, { kind: band.kind, held: heldAt(band, level) });
        return codec().deflateLater(new Uint8Array(raw.buffer, raw.byteOffset, raw.byteLength), 1);
      }),
    );
    for (const [i, t] of tiles.entries())
      await this.store.put(bandArray(k), t.level, chunkKey(t.column, t.row), packed[i]!);
  }

  /**
   * The description, when all rows have come.
   *
   * @param again gives the rows once more; the store itself when not given
   */
  async end(again: RasterHandle | null = null, progress: Progress = () => undefined): Promise<RasterInfo> {
    const { grid } = this;
    if (this.pyramids.some((p) => !p.complete)) throw new Error('Rows of the result are missing.');
    const stored: RasterInfo = { kind: 'raster', grid, bands: this.bands };
    const source = again ?? new StoredRaster(stored, this.store);
    for (let row = 0; row < grid.rows; row += BLOCK_ROWS) {
      progress(row / grid.rows, 'looking at the values');
      const n = Math.min(BLOCK_ROWS, grid.rows - row);
      for (const [k, f] of this.facts.entries()) f.second(await source.rows(k, row, n));
    }
    return {
      ...stored,
      bands: this.bands.map((b, k) => ({ ...bandInfo(b), held: b.held, facts: this.facts[k]!.done() })),
    };
  }
}

/** Writes a raster into a store, block by block. */
export async function packRaster(handle: RasterHandle, store: PieceStore, progress: Progress): Promise<RasterInfo> {
  const { grid, bands } = handle.head;
  const packer = new RasterPacker(grid, bands, store);
  for (let row = 0; row < grid.rows; row += BLOCK_ROWS) {
    progress((0.8 * row) / grid.rows, 'storing');
    const n = Math.min(BLOCK_ROWS, grid.rows - row);
    for (let k = 0; k < bands.length; k++) await packer.write(k, await handle.rows(k, row, n));
  }
  // What is in memory is quicker to look at there.
  return packer.end(handle instanceof MemoryRaster ? handle : null, (s, stage) => progress(0.8 + 0.2 * s, stage));
}

/** Every chunk that the grid asks for, of exactly the size it should have. */
export async function verifyRaster(
  info: RasterInfo,
  store: Pick<PieceStore, 'get'>,
  progress: Progress,
): Promise<void> {
  for (const [k, b] of heldBands(info).entries()) {
    for (let level = 0; level <= levelsOf(info.grid); level++) {
      const size = levelSize(info.grid, level);
      for (const { column, row } of chunksOf(size)) {
        progress(k / info.bands.length, 'checking cells');
        const bytes = await store.get(bandArray(k), level, chunkKey(column, row));
        if (!bytes) throw new HelkError('file.damaged', 'Cells are missing.');
        if (bytes.length === 0) continue;
        const { w, h } = chunkSize(size, column, row);
        await inflateChunk(bytes, heldAt(b, level), w * h);
      }
    }
  }
}
