import { FeaturesBuilder, numberColumn, Random, textColumn, type Features } from '@helk/core';
import { graphOf } from '@helk/core/numeric/graph';
import { ShortestPaths } from '@helk/core/numeric/shortest';
import { townOf } from './cover';
import { noiseField, SEED, type Landscape } from './landscape';
import { makeShelters, names } from './people';

type Place = [x: number, y: number];

interface Street {
  line: Place[];
  name: string;
  class: string;
  oneway: 'yes' | 'no' | 'reverse';
  bicycle: 'yes' | 'no' | '';
}

export interface Streets {
  features: Features;
  /** The middle of the town. */
  centre: Place;
  /** Hamlets that a road leads to, those with the longest way first. */
  hamlets: { name: string; at: Place }[];
}

/** Streets along a side of the town's net. */
const NET = 27;
const STEP = 112;
/** Streets of the ring that goes one way about the market. */
const RING = 3;
const HAMLETS = 14;

const made = new Map<number, Streets>();

/** Streets of the island: the town's net, roads to hamlets with their lanes, an island of lanes that nothing leads to. Made once a seed. */
export function makeStreets(land: Landscape, seed = SEED): Streets {
  const known = made.get(seed);
  if (known) return known;
  const random = new Random(seed + 71);
  // The town looks at the bay: its market stands inland of the middle.
  const [mx, my] = townOf(land);
  const [tx, ty] = [mx - 500, my + 1250];
  const all: Street[] = [];
  const net = townNet(land, random, [tx, ty], all);
  const { hamlets, corners } = roads(land, random, net, all);
  lost(land, random, [tx, ty], all);
  toShelters(land, seed, corners(), all);
  const title = names(new Random(seed + 72), all.length > 380 ? 380 : all.length);
  const b = new FeaturesBuilder();
  for (const s of all) {
    for (const [x, y] of s.line) b.coordinate(Math.round(10 * x) / 10, Math.round(10 * y) / 10);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  const known2 = new Map<string, string>();
  const named = (s: Street): string => {
    let n = known2.get(s.name);
    if (n === undefined)
      known2.set(s.name, (n = `${title[known2.size % title.length]!} ${WORDS[s.class] ?? 'street'}`));
    return n;
  };
  const features = b.build('line', land.grid.crs, [
    numberColumn(
      'id',
      all.map((_, i) => i + 1),
    ),
    textColumn('name', all.map(named)),
    textColumn(
      'class',
      all.map((s) => s.class),
    ),
    numberColumn(
      'speed',
      all.map((s) => SPEEDS[s.class] ?? NaN),
      'km/h',
    ),
    textColumn(
      'oneway',
      all.map((s) => s.oneway),
    ),
    textColumn(
      'bicycle',
      all.map((s) => s.bicycle),
    ),
  ]);
  const out: Streets = { features, centre: net.at(0, 0)!, hamlets };
  made.set(seed, out);
  return out;
}

const SPEEDS: Record<string, number> = { primary: 60, secondary: 50, residential: 30, lane: 30 };
const WORDS: Record<string, string> = { primary: 'road', secondary: 'road', lane: 'lane', path: 'path' };

interface Net {
  at(i: number, j: number): Place | null;
  corners: Place[];
}

const heightAt = ({ grid, height }: Landscape, x: number, y: number): number => {
  const c = Math.floor((x - grid.x) / grid.dx);
  const r = Math.floor((grid.y - y) / grid.dy);
  return c >= 0 && r >= 0 && c < grid.columns && r < grid.rows ? height[r * grid.columns + c]! : NaN;
};

/** A net of streets that bends with the ground, thinner outwards; about the market a ring that goes one way. */
function townNet(land: Landscape, random: Random, [tx, ty]: Place, all: Street[]): Net {
  const bend = noiseField(new Random(SEED + 73));
  const half = (NET - 1) / 2;
  const places = new Map<string, Place>();
  const turn = 0.32;
  for (let j = -half; j <= half; j++)
    for (let i = -half; i <= half; i++) {
      const [u, v] = [STEP * i, STEP * 0.88 * j];
      if (Math.hypot(u, v) > STEP * half * (0.86 + 0.2 * bend(u / 600 + 9, v / 600))) continue;
      const x = tx + u * Math.cos(turn) - v * Math.sin(turn) + 46 * bend(u / 420, v / 420);
      const y = ty + u * Math.sin(turn) + v * Math.cos(turn) + 46 * bend(u / 420 + 40, v / 420);
      if (heightAt(land, x, y) > 2.5) places.set(`${i} ${j}`, [x, y]);
    }
  const at = (i: number, j: number): Place | null => places.get(`${i} ${j}`) ?? null;
  for (let j = -half; j <= half; j++)
    for (let i = -half; i <= half; i++)
      for (const [di, dj] of [
        [1, 0],
        [0, 1],
      ] as const) {
        const [a, b] = [at(i, j), at(i + di, j + dj)];
        if (!a || !b) continue;
        const main = di ? j % 5 === 0 : i % 5 === 0;
        const far = Math.hypot(i, j) / half;
        const onRing = ringStep(i, j, di);
        if (!main && !onRing && random.uniform() < 0.1 + 0.3 * far) continue;
        const line: Place[] = [
          a,
          [(a[0] + b[0]) / 2 + 5 * random.normal(), (a[1] + b[1]) / 2 + 5 * random.normal()],
          b,
        ];
        all.push({
          line,
          name: di ? `row ${j} ${Math.floor((i + half) / 6)}` : `column ${i} ${Math.floor((j + half) / 6)}`,
          class: main
            ? Math.abs(di ? j : i) === 0
              ? 'primary'
              : 'secondary'
            : random.uniform() < 0.06
              ? 'path'
              : 'residential',
          oneway: onRing ?? (!main && random.uniform() < 0.02 ? 'yes' : 'no'),
          bicycle: !main && random.uniform() < 0.02 ? 'no' : '',
        });
      }
  return { at, corners: [...places.values()] };
}

/** Sides of the square about the market, to be gone round against the clock. */
function ringStep(i: number, j: number, across: number): 'yes' | 'reverse' | null {
  const within = (k: number): boolean => k >= -RING && k < RING;
  if (across) return Math.abs(j) === RING && within(i) ? (j < 0 ? 'yes' : 'reverse') : null;
  return Math.abs(i) === RING && within(j) ? (i > 0 ? 'yes' : 'reverse') : null;
}

/** Roads from the town to hamlets on the ways that cost least over slopes, each to the nearest that is there already; lanes about each hamlet. */
function roads(
  land: Landscape,
  random: Random,
  net: Net,
  all: Street[],
): { hamlets: Streets['hamlets']; corners: () => Place[] } {
  const { grid, height } = land;
  const n = grid.columns * grid.rows;
  const [from, to, cost]: [number[], number[], number[]] = [[], [], []];
  for (let i = 0; i < n; i++) {
    if (!(height[i]! > 2)) continue;
    for (const [k, across] of [
      [1, 1],
      [grid.columns, 1],
      [grid.columns + 1, Math.SQRT2],
      [grid.columns - 1, Math.SQRT2],
    ] as const) {
      const j = i + k;
      if (j >= n || Math.abs((i % grid.columns) - (j % grid.columns)) > 1 || !(height[j]! > 2)) continue;
      const slope = Math.abs(height[i]! - height[j]!) / (grid.dx * across);
      from.push(i);
      to.push(j);
      cost.push(across * (1 + (12 * slope) ** 2));
    }
  }
  const c = Float64Array.from(cost);
  const graph = graphOf(n, Uint32Array.from(from), Uint32Array.from(to), c, c);
  const paths = new ShortestPaths(graph);
  const cellOf = ([x, y]: Place): number =>
    Math.floor((grid.y - y) / grid.dy) * grid.columns + Math.floor((x - grid.x) / grid.dx);
  const middle = (i: number): Place => [
    grid.x + ((i % grid.columns) + 0.5) * grid.dx,
    grid.y - (Math.floor(i / grid.columns) + 0.5) * grid.dy,
  ];
  /** Corners of what a road may end on, by their cells. */
  const ends = new Map<number, Place>();
  for (const p of net.corners) ends.set(cellOf(p), p);
  const [tx, ty] = net.at(0, 0)!;
  const title = names(new Random(SEED + 74), HAMLETS);
  const hamlets: Streets['hamlets'] = [];
  while (hamlets.length < HAMLETS) {
    const i = Math.floor(random.uniform() * n);
    const at = middle(i);
    const d = Math.hypot(at[0] - tx, at[1] - ty);
    if (!(height[i]! > 6 && height[i]! < 170) || d < 2300 || d > 9500) continue;
    if (hamlets.some((h) => Math.hypot(h.at[0] - at[0], h.at[1] - at[1]) < 1900)) continue;
    paths.run([...ends.keys()].map((e): [number, number] => [e, 0]));
    if (!(paths.cost[i]! < Infinity)) continue;
    const way = paths.wayTo(i);
    if (way.length < 4) continue;
    // From the hamlet back to what is there already.
    const cells = way.map((arc) => graph.heads[arc]!).reverse();
    const first = graph.edges[way[0]!]!;
    cells.push(from[first] === cells.at(-1) ? to[first]! : from[first]!);
    const line = smooth(cells.map(middle));
    line[line.length - 1] = ends.get(cells.at(-1)!)!;
    const road: Street = { line, name: `road ${hamlets.length}`, class: 'secondary', oneway: 'no', bicycle: '' };
    all.push(road);
    for (const p of line) if (!ends.has(cellOf(p))) ends.set(cellOf(p), p);
    lanes(land, random, line[0]!, hamlets.length, all, 10);
    hamlets.push({ name: title[hamlets.length]!, at: line[0]! });
  }
  return {
    hamlets: [...hamlets].sort(
      (a, b) => Math.hypot(b.at[0] - tx, b.at[1] - ty) - Math.hypot(a.at[0] - tx, a.at[1] - ty),
    ),
    corners: () => all.flatMap((s) => s.line),
  };
}

/** Corners cut off twice (Chaikin 1974), ends kept. */
function smooth(line: Place[]): Place[] {
  let out = line.filter((_, k) => k % 2 === 0 || k === line.length - 1);
  for (let round = 0; round < 2; round++) {
    const next: Place[] = [out[0]!];
    for (let k = 0; k + 1 < out.length; k++) {
      const [a, b] = [out[k]!, out[k + 1]!];
      for (const t of [0.25, 0.75]) next.push([a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])]);
    }
    next.push(out.at(-1)!);
    out = next;
  }
  return out;
}

/** Lanes that grow from a place, each from the end or the middle of one before. */
function lanes(land: Landscape, random: Random, start: Place, number: number, all: Street[], count: number): void {
  const ends: Place[] = [start];
  for (let k = 0; k < count; k++) {
    const [x, y] = ends[Math.floor(random.uniform() * ends.length)]!;
    const [angle, length] = [2 * Math.PI * random.uniform(), 70 + 90 * random.uniform()];
    const end: Place = [x + length * Math.cos(angle), y + length * Math.sin(angle)];
    if (!(heightAt(land, end[0], end[1]) > 2)) continue;
    all.push({
      line: [[x, y], [x + 0.5 * length * Math.cos(angle + 0.1), y + 0.5 * length * Math.sin(angle + 0.1)], end],
      name: `lane ${number} ${k >> 1}`,
      class: random.uniform() < 0.2 ? 'path' : 'lane',
      oneway: 'no',
      bicycle: '',
    });
    ends.push(end);
  }
}

/** Lanes on the far side that no road leads to. */
function lost(land: Landscape, random: Random, [tx, ty]: Place, all: Street[]): void {
  const near = (p: Place): number =>
    all.reduce((m, s) => Math.min(m, ...s.line.map((q) => Math.hypot(q[0] - p[0], q[1] - p[1]))), Infinity);
  for (;;) {
    const p: Place = [tx + 12_000 * (random.uniform() - 0.5), ty + 12_000 * (random.uniform() - 0.5)];
    if (!(heightAt(land, p[0], p[1]) > 8) || near(p) < 900) continue;
    lanes(land, random, p, 99, all, 14);
    return;
  }
}

/** A lane to each shelter but the last, which lies off every street. */
function toShelters(land: Landscape, seed: number, corners: Place[], all: Street[]): void {
  const { xy } = makeShelters(land, seed);
  for (let i = 0; i < xy.length / 2 - 1; i++) {
    const p: Place = [xy[2 * i]!, xy[2 * i + 1]!];
    let best = corners[0]!;
    for (const q of corners)
      if (Math.hypot(q[0] - p[0], q[1] - p[1]) < Math.hypot(best[0] - p[0], best[1] - p[1])) best = q;
    if (Math.hypot(best[0] - p[0], best[1] - p[1]) < 30) continue;
    const half: Place = [(p[0] + best[0]) / 2 + 8, (p[1] + best[1]) / 2 - 6];
    all.push({ line: [best, half, p], name: `hall ${i}`, class: 'lane', oneway: 'no', bicycle: '' });
  }
}

/** Forty stops of the library van: places by streets of the town and at hamlets. */
export function makeLibraryStops(land: Landscape, seed = SEED): Features {
  const random = new Random(seed + 75);
  const { features, centre } = makeStreets(land, seed);
  const b = new FeaturesBuilder();
  const minutes: number[] = [];
  const kept: Place[] = [];
  while (kept.length < 40) {
    const i = Math.floor(random.uniform() * (features.xy.length / 2));
    const p: Place = [features.xy[2 * i]! + 6 * random.normal(), features.xy[2 * i + 1]! + 6 * random.normal()];
    const apart = Math.hypot(p[0] - centre[0], p[1] - centre[1]) < 1600 ? 260 : 900;
    if (kept.some((q) => Math.hypot(q[0] - p[0], q[1] - p[1]) < apart)) continue;
    kept.push(p);
    b.point(p[0], p[1]);
    minutes.push(10 + 5 * Math.floor(5 * random.uniform()));
  }
  const title = names(new Random(seed + 76), 40);
  return b.build('point', land.grid.crs, [
    textColumn(
      'name',
      title.map((t) => `${t} stop`),
    ),
    numberColumn('stays', minutes, 'min'),
  ]);
}
