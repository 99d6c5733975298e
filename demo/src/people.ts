import { FeaturesBuilder, numberColumn, Random, textColumn, type Features } from '@helk/core';
import { areasOf } from './areas';
import { townOf } from './cover';
import { noiseField, SEED, type Landscape } from './landscape';

const PARISHES = 236;
/** What `solar_2024` was made by: the effects of income and detached houses, the dependence of what is left, and its spread. */
export const SOLAR_TRUTH = { income: 1.3, detached: 38, lambda: 0.6, sd: 5 };
const FIRST = [
  'Ar',
  'Bel',
  'Cor',
  'Dun',
  'Eld',
  'Fen',
  'Gar',
  'Hol',
  'Ist',
  'Kel',
  'Lor',
  'Mor',
  'Nes',
  'Orm',
  'Pel',
  'Rav',
  'Sel',
  'Tor',
  'Ulv',
  'Vey',
];
const LAST = [
  'aby',
  'ard',
  'astead',
  'brin',
  'dale',
  'eth',
  'fell',
  'garth',
  'holm',
  'ick',
  'lund',
  'mere',
  'nes',
  'oway',
  'rigg',
  'sund',
  'thwen',
  'vik',
  'wick',
  'yra',
];

/** Invented names, each once. */
export function names(random: Random, n: number): string[] {
  const all = FIRST.flatMap((a) => LAST.map((b) => a + b));
  for (let i = all.length - 1; i > 0; i--) {
    const j = Math.floor(random.uniform() * (i + 1));
    [all[i], all[j]] = [all[j]!, all[i]!];
  }
  return all.slice(0, n);
}

/**
 * 236 parishes with the spread of solar roofs over thirty years: it follows income, which falls from west to east, and detached houses, more
 * so from date to date, and what it leaves over is alike among neighbours: in each year a spatial error of `SOLAR_TRUTH.lambda` by corner
 * or edge, so that it is known which model is right.
 */
export async function makeParishes(land: Landscape, seed = SEED): Promise<Features> {
  const { grid, height } = land;
  const random = new Random(seed + 21);
  const bend = noiseField(new Random(seed + 22));
  const field = noiseField(new Random(seed + 23));
  const wealth = noiseField(new Random(seed + 24));
  const [tx, ty] = townOf(land);
  const cells: number[] = [];
  height.forEach((z, i) => z === z && cells.push(i));
  const place = (i: number): [number, number] => [
    grid.x + ((i % grid.columns) + 0.5) * grid.dx,
    grid.y - (Math.floor(i / grid.columns) + 0.5) * grid.dy,
  ];
  // Seeds keep apart; more of them where people live.
  const seeds: [number, number][] = [];
  for (let apart = 1150; seeds.length < PARISHES; apart *= 0.97) {
    for (let tries = 0; tries < 4000 && seeds.length < PARISHES; tries++) {
      const [x, y] = place(cells[Math.floor(random.uniform() * cells.length)]!);
      const near = Math.min(1, 0.55 + Math.hypot(x - tx, y - ty) / 14000);
      if (seeds.every(([a, b]) => Math.hypot(a - x, b - y) > apart * near)) seeds.push([x, y]);
    }
  }
  const labels = new Int32Array(height.length).fill(-1);
  for (const i of cells) {
    const [x, y] = place(i);
    const [u, v] = [x + 170 * bend(x / 700, y / 700), y + 170 * bend(x / 700 + 50, y / 700)];
    let best = Infinity;
    for (let k = 0; k < seeds.length; k++) {
      const d = (seeds[k]![0] - u) ** 2 + (seeds[k]![1] - v) ** 2;
      if (d < best) {
        best = d;
        labels[i] = k;
      }
    }
  }
  largestPart(labels, grid.columns, grid.rows);
  const near = neighboursOf(labels, grid.columns, grid.rows);
  const title = names(new Random(seed + 25), PARISHES);
  const noise = Array.from({ length: PARISHES }, () => random.normal());
  return areasOf(land, labels, -1, 60, (order) => {
    const at = (k: number): [number, number] => seeds[k]!;
    const upland = order.map((k) => {
      const [x, y] = at(k);
      const c = Math.min(grid.columns - 1, Math.max(0, Math.floor((x - grid.x) / grid.dx)));
      const r = Math.min(grid.rows - 1, Math.max(0, Math.floor((grid.y - y) / grid.dy)));
      return (height[r * grid.columns + c] ?? 0) > 150;
    });
    const income = order.map(
      (k) =>
        Math.round(
          10 * (100 + 14 * wealth(at(k)[0] / 5200, at(k)[1] / 5200) - at(k)[0] / 900 + tx / 900 + 6 * noise[k]!),
        ) / 10,
    );
    const detached = order.map(
      (k, i) =>
        Math.round(
          1000 *
            Math.min(
              0.97,
              Math.max(
                0.08,
                0.5 +
                  (upland[i] ? 0.2 : 0) -
                  0.35 * Math.exp(-Math.hypot(at(k)[0] - tx, at(k)[1] - ty) / 2500) +
                  0.12 * field(at(k)[0] / 3100 + 9, at(k)[1] / 3100),
              ),
            ),
        ) / 1000,
    );
    // What is left: innovations that stay for the most part from one date to the next, spread among neighbours.
    const left = new Random(seed + 26);
    let fresh = Array.from({ length: PARISHES }, () => left.normal());
    const solar = (year: number): number[] => {
      const t = (year - 1986) / 38;
      fresh = fresh.map((e) => 0.8 * e + 0.6 * left.normal());
      const error = shared(near, fresh, SOLAR_TRUTH.lambda);
      return order.map((k, i) =>
        Math.max(
          0,
          Math.round(
            10 *
              (8 +
                t * (40 + SOLAR_TRUTH.income * (income[i]! - 100) + SOLAR_TRUTH.detached * (detached[i]! - 0.5)) +
                SOLAR_TRUTH.sd * Math.sqrt(t) * error[k]!),
          ) / 10,
        ),
      );
    };
    return [
      numberColumn(
        'parish',
        order.map((k) => k + 1),
      ),
      textColumn(
        'name',
        order.map((k) => title[k]!),
      ),
      numberColumn(
        'households',
        order.map((k) =>
          Math.round(40 + 900 * Math.exp(-Math.hypot(at(k)[0] - tx, at(k)[1] - ty) / 2600) + 30 * Math.abs(noise[k]!)),
        ),
      ),
      ...[1994, 2004, 2014, 2024].map((y) => numberColumn(`solar_${y}`, solar(y), 'per 1000 households')),
      numberColumn('income', income, 'index'),
      numberColumn('detached', detached, 'share'),
      textColumn(
        'land',
        upland.map((u) => (u ? 'upland' : 'lowland')),
      ),
    ];
  });
}

/** Which labels meet which, by an edge or a corner of a cell. */
function neighboursOf(labels: Int32Array, width: number, height: number): Set<number>[] {
  const out = Array.from({ length: PARISHES }, () => new Set<number>());
  for (let r = 0; r + 1 < height; r++)
    for (let c = 0; c + 1 < width; c++) {
      const own = [0, 1, width, width + 1].map((d) => labels[r * width + c + d]!).filter((l) => l >= 0);
      for (const a of own) for (const b of own) if (a !== b) out[a]!.add(b);
    }
  return out;
}

/** u of u = lambda W u + e, where each row of W is the mean of the neighbours. */
function shared(near: readonly Set<number>[], e: readonly number[], lambda: number): number[] {
  let u = [...e];
  for (let step = 0; step < 60; step++)
    u = e.map(
      (v, i) => v + (near[i]!.size ? (lambda * [...near[i]!].reduce((s, j) => s + u[j]!, 0)) / near[i]!.size : 0),
    );
  return u;
}

/** Of each label only its largest part stays; the rest joins a neighbour. */
function largestPart(labels: Int32Array, width: number, height: number): void {
  const part = new Int32Array(labels.length).fill(-1);
  const sizes: number[] = [];
  const of: number[] = [];
  for (let start = 0; start < labels.length; start++) {
    if (part[start] !== -1 || labels[start] === -1) continue;
    const cells = [start];
    part[start] = sizes.length;
    for (let k = 0; k < cells.length; k++) {
      const i = cells[k]!;
      for (const j of [i % width ? i - 1 : -1, (i + 1) % width ? i + 1 : -1, i - width, i + width])
        if (j >= 0 && j < width * height && part[j] === -1 && labels[j] === labels[start]) {
          part[j] = sizes.length;
          cells.push(j);
        }
    }
    sizes.push(cells.length);
    of.push(labels[start]!);
  }
  const best = new Map<number, number>();
  sizes.forEach((s, p) => {
    if (!best.has(of[p]!) || s > sizes[best.get(of[p]!)!]!) best.set(of[p]!, p);
  });
  for (let round = 0; round < 40; round++) {
    let left = 0;
    for (let i = 0; i < labels.length; i++) {
      if (labels[i] === -1 || best.get(labels[i]!) === part[i]) continue;
      const j = [i % width ? i - 1 : -1, (i + 1) % width ? i + 1 : -1, i - width, i + width].find(
        (q) => q >= 0 && q < labels.length && labels[q] !== -1 && best.get(labels[q]!) === part[q],
      );
      if (j === undefined) {
        left++;
        continue;
      }
      labels[i] = labels[j]!;
      part[i] = part[j]!;
    }
    if (!left) return;
  }
  // Islets that touch no parish belong to none.
  for (let i = 0; i < labels.length; i++) if (labels[i] !== -1 && best.get(labels[i]!) !== part[i]) labels[i] = -1;
}

/** Points from places with columns. */
function pointsOf(land: Landscape, places: [number, number][], columns: Features['columns']): Features {
  const b = new FeaturesBuilder();
  for (const [x, y] of places) {
    b.point(x, y);
  }
  return b.build('point', land.grid.crs, columns);
}

/** Nine flood shelters round the bay and in the valleys. */
export function makeShelters(land: Landscape, seed = SEED): Features {
  const random = new Random(seed + 31);
  const [tx, ty] = townOf(land);
  const places: [number, number][] = [];
  while (places.length < 9) {
    const far = places.length < 5 ? 2600 : 7500;
    const angle = random.uniform() * 2 * Math.PI;
    const d = Math.sqrt(random.uniform()) * far;
    const [x, y] = [tx + d * Math.cos(angle), ty + d * Math.sin(angle)];
    const c = Math.floor((x - land.grid.x) / land.grid.dx);
    const r = Math.floor((land.grid.y - y) / land.grid.dy);
    const z =
      c >= 0 && r >= 0 && c < land.grid.columns && r < land.grid.rows ? land.height[r * land.grid.columns + c]! : NaN;
    if (z > 6 && z < 140 && places.every(([a, b]) => Math.hypot(a - x, b - y) > 600)) places.push([x, y]);
  }
  const title = names(new Random(seed + 32), 9);
  return pointsOf(land, places, [
    textColumn(
      'name',
      title.map((t) => `${t} hall`),
    ),
    numberColumn(
      'places',
      places.map(() => 40 + 20 * Math.floor(random.uniform() * 12)),
    ),
  ]);
}

const SIGHTINGS = 11_000;
const MONTHS = 96;

/** Newt sightings over eight years: rising in the south, steady in the north, each with its own season. */
export function makeSightings(land: Landscape, seed = SEED): Features {
  const random = new Random(seed + 41);
  const { grid, height } = land;
  const wet: number[] = [];
  height.forEach((z, i) => {
    if (z === z && z < 160) wet.push(i);
  });
  const middle = grid.y - (grid.rows * grid.dy) / 2;
  const places: [number, number][] = [];
  const date: string[] = [];
  const month: number[] = [];
  const stage: string[] = [];
  while (places.length < SIGHTINGS) {
    const i = wet[Math.floor(random.uniform() * wet.length)]!;
    const x = grid.x + ((i % grid.columns) + random.uniform()) * grid.dx;
    const y = grid.y - (Math.floor(i / grid.columns) + random.uniform()) * grid.dy;
    const m = Math.floor(random.uniform() * MONTHS);
    const south = y < middle - 1500;
    const season = 0.5 + 0.5 * Math.cos(((m % 12) - (south ? 3 : 6)) * (Math.PI / 6));
    const chance = (0.15 + 0.85 * season) * (south ? 0.25 + (0.75 * m) / MONTHS : 0.4);
    if (random.uniform() > chance) continue;
    places.push([x, y]);
    month.push(m);
    date.push(
      `${2016 + Math.floor(m / 12)}-${String((m % 12) + 1).padStart(2, '0')}-${String(1 + Math.floor(random.uniform() * new Date(Date.UTC(2016 + Math.floor(m / 12), (m % 12) + 1, 0)).getUTCDate())).padStart(2, '0')}`,
    );
    stage.push(random.uniform() < 0.3 ? 'larva' : 'adult');
  }
  return pointsOf(land, places, [
    textColumn('date', date),
    numberColumn('month', month, 'months since 2016-01'),
    textColumn('stage', stage),
  ]);
}
