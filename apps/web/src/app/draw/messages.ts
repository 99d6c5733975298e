import type { Anisotropy } from '@helk/core/numeric/anisotropy';
import type { Fit, Held as HeldParameters, Lag, VariogramKind } from '@helk/core/numeric/variogram';
import type { VariogramMap } from '@helk/core/numeric/variogram-map';
import {
  bandInfo,
  type BandInfo,
  type Crs,
  type Grid,
  type Held,
  type RasterInfo,
  type RasterStyle,
  type Scale,
} from '@helk/core';
import type { Lit, Mix } from '@helk/core/render/paint';
import { plainHeld } from '@helk/core/data/cells';
import type { GapBox } from '@helk/core/numeric/gap-runs';
import type { PreviewLines } from '@helk/core/methods/terrain/stream-preview';

/** What the drawing worker needs to know of a raster band. */
export interface DrawnBand {
  project: string;
  dataset: string;
  band: number;
  grid: Grid;
  info: BandInfo & { held: Held };
}

/** A band as the workers are told of it: without its facts. */
export function drawnBand(project: string, dataset: string, { grid, bands }: RasterInfo, band = 0): DrawnBand {
  const b = bands[band]!;
  return { project, dataset, band, grid, info: { ...bandInfo(b), held: b.held ?? plainHeld(b) } };
}

/** A rectangle of pixels of a map, over a band. */
export interface Spot {
  source: DrawnBand;
  crs: Crs;
  /** West and north edge and pixel size in `crs`. */
  x: number;
  y: number;
  resolution: number;
  width: number;
  height: number;
}

export interface TileRequest extends Spot {
  kind: 'tile';
  id: number;
  /** Colours of one band, or three bands at once. */
  by: { scale: Scale; relief: RasterStyle['relief'] } | { bands: [DrawnBand, DrawnBand, DrawnBand]; mix: Mix };
  missing: { ink: number[]; ground: number[]; faint: number[] } | null;
  /** Pixels to one of the patterns of missing cells: as fine as the picture is. */
  coarse: number;
  /** Enclosed holes. */
  gaps: GapBox[];
  /** Values that stand out. */
  pick: Lit | null;
}

export interface ValueRequest {
  kind: 'value';
  id: number;
  source: DrawnBand;
  crs: Crs;
  x: number;
  y: number;
}

/** The values beneath the pixels, where there are any. */
export interface SampleRequest extends Spot {
  kind: 'sample';
  id: number;
}

/** A value for each pixel, smooth between cells; not a number where there is none. */
export interface SurfaceRequest extends Spot {
  kind: 'surface';
  id: number;
}

/** Cells that will be wanted soon; there is no answer. */
export interface WarmRequest extends Spot {
  kind: 'warm';
  /** One pixel stands for as many of the pictures that will be asked for, along a side. */
  every: number;
}

export interface CancelRequest {
  kind: 'cancel';
  id: number;
}

export type DrawRequest = TileRequest | ValueRequest | SampleRequest | SurfaceRequest | WarmRequest | CancelRequest;

export interface ValueAnswer {
  /** NaN for missing; null outside the grid. */
  value: number | null;
  column: number;
  row: number;
}

export type DrawAnswer =
  | { id: number; image: ImageBitmap | null }
  | { id: number; value: ValueAnswer }
  | { id: number; sample: Float32Array<ArrayBuffer> }
  | { id: number; error: string };

/** Lines to show before anything is computed for good. */
export interface PreviewRequest {
  id: number;
  source: DrawnBand;
  what:
    | { kind: 'streams'; threshold: number }
    | {
        kind: 'contours';
        interval: number;
        base: number;
        indexEvery: number;
        smooth: number;
        from: number;
        to: number;
      }
    | { kind: 'formula'; formula: string; sources: DrawnBand[] };
}

export type PreviewAnswer =
  | { id: number; result: { min: number; max: number; mean: number; count: number; missing: number }; step: number }
  | {
      id: number;
      lines: PreviewLines;
      /** Cells of the grid to one cell of the preview, along a side. */
      step: number;
      /** Greatest area above one cell, m², of streams. */
      greatest: number;
    }
  | { id: number; error: string };

/** Samples of one column, sent once; then what is asked of them. */
export type VariogramRequest =
  | { kind: 'samples'; x: Float64Array; y: Float64Array; z: Float64Array }
  | {
      kind: 'fit';
      id: number;
      lag: number;
      maxDistance: number;
      direction: { azimuth: number; tolerance: number } | null;
      anisotropy: Anisotropy | null;
      model: VariogramKind | 'auto';
      held: HeldParameters;
      /** Whether the map by direction is wanted too. */
      map: boolean;
    };

export type VariogramAnswer =
  { id: number; lags: Lag[]; fit: Fit | null; map: VariogramMap | null } | { id: number; error: string };
