import type { Held } from './held';
import type { BandInfo, Cells, Grid, Raster, RasterInfo } from './raster';

export type Progress = (share: number, stage: string) => void;

/** A dataset that need not be in memory: what there is to know of it, and the way to the rest. */
export interface Handle<D = unknown, I = unknown, N extends string = string> {
  readonly kind: N;
  readonly info: I;
  /** The description without facts that would have to be worked out first. */
  readonly head: I;
  /** The whole of it, in memory. @throws HelkError `file.damaged` when what is stored cannot be used */
  load(progress?: Progress): Promise<D>;
}

/** A handle on what is in memory; what there is to know of it is worked out when somebody asks, once. */
export function inMemory<D, I, N extends string>(kind: N, data: D, study: (data: D) => I): Handle<D, I, N> {
  let info: I | null = null;
  return {
    kind,
    get info() {
      return (info ??= study(data));
    },
    get head() {
      return this.info;
    },
    load: () => Promise.resolve(data),
  };
}

export interface RasterHandle extends Handle<Raster, RasterInfo, 'raster'> {
  /**
   * Rows `from` up to `from + count` of a band, row by row: measures with NaN for missing, categories with `MISSING_CLASS`. The array
   * may be a view of something larger; it is not to be written into.
   */
  rows(band: number, from: number, count: number): Promise<Cells>;
}

/** Where the cells of a new raster go, from north to south, any number of whole rows at a time, band by band or in turns. */
export interface RasterSink {
  write(band: number, rows: Cells): Promise<void>;
  /** The place of some rows, where there is one to work them out in; `filled` says that the next so many rows have been. */
  room?(band: number, from: number, count: number): Cells | null;
  filled?(band: number, count: number): void;
}

/** What a raster is before it has cells. */
export interface RasterHead {
  grid: Grid;
  bands: (BandInfo & { held?: Held })[];
}

/** Where the pieces of a dataset lie: arrays by name, each in levels (0 is the whole, then coarser ones) of pieces by number. */
export interface PieceStore {
  get(array: string, level: number, key: number): Promise<Uint8Array | undefined>;
  put(array: string, level: number, key: number, bytes: Uint8Array): Promise<void>;
}
