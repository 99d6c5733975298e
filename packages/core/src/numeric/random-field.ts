import { scrambled } from './random';

/** Beyond this many standard deviations of the kernel nothing is gathered. */
const REACH = 4;
/** Below this many cells a kernel is narrower than a cell: neighbouring errors have nothing to do with each other. */
const POINT = 0.25;

const TWO_PI = 2 * Math.PI;

/** A standard normal value that belongs to a place of a lattice: the same whoever asks, in whatever order (Box and Muller 1958). */
function normalAt(seed: number, column: number, row: number): number {
  const a = scrambled(scrambled(scrambled(seed) ^ column) ^ Math.imul(row, 0x27d4eb2f));
  const b = scrambled(a ^ 0x5bd1e995);
  return Math.sqrt(-2 * Math.log((a + 0.5) / 4294967296)) * Math.cos((TWO_PI * b) / 4294967296);
}

/** Weights of a Gaussian kernel whose squares add up to 1, so that the variance of what it gathers stays 1. */
function kernel(sd: number): Float64Array {
  if (!(sd > POINT)) return Float64Array.of(1);
  const reach = Math.ceil(REACH * sd);
  const w = Float64Array.from({ length: 2 * reach + 1 }, (_, k) => Math.exp(-((k - reach) ** 2) / (2 * sd * sd)));
  let squares = 0;
  for (const v of w) squares += v * v;
  const f = 1 / Math.sqrt(squares);
  return w.map((v) => v * f);
}

/**
 * A Gaussian random field of mean 0 and standard deviation 1 whose correlation falls with the distance as exp(−(d/L)²): white noise gathered by
 * a Gaussian kernel of standard deviation L/2 (moving average; Oliver 1995, doi:10.1007/BF02083493). The noise belongs to the lattice, so
 * that tiles of one lattice have the same errors where they overlap. O(cells × L in cells).
 *
 * @param column of the first cell in the lattice, and `row` of it
 * @param lengths L in cells, across and down; 0 for none
 */
export function randomField(
  seed: number,
  { column, row, width, height }: { column: number; row: number; width: number; height: number },
  lengths: readonly [number, number],
): Float32Array {
  const across = kernel(lengths[0] / 2);
  const down = kernel(lengths[1] / 2);
  const [rx, ry] = [across.length >> 1, down.length >> 1];
  const out = new Float32Array(width * height);
  const noise = new Float64Array(width + 2 * rx);
  const gathered = new Float64Array(width);
  for (let y = -ry; y < height + ry; y++) {
    for (let x = 0; x < noise.length; x++) noise[x] = normalAt(seed, column + x - rx, row + y);
    gathered.fill(0);
    for (let k = 0; k < across.length; k++) {
      const w = across[k]!;
      for (let x = 0; x < width; x++) gathered[x] = gathered[x]! + w * noise[x + k]!;
    }
    // Every row near enough has its share of this one.
    for (let k = 0; k < down.length; k++) {
      const to = y + ry - k;
      if (to < 0 || to >= height) continue;
      const w = down[k]!;
      const at = to * width;
      for (let x = 0; x < width; x++) out[at + x] = out[at + x]! + w * gathered[x]!;
    }
  }
  return out;
}
