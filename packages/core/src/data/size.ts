import type { DatasetInfo, DatasetKind } from './dataset';

/** Bytes a dataset takes in memory, about, by its description. Places of features are not known from it; lines and areas have more. */
export const heldBytes = (info: DatasetInfo): number => (SIZES[info.kind] as (i: DatasetInfo) => number)(info);

const CORNERS = { point: 1, line: 12, polygon: 24 };

const SIZES: { [K in DatasetKind]: (info: Extract<DatasetInfo, { kind: K }>) => number } = {
  raster: ({ grid, bands }) =>
    bands.reduce((s, b) => s + (b.kind === 'measure' && /64|int32/.test(b.storedType) ? 8 : 4), 0) *
    grid.columns *
    grid.rows,
  features: (f) => f.count * (16 * CORNERS[f.geometry] + 12 + 10 * f.columns.length),
  table: (t) => t.rows * 10 * t.columns.length,
};
