import type { Column, ColumnInfo, Features } from './features';
import { suspectIn, zerosIn } from './missing-codes';

/** What there is to know of a column without its values. O(n log n). */
export function columnInfo(c: Column): ColumnInfo {
  const { name, type, unit } = c;
  if (type !== 'number') return { name, type, unit };
  const sorted = (c.values as Float64Array).filter((v, i) => v === v && !c.missing?.[i]).sort();
  const suspect = sorted.length > 2 ? suspectIn(sorted) : null;
  const zeros = suspect ? null : zerosIn(sorted);
  return { name, type, unit, ...(suspect ? { suspect } : {}), ...(zeros ? { zeros } : {}) };
}

/** Points that lie exactly where an earlier one lies. O(n), by a table of the bits of both coordinates. */
export function doubledPoints(f: Features): number {
  const n = f.xy.length / 2;
  const bits = new Uint32Array(f.xy.buffer, f.xy.byteOffset, 4 * n);
  let size = 16;
  while (size < 2 * n) size *= 2;
  const table = new Int32Array(size).fill(-1);
  let doubled = 0;
  for (let i = 0; i < n; i++) {
    let h = 0;
    for (let k = 4 * i; k < 4 * i + 4; k++) h = Math.imul(h ^ bits[k]!, 0x9e3779b1) ^ (h >>> 15);
    let at = (h ^ (h >>> 13)) & (size - 1);
    for (; table[at]! >= 0; at = (at + 1) & (size - 1)) {
      const j = table[at]!;
      if (f.xy[2 * j] === f.xy[2 * i] && f.xy[2 * j + 1] === f.xy[2 * i + 1]) break;
    }
    if (table[at]! >= 0) doubled++;
    else table[at] = i;
  }
  return doubled;
}
