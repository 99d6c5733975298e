import { bandFacts, FactGatherer } from './band-facts';
import { cellsFor, heldFor, isWhole, isWide, plainHeld } from './cells';
import type { Note } from './check';
import type { Progress, RasterHandle, RasterHead, RasterSink } from './handle';
import type { Held } from './held';
import { bandInfo, cellsLike, type Band, type BandInfo, type Cells, type Raster, type RasterInfo } from './raster';

/** Rows that are read at once where nothing else decides. */
export const BLOCK_ROWS = 512;

/** A raster that is in memory. */
export class MemoryRaster implements RasterHandle {
  readonly kind = 'raster';
  private known: RasterInfo | null = null;
  private readonly held = new Map<number, Held>();

  constructor(readonly data: Raster) {}

  get info(): RasterInfo {
    const { grid, bands } = this.data;
    this.known ??= {
      kind: 'raster',
      grid,
      bands: bands.map((b) => ({ ...bandInfo(b), facts: bandFacts(b, grid) })),
    };
    return this.known;
  }

  get head(): RasterInfo {
    const { grid, bands } = this.data;
    const held = (b: Band, k: number): Held => {
      if (!this.held.has(k)) this.held.set(k, heldFor(b));
      return this.held.get(k)!;
    };
    return { kind: 'raster', grid, bands: bands.map((b, k) => ({ ...bandInfo(b), held: held(b, k) })) };
  }

  load(): Promise<Raster> {
    return Promise.resolve(this.data);
  }

  rows(band: number, from: number, count: number): Promise<Cells> {
    const { columns } = this.data.grid;
    return Promise.resolve(this.data.bands[band]!.cells.subarray(from * columns, (from + count) * columns));
  }
}

/** Takes the rows of a new raster into memory. */
export class MemorySink implements RasterSink {
  private readonly cells: Cells[];
  private readonly at: number[];

  constructor(private readonly head: RasterHead) {
    const { columns, rows } = head.grid;
    this.cells = head.bands.map((b) =>
      cellsLike(cellsFor({ kind: b.kind, held: b.held ?? plainHeld(b) }, 0), columns * rows),
    );
    this.at = head.bands.map(() => 0);
  }

  write(band: number, rows: Cells): Promise<void> {
    this.cells[band]!.set(rows, this.at[band]);
    this.at[band]! += rows.length;
    return Promise.resolve();
  }

  room(band: number, from: number, count: number): Cells {
    const { columns } = this.head.grid;
    return this.cells[band]!.subarray(from * columns, (from + count) * columns);
  }

  filled(band: number, count: number): void {
    this.at[band]! += count * this.head.grid.columns;
  }

  /** The raster, when all rows have come. */
  end(): Raster {
    const { grid, bands } = this.head;
    if (this.at.some((n) => n !== grid.columns * grid.rows)) throw new Error('Rows of the result are missing.');
    return { kind: 'raster', grid, bands: bands.map((b, k) => ({ ...bandInfo(b), cells: this.cells[k]! })) };
  }
}

/** What handles that are read by rows have in common: the whole is put together from blocks, every band of a block before the next. */
export abstract class RowRaster implements RasterHandle {
  readonly kind = 'raster';

  constructor(readonly head: RasterInfo) {}

  get info(): RasterInfo {
    return this.head;
  }

  abstract rows(band: number, from: number, count: number): Promise<Cells>;

  async load(progress: Progress = () => undefined): Promise<Raster> {
    const { grid, bands } = this.head;
    const whole: Cells[] = [];
    for (let row = 0; row < grid.rows; row += BLOCK_ROWS) {
      progress(row / grid.rows, 'reading');
      for (let k = 0; k < bands.length; k++) {
        const part = await this.rows(k, row, Math.min(BLOCK_ROWS, grid.rows - row));
        whole[k] ??= cellsLike(part, grid.columns * grid.rows);
        whole[k].set(part, row * grid.columns);
      }
    }
    return { kind: 'raster', grid, bands: bands.map((b, k) => ({ ...bandInfo(b), cells: whole[k]! })) };
  }
}

/** The description of what a handle holds, facts included: by reading it twice where they are not known. */
export async function studyRaster(handle: RasterHandle): Promise<RasterInfo> {
  const { info } = handle;
  if (info.bands.every((b) => b.facts)) return info;
  const { grid, bands } = handle.head;
  const facts = bands.map((b) => new FactGatherer(b, grid));
  for (const pass of ['first', 'second'] as const)
    for (let row = 0; row < grid.rows; row += BLOCK_ROWS)
      for (const [k, f] of facts.entries()) f[pass](await handle.rows(k, row, Math.min(BLOCK_ROWS, grid.rows - row)));
  return { ...info, bands: bands.map((b, k) => ({ ...b, facts: facts[k]!.done() })) };
}

/** Some bands of a raster, in the order given. */
export class BandsOf extends RowRaster {
  constructor(
    private readonly of: RasterHandle,
    private readonly which: readonly number[],
  ) {
    super({ ...of.head, bands: which.map((k) => of.head.bands[k]!) });
  }

  override get info(): RasterInfo {
    return { ...this.of.info, bands: this.which.map((k) => this.of.info.bands[k]!) };
  }

  rows(band: number, from: number, count: number): Promise<Cells> {
    return this.of.rows(this.which[band]!, from, count);
  }

  override async load(progress?: Progress): Promise<Raster> {
    // Where the whole is in memory there is nothing to copy.
    if (!(this.of instanceof MemoryRaster)) return super.load(progress);
    const { data } = this.of;
    return { ...data, bands: this.which.map((k) => data.bands[k]!) };
  }
}

/** Rows of a handle through a function. */
export class MappedRaster extends RowRaster {
  constructor(
    private readonly of: RasterHandle,
    head: RasterInfo,
    private readonly map: (cells: Cells, band: number, from: number) => Cells,
  ) {
    super(head);
  }

  async rows(band: number, from: number, count: number): Promise<Cells> {
    return this.map(await this.of.rows(band, from, count), band, from);
  }
}

/** What a band becomes when its values are taken times a factor plus an offset; its role is kept unless it is turned upside down. */
export function rescaledInfo(b: BandInfo, factor: number, offset: number, unit?: string): BandInfo {
  const whole = Number.isInteger(factor) && Number.isInteger(offset) && isWhole(b.storedType);
  const { role, ...info } = bandInfo(b);
  return {
    ...info,
    ...(role && factor > 0 ? { role } : {}),
    kind: 'measure',
    unit: unit ?? b.unit,
    storedType: whole ? 'int32' : isWide(b.storedType) ? 'float64' : 'float32',
    missingCode: null,
  };
}

/** Values times a factor plus an offset. O(cells). */
export function rescaledCells(cells: Cells, factor: number, offset: number): Cells {
  const out = cells instanceof Float64Array ? new Float64Array(cells.length) : new Float32Array(cells.length);
  for (let i = 0; i < out.length; i++) out[i] = cells[i]! * factor + offset;
  return out;
}

/**
 * A handle whose infinite values are missing ones: 1e999 would spread through every sum. What is found is said among the notes, which go on
 * being true while rows are read.
 */
export function tamedRaster(of: RasterHandle, notes: Note[]): RasterHandle {
  if (!of.head.bands.some((b) => b.kind === 'measure' && !isWhole(b.held?.type ?? 'float32'))) return of;
  const counted = of.head.bands.map(() => 0);
  let wild = 0;
  let said: Note | null = null;
  return new MappedRaster(of, of.head, (cells, band, from) => {
    const { columns } = of.head.grid;
    let out = cells;
    for (let i = 0; i < cells.length; i++) {
      const v = cells[i]!;
      // Infinite less infinite is no number; so is what was none before.
      if (!(v - v !== 0 && v === v)) continue;
      if (out === cells) out = cells.slice();
      out[i] = NaN;
      if (from * columns + i >= counted[band]!) wild++;
    }
    counted[band] = Math.max(counted[band]!, from * columns + cells.length);
    if (wild) {
      said ??= (notes.push(infinite(wild)), notes[notes.length - 1]!);
      said.message = infinite(wild).message;
    }
    return out;
  });
}

export const infinite = (n: number): Note => ({
  level: 'look',
  code: 'values.infinite',
  message: `${n} value${n === 1 ? ' is' : 's are'} infinite, or larger than a number can be; they are taken as missing.`,
});
