import type { StoredType } from './raster';

/** How the cells of a band lie in a file or store, to be read and written as they are. */
export interface Held {
  type: StoredType;
  /** The missing value of whole numbers, null when nothing is missing; NaN is that of floating point. */
  missing: number | null;
  /** Value = stored times factor plus offset. */
  factor?: number;
  offset?: number;
}
