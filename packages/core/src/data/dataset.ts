import type { Histogram, Summary } from '../numeric/statistics';
import type { Extent, Crs } from './crs';
import type { ColumnInfo, Features, GeometryType, Zeros } from './features';
import type { BandInfo, Grid, Raster } from './raster';
import type { Table } from './table';

/** What methods take and make. */
export type Dataset = Raster | Features | Table;

export type DatasetKind = Dataset['kind'];

/** Facts about a band that need its cells, worked out once when the dataset is taken in or made. */
export interface BandFacts {
  summary: Summary;
  histogram: Histogram;
  /** Values at the 1st, 2nd, 5th, 25th, 50th, 75th, 95th, 98th and 99th percentile, estimated from at most 200 000 cells. */
  percentiles: Record<string, number>;
  /** Missing cells not connected to the grid's edge. */
  enclosedCells: number;
  /** Separate enclosed holes. */
  enclosedGaps: number;
  /** The largest of them, up to 200, as boxes of cells with their count of missing cells, largest first. */
  gapBoxes: { column: number; row: number; columns: number; rows: number; cells: number }[];
  /** Of differences and depths: the cells furthest from zero, at least eight cells apart, up to 20. */
  extremes?: { column: number; row: number; value: number }[];
  /** A value that recurs at the end of the range and looks like a missing-value code. */
  suspectCode: { value: number; count: number } | null;
  /** Zeros that stand apart from all other values. */
  zeros?: Zeros;
  /** Different values, counted up to 256. */
  distinct: number;
  /** Of classes and whole numbers with at most 64 different values: each with its number of cells, ascending. */
  values?: { value: number; cells: number }[];
  /** Of lengths: cells lower than all eight neighbours, where water would stop. */
  pits?: number;
}

export interface RasterInfo {
  kind: 'raster';
  grid: Grid;
  bands: (BandInfo & { facts?: BandFacts })[];
}

export interface FeaturesInfo {
  kind: 'features';
  crs: Crs | null;
  geometry: GeometryType;
  count: number;
  extent: Extent | null;
  columns: ColumnInfo[];
  /** Points that lie where an earlier one lies. */
  doubled?: number;
}

export interface TableInfo {
  kind: 'table';
  rows: number;
  columns: ColumnInfo[];
}

/** What checks, suggestions and estimates see of an input: everything but the bulk. */
export type DatasetInfo = RasterInfo | FeaturesInfo | TableInfo;
