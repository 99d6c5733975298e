import {
  BUILDING,
  FeaturesBuilder,
  GROUND,
  HIGH_NOISE,
  LOW_NOISE,
  pointValues,
  Random,
  type Cloud,
  type CloudAttribute,
  type Features,
} from '@helk/core';
import { townOf } from './cover';
import { noiseField, SEED, type Landscape } from './landscape';

/** Size of the quarter, m, and distance of pulses. */
const WIDTH = 224;
const DEPTH = 190;
const PULSE = 0.34;

interface House {
  x: number;
  y: number;
  /** Half length along the ridge and half width, m; direction of the ridge. */
  a: number;
  b: number;
  cos: number;
  sin: number;
  ground: number;
  eaves: number;
  ridge: number;
  roof: 'gable' | 'hip' | 'flat';
  /** A wing on the long side, from the middle, as wide as the house is. */
  wing: number;
}

interface Tree {
  x: number;
  y: number;
  base: number;
  height: number;
  radius: number;
  /** Where the crown begins, as a share of the height, and how pointed it is. */
  begins: number;
  shape: number;
}

/** What the generator knows: where everything stands, the number behind each point. */
export interface Quarter {
  classified: Cloud;
  /** The same points, none with a class. */
  unclassified: Cloud;
  /** Points: base, height, crownDiameter in m. */
  trees: Features;
  /** Polygons: ground, eaves, ridge in m above the sea, height of the ridge above ground. */
  buildings: Features;
  /** Height of the bare ground at a place. */
  groundAt: (x: number, y: number) => number;
}

const VEGETATION = [3, 4, 5] as const;
const WATER = 9;
const vegetationOf = (above: number): number => VEGETATION[above < 0.5 ? 0 : above < 2 ? 0 : above < 5 ? 1 : 2]!;

/**
 * The riverside quarter of the town as a scanner in the air sees it: a stream between banks, streets, gardens, about 60 houses and 180 trees,
 * cars, hedges, a bird now and then, and echoes from below the ground.
 */
export function makeQuarter(land: Landscape, seed = SEED): Quarter {
  const random = new Random(seed + 1300);
  const noise = noiseField(random);
  const town = townOf(land);
  const [x0, y0] = [Math.round(town[0] / 10) * 10 + 40, Math.round(town[1] / 10) * 10 + 60];
  const base = 14;
  const river = (x: number): number => DEPTH * 0.44 + 11 * Math.sin(x / 34) + 5 * Math.sin(x / 13 + 2);
  const groundAt = (gx: number, gy: number): number => {
    const [x, y] = [gx - x0, gy - y0];
    const d = Math.abs(y - river(x));
    const bank = d < 4 ? 1 : d > 9 ? 0 : 0.5 + 0.5 * Math.cos((Math.PI * (d - 4)) / 5);
    const slope = base + 0.035 * Math.abs(y - DEPTH * 0.44) + 0.012 * x;
    const rough = 0.9 * noise(x / 38, y / 38) + 0.16 * noise(x / 7 + 50, y / 7);
    return slope + rough - 2.6 * bank;
  };
  const far = (x: number, y: number, d: number): boolean => Math.abs(y - river(x)) > d;
  const between = (low: number, high: number): number => low + random.uniform() * (high - low);

  const houses: House[] = [];
  for (const row of [16, 46, 122, 152, 176])
    for (let x = 12; x < WIDTH - 10 && houses.length < 60;) {
      const [a, b] = [between(4.5, 9), between(3.5, 5.5)];
      const y = row + between(-2.5, 2.5);
      const turn = between(-0.2, 0.2) + (random.uniform() < 0.25 ? Math.PI / 2 : 0);
      const along = Math.abs(a * Math.cos(turn)) + Math.abs(b * Math.sin(turn));
      const wing = random.uniform() < 0.2 && a > 6.5 ? between(3, 5) : 0;
      const cx = x + along;
      if (cx + along > WIDTH - 6) break;
      if (far(cx, y, 22) && y > 12 && y < DEPTH - 10) {
        const ground = groundAt(x0 + cx, y0 + y);
        const eaves = ground + between(3, 6.5);
        const roof = random.uniform() < 0.2 ? 'flat' : random.uniform() < 0.3 ? 'hip' : 'gable';
        houses.push({
          x: x0 + cx,
          y: y0 + y,
          a,
          b,
          cos: Math.cos(turn),
          sin: Math.sin(turn),
          ground,
          eaves,
          ridge: roof === 'flat' ? eaves : eaves + b * between(0.5, 0.9),
          roof,
          wing,
        });
      }
      x = cx + along + between(3, 6);
    }

  /** Along the ridge and across, from the middle of a house. */
  const inHouse = (h: House, x: number, y: number): { u: number; v: number } => ({
    u: (x - h.x) * h.cos + (y - h.y) * h.sin,
    v: -(x - h.x) * h.sin + (y - h.y) * h.cos,
  });
  /** Distance to the outline of a house, below 0 within. */
  const outside = (h: House, x: number, y: number): number => {
    const { u, v } = inHouse(h, x, y);
    const block = Math.max(Math.abs(u) - h.a, Math.abs(v) - h.b);
    if (!h.wing) return block;
    const wing = Math.max(Math.abs(u) - h.b * 0.8, -v, v - h.b - h.wing);
    return Math.min(block, wing);
  };
  const roofAt = (h: House, x: number, y: number): number => {
    const { u, v } = inHouse(h, x, y);
    if (h.roof === 'flat') return h.eaves;
    const rise = (h.ridge - h.eaves) / h.b;
    const block = Math.max(Math.abs(u) - h.a, Math.abs(v) - h.b) <= 0;
    const main = block
      ? h.eaves + rise * Math.min(h.b - Math.abs(v), h.roof === 'hip' ? h.a - Math.abs(u) : Infinity)
      : -Infinity;
    const wing = h.wing && Math.abs(u) <= h.b * 0.8 && v > 0 ? h.eaves + rise * (h.b * 0.8 - Math.abs(u)) : -Infinity;
    return Math.max(main, wing);
  };

  const trees: Tree[] = [];
  for (let tries = 0; trees.length < 180 && tries < 40_000; tries++) {
    const [x, y] = [x0 + between(5, WIDTH - 5), y0 + between(5, DEPTH - 5)];
    const near = Math.abs(y - y0 - river(x - x0));
    // More along the water than in the gardens.
    if (near < 5 || (near > 24 && random.uniform() < 0.45)) continue;
    const height = between(4, 8) + (near < 24 ? between(0, 11) : between(0, 6));
    const radius = Math.min(5.2, Math.max(1.4, height * between(0.2, 0.3)));
    if (houses.some((h) => outside(h, x, y) < radius + 0.6)) continue;
    if (trees.some((t) => Math.hypot(t.x - x, t.y - y) < 0.92 * (t.radius + radius))) continue;
    const street = Math.abs(y - y0 - 31) < 3.5 + radius * 0.3 || Math.abs(y - y0 - 137) < 3.5 + radius * 0.3;
    if (street) continue;
    trees.push({ x, y, base: groundAt(x, y), height, radius, begins: between(0.15, 0.35), shape: between(1.4, 2.4) });
  }

  const cars = Array.from({ length: 14 }, (_, k) => ({
    x: x0 + 14 + k * 15 + between(-3, 3),
    y: y0 + (k % 2 ? 29.2 : 138.6),
  }));
  const hedges = Array.from({ length: 16 }, () => ({
    x: x0 + between(10, WIDTH - 30),
    y: y0 + between(6, DEPTH - 6),
    length: between(6, 16),
    height: between(0.9, 1.7),
  })).filter(
    (h) => far(h.x - x0, h.y - y0, 14) && houses.every((o) => outside(o, h.x + h.length / 2, h.y) > h.length / 2 + 1),
  );

  const points: number[][] = [];
  const add = (
    x: number,
    y: number,
    z: number,
    cls: number,
    surface: keyof typeof SURFACES,
    number: number,
    returns: number,
    pulse: number,
  ): void => {
    const [r, g, b, light] = SURFACES[surface];
    const shade = 0.85 + 0.3 * random.uniform();
    points.push([
      x,
      y,
      z,
      cls,
      light * (0.8 + 0.4 * random.uniform()),
      number,
      returns,
      r * shade,
      g * shade,
      b * shade,
      pulse,
    ]);
  };
  const treeNet = new Map<number, Tree[]>();
  for (const t of trees)
    for (let i = Math.floor((t.x - t.radius - x0) / 8); i <= Math.floor((t.x + t.radius - x0) / 8); i++)
      for (let j = Math.floor((t.y - t.radius - y0) / 8); j <= Math.floor((t.y + t.radius - y0) / 8); j++) {
        const key = i * 1000 + j;
        treeNet.set(key, [...(treeNet.get(key) ?? []), t]);
      }
  let pulse = 0;
  for (let py = 0; py < DEPTH; py += PULSE)
    for (let px = 0; px < WIDTH; px += PULSE) {
      const x = x0 + px + between(0, PULSE);
      const y = y0 + py + between(0, PULSE);
      if (x >= x0 + WIDTH || y >= y0 + DEPTH) continue;
      pulse++;
      const ground = groundAt(x, y);
      const house = houses.find((h) => Math.abs(h.x - x) < 16 && Math.abs(h.y - y) < 16 && outside(h, x, y) < 0.06);
      if (house) {
        const edge = outside(house, x, y);
        if (edge < 0) add(x, y, roofAt(house, x, y) + 0.02 * random.normal(), BUILDING, 'roof', 1, 1, pulse);
        else if (random.uniform() < 0.5) add(x, y, between(ground + 0.3, house.eaves), BUILDING, 'wall', 1, 1, pulse);
        continue;
      }
      const near = treeNet.get(Math.floor((x - x0) / 8) * 1000 + Math.floor((y - y0) / 8)) ?? [];
      let top = -Infinity;
      let over: Tree | null = null;
      for (const t of near) {
        const r = Math.hypot(t.x - x, t.y - y) / t.radius;
        if (r >= 1) continue;
        const z = t.base + t.height * (1 - (1 - t.begins) * r ** t.shape);
        if (z > top) [top, over] = [z, t];
      }
      const echoes: [z: number, cls: number, surface: keyof typeof SURFACES][] = [];
      if (over && random.uniform() < 0.94) {
        const deep = top - Math.min(-Math.log(1 - random.uniform()) * 0.25, 0.9 * (top - ground));
        echoes.push([deep, vegetationOf(deep - ground), 'leaves']);
        if (random.uniform() < 0.4) {
          const below = between(over.base + over.height * over.begins * 0.7, deep);
          if (below < deep - 0.6) echoes.push([below, vegetationOf(below - ground), 'leaves']);
        }
      }
      const hedge = hedges.find((h) => x > h.x && x < h.x + h.length && Math.abs(y - h.y) < 0.6);
      if (hedge && !over) {
        const z = ground + hedge.height - 0.3 * random.uniform();
        echoes.push([z, vegetationOf(z - ground), 'leaves']);
      }
      const car = cars.find((c) => Math.abs(c.x - x) < 2.2 && Math.abs(c.y - y) < 0.9);
      const wet = !far(x - x0, y - y0, 4.2);
      if (car && !echoes.length) echoes.push([ground + 1.45 - 0.5 * Math.max(0, Math.abs(car.x - x) - 1), 1, 'car']);
      // Leaves let a third of the pulses through to the ground; water swallows most of them.
      else if (!echoes.length || random.uniform() < 0.35) {
        if (wet) {
          if (random.uniform() < 0.35) echoes.push([ground + 0.01 * random.normal(), WATER, 'water']);
        } else {
          const street = Math.abs(y - y0 - 31) < 3.5 || Math.abs(y - y0 - 137) < 3.5;
          echoes.push([ground + 0.025 * random.normal(), GROUND, street ? 'street' : 'grass']);
        }
      }
      echoes.forEach(([z, cls, surface], k) => add(x, y, z, cls, surface, k + 1, echoes.length, pulse));
    }
  for (let k = 0; k < 30; k++) {
    const [x, y] = [x0 + between(2, WIDTH - 2), y0 + between(2, DEPTH - 2)];
    const ground = groundAt(x, y);
    if (k % 2) add(x, y, ground - between(4, 12), LOW_NOISE, 'wall', 1, 1, pulse++);
    else add(x, y, ground + between(32, 70), HIGH_NOISE, 'wall', 1, 1, pulse++);
  }
  const classified = cloudOf(points, land, [x0, y0]);
  const none = {
    name: 'classification',
    type: 'uint8' as const,
    unit: null,
    values: pointValues('uint8', points.length),
  };
  return {
    classified,
    unclassified: { ...classified, attributes: classified.attributes.map((a) => (a.name === none.name ? none : a)) },
    trees: treeFeatures(trees, land),
    buildings: houseFeatures(houses, land),
    groundAt,
  };
}

/** Red, green, blue and brightness to the scanner of each surface, 0 to 1. */
const SURFACES = {
  grass: [0.42, 0.52, 0.26, 0.5],
  street: [0.45, 0.44, 0.43, 0.2],
  water: [0.2, 0.3, 0.36, 0.05],
  leaves: [0.2, 0.38, 0.18, 0.4],
  roof: [0.62, 0.34, 0.27, 0.3],
  wall: [0.7, 0.67, 0.6, 0.35],
  car: [0.35, 0.38, 0.5, 0.6],
} as const;

function cloudOf(points: readonly number[][], land: Landscape, [x0, y0]: [number, number]): Cloud {
  const n = points.length;
  const crs = land.grid.crs;
  const attribute = (
    name: string,
    type: CloudAttribute['type'],
    get: (p: number[], i: number) => number,
    unit: string | null = null,
  ): CloudAttribute => {
    const values = pointValues(type, n);
    for (let i = 0; i < n; i++) values[i] = get(points[i]!, i);
    return { name, type, unit, values };
  };
  const whole = (k: number, offset: number): Int32Array =>
    Int32Array.from(points, (p) => Math.round((p[k]! - offset) * 1000));
  const bright = (v: number): number => Math.round(Math.min(1, v) * 65_535);
  return {
    kind: 'cloud',
    crs,
    heightUnit: 'm',
    scale: [0.001, 0.001, 0.001],
    offset: [x0, y0, 0],
    x: whole(0, x0),
    y: whole(1, y0),
    z: whole(2, 0),
    attributes: [
      attribute('classification', 'uint8', (p) => p[3]!),
      attribute('intensity', 'uint16', (p) => Math.round(p[4]! * 20_000)),
      attribute('returnNumber', 'uint8', (p) => p[5]!),
      attribute('returns', 'uint8', (p) => p[6]!),
      attribute('scanAngle', 'float32', (p) => Math.round((p[0]! - x0 - WIDTH / 2) / 9) * 0.6, '°'),
      attribute('source', 'uint16', (p) => (p[1]! - y0 < DEPTH / 2 ? 11 : 12)),
      attribute('time', 'float64', (p) => 3.1e8 + p[10]! / 4e4, 's'),
      attribute('red', 'uint16', (p) => bright(p[7]!)),
      attribute('green', 'uint16', (p) => bright(p[8]!)),
      attribute('blue', 'uint16', (p) => bright(p[9]!)),
    ],
  };
}

const numbers = (name: string, values: number[]) => ({
  name,
  type: 'number' as const,
  unit: 'm',
  values: Float64Array.from(values),
});

function treeFeatures(trees: readonly Tree[], land: Landscape): Features {
  const b = new FeaturesBuilder();
  for (const t of trees) b.point(t.x, t.y);
  return b.build('point', land.grid.crs, [
    numbers(
      'base',
      trees.map((t) => t.base),
    ),
    numbers(
      'height',
      trees.map((t) => t.height),
    ),
    numbers(
      'crownDiameter',
      trees.map((t) => 2 * t.radius),
    ),
  ]);
}

function houseFeatures(houses: readonly House[], land: Landscape): Features {
  const b = new FeaturesBuilder();
  for (const h of houses) {
    const w = 0.8 * h.b;
    const ring: [number, number][] = h.wing
      ? [
          [-h.a, -h.b],
          [h.a, -h.b],
          [h.a, h.b],
          [w, h.b],
          [w, h.b + h.wing],
          [-w, h.b + h.wing],
          [-w, h.b],
          [-h.a, h.b],
        ]
      : [
          [-h.a, -h.b],
          [h.a, -h.b],
          [h.a, h.b],
          [-h.a, h.b],
        ];
    for (const [u, v] of [...ring, ring[0]!]) b.coordinate(h.x + u * h.cos - v * h.sin, h.y + u * h.sin + v * h.cos);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('polygon', land.grid.crs, [
    numbers(
      'ground',
      houses.map((h) => h.ground),
    ),
    numbers(
      'eaves',
      houses.map((h) => h.eaves),
    ),
    numbers(
      'ridge',
      houses.map((h) => h.ridge),
    ),
    numbers(
      'height',
      houses.map((h) => h.ridge - h.ground),
    ),
  ]);
}

/** The trees as a surveyor on foot has them: some centimetres off, heights to the decimetre. */
export function makeSurveyedTrees({ trees }: Quarter, seed = SEED): Features {
  const random = new Random(seed + 1301);
  const xy = trees.xy.map((v) => Math.round((v + 0.2 * random.normal()) * 100) / 100);
  const height = (trees.columns[1]!.values as Float64Array).map(
    (v) => Math.round((v + 0.1 * random.normal()) * 10) / 10,
  );
  return {
    ...trees,
    xy,
    columns: [
      { name: 'number', type: 'number', unit: null, values: Float64Array.from(height, (_, i) => i + 1) },
      { name: 'height', type: 'number', unit: 'm', values: height },
    ],
  };
}
