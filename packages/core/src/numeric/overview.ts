import { cellsLike, type Cells } from '../data/raster';

/**
 * A grid at half the size: each cell from the 2 x 2 below it, the mean of those that are there for measures, the most
 * frequent (the first of equals) for classes. Odd edges use what is left. O(cells).
 */
export function halve(
  cells: Cells,
  width: number,
  height: number,
  kind: 'measure' | 'category',
  missing: number,
): Cells {
  const w = Math.ceil(width / 2);
  const h = Math.ceil(height / 2);
  const out = cellsLike(cells, w * h);
  for (let y = 0; y < h; y++) {
    const two = 2 * y + 1 < height;
    for (let x = 0; x < w; x++) {
      const i = 2 * y * width + 2 * x;
      const a = cells[i]!;
      const b = 2 * x + 1 < width ? cells[i + 1]! : missing;
      const c = two ? cells[i + width]! : missing;
      const d = two && 2 * x + 1 < width ? cells[i + width + 1]! : missing;
      out[y * w + x] = kind === 'measure' ? mean(a, b, c, d) : mode(a, b, c, d, missing);
    }
  }
  return out;
}

function mean(a: number, b: number, c: number, d: number): number {
  const all = (a + b + c + d) / 4;
  if (all === all) return all;
  let s = 0;
  let n = 0;
  for (const v of [a, b, c, d]) {
    if (v !== v) continue;
    s += v;
    n++;
  }
  return n ? s / n : NaN;
}

function mode(a: number, b: number, c: number, d: number, missing: number): number {
  if (a !== missing && (a === b || a === c || a === d)) return a;
  if (b !== missing && (b === c || b === d)) return b;
  if (c !== missing && c === d) return c;
  return a !== missing ? a : b !== missing ? b : c !== missing ? c : d;
}
