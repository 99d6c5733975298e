import type { Cells } from '../data/raster';

export type Resampling = 'nearest' | 'bilinear' | 'cubic' | 'mean' | 'mode';

export interface Source {
  cells: Cells;
  width: number;
  height: number;
  missing: number;
}

/**
 * Values of a source grid at places given in fractional cells (centres at halves), one row at a time.
 *
 * - nearest: the cell the place lies in.
 * - bilinear: the four nearest centres; where some are missing or outside, the others share their weight, as long as the
 *   place lies in a cell that has a value.
 * - cubic: convolution over 4 x 4 centres with a = -1/2 (Keys 1981, doi:10.1109/TASSP.1981.1163711); bilinear where one
 *   of them is missing or outside.
 * - mean, mode: all cells whose centre lies within half a target cell (`halfU`, `halfV`, in source cells); nearest where
 *   none does.
 */
export function resampleRow(
  s: Source,
  how: Resampling,
  u: Float64Array,
  v: Float64Array,
  out: Cells,
  offset: number,
  n: number,
  halfU: number,
  halfV: number,
): void {
  const { cells, width, height, missing } = s;
  for (let k = 0; k < n; k++) {
    const a = u[k]!;
    const b = v[k]!;
    if (!(a >= 0 && b >= 0 && a < width && b < height)) {
      out[offset + k] = missing;
      continue;
    }
    const c = a | 0;
    const r = b | 0;
    const near = cells[r * width + c]!;
    if (how === 'nearest') {
      out[offset + k] = near;
      continue;
    }
    if (how === 'mean' || how === 'mode') {
      out[offset + k] = how === 'mean' ? boxMean(s, a, b, halfU, halfV, near) : boxMode(s, a, b, halfU, halfV, near);
      continue;
    }
    if (near !== near || near === missing) {
      out[offset + k] = missing;
      continue;
    }
    const x = Math.floor(a - 0.5);
    const y = Math.floor(b - 0.5);
    const tx = a - 0.5 - x;
    const ty = b - 0.5 - y;
    if (how === 'cubic' && x >= 1 && y >= 1 && x < width - 2 && y < height - 2) {
      const value = cubic(cells, width, x, y, tx, ty);
      if (value === value) {
        out[offset + k] = value;
        continue;
      }
    }
    if (x >= 0 && y >= 0 && x < width - 1 && y < height - 1) {
      const i = y * width + x;
      const value =
        (cells[i]! * (1 - tx) + cells[i + 1]! * tx) * (1 - ty) +
        (cells[i + width]! * (1 - tx) + cells[i + width + 1]! * tx) * ty;
      if (value === value) {
        out[offset + k] = value;
        continue;
      }
    }
    out[offset + k] = shared(cells, width, height, x, y, tx, ty, near);
  }
}

/** Bilinear with the weights of missing or outside centres given to the others. */
function shared(
  cells: Cells,
  width: number,
  height: number,
  x: number,
  y: number,
  tx: number,
  ty: number,
  near: number,
): number {
  let sum = 0;
  let weight = 0;
  for (let j = 0; j < 2; j++) {
    for (let i = 0; i < 2; i++) {
      const c = x + i;
      const r = y + j;
      if (c < 0 || r < 0 || c >= width || r >= height) continue;
      const value = cells[r * width + c]!;
      if (value !== value) continue;
      const w = (i ? tx : 1 - tx) * (j ? ty : 1 - ty);
      sum += w * value;
      weight += w;
    }
  }
  return weight > 0 ? sum / weight : near;
}

function cubic(cells: Cells, width: number, x: number, y: number, tx: number, ty: number): number {
  const x0 = ((-0.5 * tx + 1) * tx - 0.5) * tx;
  const x1 = (1.5 * tx - 2.5) * tx * tx + 1;
  const x2 = ((-1.5 * tx + 2) * tx + 0.5) * tx;
  const x3 = (0.5 * tx - 0.5) * tx * tx;
  let i = (y - 1) * width + x - 1;
  const r0 = x0 * cells[i]! + x1 * cells[i + 1]! + x2 * cells[i + 2]! + x3 * cells[i + 3]!;
  i += width;
  const r1 = x0 * cells[i]! + x1 * cells[i + 1]! + x2 * cells[i + 2]! + x3 * cells[i + 3]!;
  i += width;
  const r2 = x0 * cells[i]! + x1 * cells[i + 1]! + x2 * cells[i + 2]! + x3 * cells[i + 3]!;
  i += width;
  const r3 = x0 * cells[i]! + x1 * cells[i + 1]! + x2 * cells[i + 2]! + x3 * cells[i + 3]!;
  return (
    ((-0.5 * ty + 1) * ty - 0.5) * ty * r0 +
    ((1.5 * ty - 2.5) * ty * ty + 1) * r1 +
    ((-1.5 * ty + 2) * ty + 0.5) * ty * r2 +
    (0.5 * ty - 0.5) * ty * ty * r3
  );
}

/** First and last cell whose centre lies in [at - half, at + half). */
const first = (at: number, half: number): number => Math.max(0, Math.ceil(at - half - 0.5 - 1e-9));
const last = (at: number, half: number, n: number): number => Math.min(n - 1, Math.ceil(at + half - 0.5 - 1e-9) - 1);

function boxMean(s: Source, a: number, b: number, hu: number, hv: number, near: number): number {
  const x0 = first(a, hu);
  const x1 = last(a, hu, s.width);
  const y0 = first(b, hv);
  const y1 = last(b, hv, s.height);
  let sum = 0;
  let count = 0;
  for (let y = y0; y <= y1; y++) {
    for (let i = y * s.width + x0, e = y * s.width + x1; i <= e; i++) {
      const z = s.cells[i]!;
      if (z === z && z !== s.missing) {
        sum += z;
        count++;
      }
    }
  }
  return count > 0 ? sum / count : x1 < x0 || y1 < y0 ? near : s.missing;
}

function boxMode(s: Source, a: number, b: number, hu: number, hv: number, near: number): number {
  const x0 = first(a, hu);
  const x1 = last(a, hu, s.width);
  const y0 = first(b, hv);
  const y1 = last(b, hv, s.height);
  if (x1 < x0 || y1 < y0) return near;
  const counts = new Map<number, number>();
  for (let y = y0; y <= y1; y++) {
    for (let i = y * s.width + x0, e = y * s.width + x1; i <= e; i++) {
      const z = s.cells[i]!;
      if (z === z && z !== s.missing) counts.set(z, (counts.get(z) ?? 0) + 1);
    }
  }
  let best = s.missing;
  let most = 0;
  for (const [z, n] of counts) {
    // Ties go to the smaller class, so that the result does not hang on the reading order.
    if (n > most || (n === most && z < best)) {
      best = z;
      most = n;
    }
  }
  return best;
}
