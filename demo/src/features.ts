import { crsOfCode, FeaturesBuilder, numberColumn, Random, textColumn, type Features } from '@helk/core';
import { accumulateD8, d8 } from '@helk/core/methods/terrain/flow';
import { priorityFlood } from '@helk/core/methods/terrain/fill';
import { streamLinks } from '@helk/core/methods/terrain/stream-links';
import { noiseField, SEED, type Landscape } from './landscape';

const THRESHOLD = 0.6e6;
const WALK = 10_400;

export interface Network {
  area: Float64Array;
  links: ReturnType<typeof streamLinks>;
}

export function network(land: Landscape): Network {
  const { grid, height } = land;
  const filled = new Float64Array(height.length);
  priorityFlood(height, grid.columns, grid.rows, filled, [0, 0, 0, 0, 0, 0, 0, 0]);
  const { direction } = d8(
    filled,
    grid.columns,
    grid.rows,
    () => grid.dx,
    () => grid.dy,
  );
  const area = accumulateD8(direction, grid.columns, grid.rows, () => grid.dx * grid.dy);
  return { area, links: streamLinks(direction, (i) => area[i]! >= THRESHOLD, grid.columns, grid.rows) };
}

export const place = (land: Landscape, i: number): [number, number] => [
  land.grid.x + ((i % land.grid.columns) + 0.5) * land.grid.dx,
  land.grid.y - (Math.floor(i / land.grid.columns) + 0.5) * land.grid.dy,
];

/** Streams "from the 1:10 000 map": those of the land, drawn by hand within some metres, but for one brook that was diverted. */
export function makeMappedStreams(land: Landscape, seed = SEED): Features {
  const { links } = network(land);
  const shake = noiseField(new Random(seed + 2));
  // The longest brook without tributaries runs beside its valley for most of its way.
  const diverted = links.cells.reduce(
    (best, c, k) => (links.shreve[k] === 1 && c.length > (links.cells[best]?.length ?? 0) ? k : best),
    0,
  );
  const b = new FeaturesBuilder();
  const order: number[] = [];
  const note: string[] = [];
  links.cells.forEach((cells, k) => {
    const path = links.next[k]! >= 0 ? [...cells, links.to[k]!] : [...cells];
    if (path.length < 2) return;
    path.forEach((c, i) => {
      const [x, y] = place(land, c);
      const off = k === diverted ? 260 * Math.sin((Math.PI * i) / (path.length - 1)) : 0;
      b.coordinate(x + 14 * shake(x / 180, y / 180) + off, y + 14 * shake(x / 180 + 50, y / 180) + 0.6 * off);
    });
    b.endRing();
    b.endPart();
    b.endFeature();
    order.push(links.strahler[k]!);
    note.push(links.strahler[k]! > 1 ? 'river' : 'brook');
  });
  return b.build('line', crsOfCode(32627), [textColumn('kind', note), numberColumn('order', order)]);
}

/** The gauge above the town: on the largest river that reaches the southern bay, some way up from its mouth. */
export function makeGauge(land: Landscape): Features {
  const { area, links } = network(land);
  const south = land.grid.y - land.grid.rows * land.grid.dy * 0.62;
  let best = -1;
  links.cells.forEach((c, k) => {
    const mouth = c[c.length - 1]!;
    if (links.next[k]! >= 0 || place(land, mouth)[1] > south) return;
    if (best < 0 || area[mouth]! > area[links.cells[best]!.at(-1)!]!) best = k;
  });
  const cells = links.cells[Math.max(0, best)]!;
  const [x, y] = place(land, cells[Math.max(0, cells.length - 8)]!);
  const b = new FeaturesBuilder();
  // Read off a map, so a little beside the water.
  b.point(x + 42, y - 35);
  return b.build('point', crsOfCode(32627), [textColumn('name', ['Gauge at the town'])]);
}

/** The ridge path: along the high ground from west to east, kept to 10.4 km. */
export function makeWalk(land: Landscape): Features {
  const { grid, height } = land;
  const from = 130;
  const to = 330;
  const step = 4;
  const columns = Math.floor((to - from) / step) + 1;
  const score = Array.from({ length: columns }, () => new Float64Array(grid.rows).fill(-Infinity));
  const back = Array.from({ length: columns }, () => new Int32Array(grid.rows));
  const z = (c: number, r: number): number => height[r * grid.columns + from + c * step]!;
  for (let c = 0; c < columns; c++) {
    for (let r = 0; r < grid.rows; r++) {
      if (Number.isNaN(z(c, r))) continue;
      if (c === 0) {
        score[0]![r] = z(0, r);
        continue;
      }
      for (let p = Math.max(0, r - 4); p <= Math.min(grid.rows - 1, r + 4); p++) {
        const s = score[c - 1]![p]! + z(c, r) - 2.5 * (r - p) ** 2;
        if (s > score[c]![r]!) {
          score[c]![r] = s;
          back[c]![r] = p;
        }
      }
    }
  }
  let r = score[columns - 1]!.reduce((best, v, i, a) => (v > a[best]! ? i : best), 0);
  const path: [number, number][] = [];
  for (let c = columns - 1; c >= 0; c--) {
    path.unshift(place(land, r * grid.columns + from + c * step));
    r = back[c]![r]!;
  }
  const b = new FeaturesBuilder();
  let length = 0;
  path.forEach(([x, y], i) => {
    if (length >= WALK) return;
    const before = path[i - 1];
    const leg = before ? Math.hypot(x - before[0], y - before[1]) : 0;
    const t = leg > 0 ? Math.min(1, (WALK - length) / leg) : 1;
    b.coordinate(before ? before[0] + t * (x - before[0]) : x, before ? before[1] + t * (y - before[1]) : y);
    length += leg * t;
  });
  b.endRing();
  b.endPart();
  b.endFeature();
  return b.build('line', crsOfCode(32627), [textColumn('name', ['Ridge path'])]);
}
