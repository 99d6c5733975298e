import { Random } from '@helk/core';
import { noiseField } from '@helk/demo';

/** Believable rough ground in metres: octaves of smooth noise and a little roughness; the same for every run. */
export function ground(size: number): Float32Array {
  const noise = noiseField(new Random(9));
  const cells = new Float32Array(size * size);
  // One tile of ground is made and laid out with a slow tilt: making it must not take longer than measuring.
  const tile = 1024;
  const base = new Float32Array(tile * tile);
  for (let i = 0; i < base.length; i++) {
    const x = i % tile;
    const y = (i / tile) | 0;
    let z = 0;
    for (let k = 0, s = 256; k < 6; k++, s /= 2) z += noise(x / s + 31 * k, y / s) * s;
    base[i] = z;
  }
  for (let y = 0; y < size; y++) {
    for (let x = 0; x < size; x++) cells[y * size + x] = base[(y % tile) * tile + (x % tile)]! + 0.02 * (x + y);
  }
  return cells;
}
