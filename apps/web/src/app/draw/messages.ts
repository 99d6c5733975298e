import type { Crs, RasterInfo, RasterStyle, Scale } from '@helk/core';

/** What the drawing worker needs to know of a raster band. */
export interface DrawnBand {
  project: string;
  dataset: string;
  band: number;
  info: RasterInfo;
}

export interface TileRequest {
  kind: 'tile';
  id: number;
  source: DrawnBand;
  crs: Crs;
  /** West and north edge and pixel size in `crs`. */
  x: number;
  y: number;
  resolution: number;
  width: number;
  height: number;
  scale: Scale;
  relief: RasterStyle['relief'];
  missing: { ink: number[]; ground: number[]; faint: number[] } | null;
}

export interface ValueRequest {
  kind: 'value';
  id: number;
  source: DrawnBand;
  crs: Crs;
  x: number;
  y: number;
}

export interface CancelRequest {
  kind: 'cancel';
  id: number;
}

export type DrawRequest = TileRequest | ValueRequest | CancelRequest;

export interface ValueAnswer {
  /** NaN for missing; null outside the grid. */
  value: number | null;
  column: number;
  row: number;
}

export type DrawAnswer =
  { id: number; image: ImageBitmap | null } | { id: number; value: ValueAnswer } | { id: number; error: string };
