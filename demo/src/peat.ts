import { FeaturesBuilder, numberColumn, Random, textColumn, type Features } from '@helk/core';
import { cholesky } from '@helk/core/numeric/cholesky';
import { semivariance, type Variogram } from '@helk/core/numeric/variogram';
import { SEED, type Landscape } from './landscape';

export const PEAT_POINTS = 214;
/** Written where nothing was measured. */
export const PEAT_CODE = -99.99;
/** The field the depths are drawn from, cm². */
export const PEAT_TRUTH: Variogram = { model: 'spherical', nugget: 120, sill: 2600, range: 1800 };
const BLOCKS = ['A', 'B', 'C', 'D', 'E', 'F'];

/**
 * The peat survey: 214 probes on the eastern moor in six blocks, depths of one correlated field (two blocks lie on deeper peat), moisture that
 * follows them, true zeros where there is no peat, and a code where nothing was measured.
 */
export function makePeat(land: Landscape, seed = SEED): Features {
  const random = new Random(seed + 51);
  const { grid, height } = land;
  const middle: [number, number] = [
    grid.x + (grid.columns * grid.dx) / 2 + 4600,
    grid.y - (grid.rows * grid.dy) / 2 + 900,
  ];
  const places: [number, number][] = [];
  while (places.length < PEAT_POINTS) {
    const x = middle[0] + 6400 * (random.uniform() - 0.5);
    const y = middle[1] + 5200 * (random.uniform() - 0.5);
    const c = Math.floor((x - grid.x) / grid.dx);
    const r = Math.floor((grid.y - y) / grid.dy);
    const z = height[r * grid.columns + c];
    // Probes keep to the moor, and apart.
    if (z === undefined || !(z > 25) || places.some(([a, b]) => Math.hypot(a - x, b - y) < 150)) continue;
    places.push([x, y]);
  }
  const n = PEAT_POINTS;
  const l = new Float64Array(n * n);
  for (let i = 0; i < n; i++)
    for (let j = 0; j <= i; j++)
      l[i * n + j] =
        PEAT_TRUTH.sill -
        semivariance(PEAT_TRUTH, Math.hypot(places[i]![0] - places[j]![0], places[i]![1] - places[j]![1]));
  cholesky(l, n);
  const white = Float64Array.from({ length: n }, () => random.normal());
  const block = places.map(
    ([x, y]) => BLOCKS[Math.min(2, Math.max(0, Math.floor((x - middle[0] + 3200) / 2134))) + (y > middle[1] ? 0 : 3)]!,
  );
  const depth = places.map((_, i) => {
    let v = 0;
    for (let k = 0; k <= i; k++) v += l[i * n + k]! * white[k]!;
    return Math.max(0, Math.round(10 * (74 + v + (block[i] === 'B' || block[i] === 'C' ? 62 : 0))) / 10);
  });
  const moisture = depth.map((d) => Math.round(10 * Math.min(97, 52 + 0.16 * d + 4 * random.normal())) / 10);
  const skipped = depth.map(() => random.uniform() < 0.06);
  const b = new FeaturesBuilder();
  for (const [x, y] of places) {
    b.point(Math.round(x * 10) / 10, Math.round(y * 10) / 10);
  }
  return b.build('point', grid.crs, [
    numberColumn(
      'probe',
      depth.map((_, i) => i + 1),
    ),
    textColumn('block', block),
    numberColumn(
      'depth_cm',
      depth.map((d, i) => (skipped[i] ? PEAT_CODE : d)),
      'cm',
    ),
    numberColumn(
      'moisture',
      moisture.map((m, i) => (skipped[i] ? PEAT_CODE : m)),
      '%',
    ),
  ]);
}
