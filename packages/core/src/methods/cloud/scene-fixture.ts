import { pointValues, type Cloud } from '../../data/cloud';
import { crsOfCode } from '../../data/crs';
import { Random } from '../../numeric/random';

/** Helpers for specs only. */

export interface SmallScene {
  /** With the classes that the points are of. */
  cloud: Cloud;
  /** The same points without a class. */
  bare: Cloud;
  trees: { x: number; y: number; height: number; radius: number }[];
  houses: { x: number; y: number; a: number; b: number; height: number }[];
}

/**
 * A slope with houses and trees in rows, every `spacing` m a point, so large that there are about `n`: one house (12 × 8 m, flat or with a ridge)
 * and one tree (9 to 14 m tall) in each square of 30 m.
 */
export function smallScene(n: number, spacing = 0.5, seed = 5): SmallScene {
  const r = new Random(seed);
  const side = Math.max(4, Math.sqrt(n) * spacing);
  const squares = Math.max(1, Math.floor(side / 30));
  const trees: SmallScene['trees'] = [];
  const houses: SmallScene['houses'] = [];
  for (let j = 0; j < squares; j++)
    for (let i = 0; i < squares; i++) {
      houses.push({ x: 30 * i + 9, y: 30 * j + 8, a: 6, b: 4, height: 4 + 3 * r.uniform() });
      trees.push({ x: 30 * i + 21, y: 30 * j + 21, height: 9 + 5 * r.uniform(), radius: 2.5 + 1.5 * r.uniform() });
    }
  const x: number[] = [];
  const y: number[] = [];
  const z: number[] = [];
  const classes: number[] = [];
  const add = (px: number, py: number, pz: number, k: number): void => {
    x.push(Math.round(px * 100));
    y.push(Math.round(py * 100));
    z.push(Math.round(pz * 100));
    classes.push(k);
  };
  for (let py = 0; py < side; py += spacing)
    for (let px = 0; px < side; px += spacing) {
      const [u, v] = [px + spacing * r.uniform(), py + spacing * r.uniform()];
      const ground = 20 + 0.06 * u + 0.4 * Math.sin(v / 9);
      const k = Math.min(squares - 1, Math.floor(v / 30)) * squares + Math.min(squares - 1, Math.floor(u / 30));
      const h = houses[k]!;
      const t = trees[k]!;
      const floor = 20 + 0.06 * h.x + 0.4 * Math.sin(h.y / 9);
      if (Math.abs(u - h.x) < h.a && Math.abs(v - h.y) < h.b) {
        add(u, v, floor + h.height + (k % 2 ? 0 : 0.5 * (h.b - Math.abs(v - h.y))) + 0.02 * r.normal(), 6);
        continue;
      }
      const d = Math.hypot(u - t.x, v - t.y) / t.radius;
      if (d < 1) {
        const top = 20 + 0.06 * t.x + 0.4 * Math.sin(t.y / 9) + t.height * (1 - 0.7 * d * d);
        const deep = top + 0.3 * Math.log(1 - r.uniform());
        const above = deep - ground;
        add(u, v, deep, above < 2 ? 3 : above < 5 ? 4 : 5);
        if (r.uniform() < 0.6) continue;
      }
      add(u, v, ground + 0.02 * r.normal(), 2);
    }
  const count = x.length;
  const values = (name: string, get: (i: number) => number, type: 'uint8' | 'uint16' = 'uint8') => {
    const out = pointValues(type, count);
    for (let i = 0; i < count; i++) out[i] = get(i);
    return { name, type, unit: null, values: out };
  };
  const cloud: Cloud = {
    kind: 'cloud',
    crs: crsOfCode(32627),
    heightUnit: 'm',
    scale: [0.01, 0.01, 0.01],
    offset: [400_000, 6_459_900, 0],
    x: Int32Array.from(x),
    y: Int32Array.from(y),
    z: Int32Array.from(z),
    attributes: [
      values('classification', (i) => classes[i]!),
      values('intensity', (i) => (i * 7) % 5000, 'uint16'),
      values('returnNumber', (i) => 1 + (i % 2)),
      values('returns', () => 2),
    ],
  };
  const bare = { ...cloud, attributes: [values('classification', () => 0), ...cloud.attributes.slice(1)] };
  return { cloud, bare, trees, houses };
}
