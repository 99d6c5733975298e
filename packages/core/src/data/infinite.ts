import type { Column } from './features';
import type { Cells } from './raster';

/** Makes infinite values NaN, in place; says how many there were. O(values). */
export function eachInfinite(values: Cells, seen: (i: number) => void): number {
  let n = 0;
  for (let i = 0; i < values.length; i++) {
    const v = values[i]!;
    // Infinite less infinite is no number; so is what was none before.
    if (v - v !== 0 && v === v) {
      values[i] = NaN;
      seen(i);
      n++;
    }
  }
  return n;
}

/** The same in columns of numbers, where such values are marked as missing. */
export function infiniteInColumns(columns: Column[]): number {
  let n = 0;
  for (const c of columns)
    if (c.values instanceof Float64Array) {
      const { length } = c.values;
      n += eachInfinite(c.values, (i) => void ((c.missing ??= new Uint8Array(length))[i] = 1));
    }
  return n;
}
