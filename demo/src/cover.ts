import { Random, textColumn, numberColumn, type Features } from '@helk/core';
import { areasOf, sieve } from './areas';
import { makeGauge } from './features';
import { noiseField, SEED, type Landscape } from './landscape';

export const COVER = ['water', 'reed', 'meadow', 'moor', 'conifer', 'arable', 'built'] as const;
const [WATER, REED, MEADOW, MOOR, CONIFER, ARABLE, BUILT] = COVER.map((_, i) => i) as [
  number,
  number,
  number,
  number,
  number,
  number,
  number,
];

/** Where the town stands: a little seaward of the gauge. */
export function townOf(land: Landscape): [number, number] {
  const g = makeGauge(land);
  return [g.xy[0]! + 200, g.xy[1]! - 700];
}

/** Land cover of every cell of the land in a year between 1978 and 2024, as the generator knows it; -1 in the sea. */
export function coverCells(land: Landscape, year: 1978 | 2024, seed = SEED): Int32Array {
  const { grid, height } = land;
  const noise = noiseField(new Random(seed + 11));
  const change = noiseField(new Random(seed + 12));
  const [tx, ty] = townOf(land);
  const later = year === 2024;
  const out = new Int32Array(height.length).fill(-1);
  for (let i = 0; i < out.length; i++) {
    const z = height[i]!;
    if (z !== z) continue;
    const c = i % grid.columns;
    const r = Math.floor(i / grid.columns);
    const x = grid.x + (c + 0.5) * grid.dx;
    const y = grid.y - (r + 0.5) * grid.dy;
    const e = height[i + 1] ?? z;
    const s = height[i + grid.columns] ?? z;
    const slope = Math.hypot((e === e ? e - z : 0) / grid.dx, (s === s ? s - z : 0) / grid.dy);
    const n = noise(x / 900, y / 900) + 0.5 * noise(x / 350 + 40, y / 350);
    const d = Math.hypot(x - tx, y - ty) + 500 * n;
    const moved = change(x / 1300 - 7, y / 1300 + 3) + 0.3 * change(x / 420, y / 420 + 60);
    let k: number;
    if (z < 14 && slope < 0.03 && n > 0.75) k = WATER;
    else if (z < 22 && slope < 0.05 && n > 0.42) k = REED;
    else if (d < 1100) k = BUILT;
    else if (slope > 0.16 && z < 420 && noise(x / 1500 + 90, y / 1500) > -0.15) k = CONIFER;
    else if (z > 230 + 90 * n) k = MOOR;
    else if (z < 120 && slope < 0.11 && noise(x / 1700 - 30, y / 1700) > -0.12) k = ARABLE;
    else k = MEADOW;
    if (later) {
      // The town grows, fields are given up, moor is drained and planted, some reed is won back.
      if ((k === ARABLE || k === MEADOW) && d < 2100) k = BUILT;
      else if (k === ARABLE && moved > 0.24) k = MEADOW;
      else if (k === MOOR && moved < -0.3) k = CONIFER;
      else if (k === MEADOW && moved < -0.42) k = ARABLE;
      else if (k === MEADOW && z < 30 && moved > 0.5) k = REED;
    }
    out[i] = k;
  }
  return out;
}

/** The land cover map of a year: 1978 with nothing smaller than about 6 ha, 2024 than about 1.5 ha, each drawn with its own care. */
export async function makeLandCover(land: Landscape, year: 1978 | 2024): Promise<Features> {
  const least = year === 1978 ? 16 : 4;
  const labels = sieve(coverCells(land, year), land.grid.columns, land.grid.rows, -1, least);
  return areasOf(land, labels, -1, year === 1978 ? 75 : 50, (l) => [
    numberColumn(
      'id',
      l.map((_, i) => i + 1),
    ),
    textColumn(
      'class',
      l.map((k) => COVER[k]!),
    ),
  ]);
}
