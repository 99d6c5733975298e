import { crsOfCode, Random, type Grid } from '@helk/core';
import { priorityFlood } from '@helk/core/methods/terrain/fill';

/**
 * The land of Veyra: one surface that every sample set is cut from. A coast is drawn, uplift put under it, and rivers are let
 * to work on it until valleys join and ridges stand between them (stream power law, solved implicitly after Braun and
 * Willett 2013, doi:10.1016/j.geomorph.2012.10.008).
 */
export interface Landscape {
  grid: Grid;
  /** Elevation in m; NaN in the sea. */
  height: Float64Array;
}

const CELL = 60;
export const SEED = 20462;

type Noise = (x: number, y: number) => number;

/** What an island is made by; places in metres from its middle. */
export interface Island {
  centre: [number, number];
  columns: number;
  rows: number;
  /** Above 0 on land, growing inland. */
  coast(x: number, y: number, noise: Noise): number;
  relief(x: number, y: number, noise: Noise): number;
}

const VEYRA: Island = {
  centre: [535200, 6451000],
  columns: 460,
  rows: 350,
  coast,
  relief: (x, y, noise) => {
    // A long back in the west and north, a broad moor in the east, low ground round the bay.
    const back = Math.exp(-(((x + 3800) / 4200) ** 2) - ((y - 900 + 0.35 * x) / 3300) ** 2);
    const moor = 0.5 * Math.exp(-(((x - 5600) / 3600) ** 2) - ((y - 1200) / 3600) ** 2);
    return 0.12 + back + moor + 0.22 * octaves(noise, x / 2600 + 7, y / 2600 - 3, 4);
  },
};

/** Smooth noise in about -1…1: cosine-blended lattice values. */
export function noiseField(random: Random): Noise {
  const lattice = Float64Array.from({ length: 4096 }, () => random.uniform() * 2 - 1);
  const at = (i: number, j: number): number => lattice[(((i * 73 + j * 181) % 4096) + 4096) % 4096]!;
  const ease = (t: number): number => t * t * t * (t * (6 * t - 15) + 10);
  return (x, y) => {
    const i = Math.floor(x);
    const j = Math.floor(y);
    const u = ease(x - i);
    const v = ease(y - j);
    const a = at(i, j) * (1 - u) + at(i + 1, j) * u;
    const b = at(i, j + 1) * (1 - u) + at(i + 1, j + 1) * u;
    return a * (1 - v) + b * v;
  };
}

export function octaves(f: Noise, x: number, y: number, n: number): number {
  let sum = 0;
  let size = 1;
  for (let k = 0; k < n; k++) {
    sum += f(x / size + 31 * k, y / size - 17 * k) * size;
    size /= 2;
  }
  return sum / 2;
}

const DX = [-1, 0, 1, -1, 1, -1, 0, 1];
const DY = [-1, -1, -1, 0, 0, 1, 1, 1];
const LENGTH = DX.map((x, k) => CELL * Math.hypot(x, DY[k]!));

export function makeLandscape(seed = SEED, island = VEYRA): Landscape {
  const random = new Random(seed);
  const noise = noiseField(random);
  const { centre, columns, rows } = island;
  const grid: Grid = {
    crs: crsOfCode(32627),
    x: centre[0] - (columns * CELL) / 2,
    y: centre[1] + (rows * CELL) / 2,
    dx: CELL,
    dy: CELL,
    columns,
    rows,
  };
  const n = columns * rows;
  const land = new Uint8Array(n);
  const uplift = new Float64Array(n);
  let h: Float64Array = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    const x = ((i % columns) + 0.5) * CELL - (columns * CELL) / 2;
    const y = (rows * CELL) / 2 - (Math.floor(i / columns) + 0.5) * CELL;
    const d = island.coast(x, y, noise);
    if (d <= 0 || x < -columns * CELL * 0.49 || Math.abs(y) > rows * CELL * 0.49) {
      h[i] = NaN;
      continue;
    }
    land[i] = 1;
    const relief = island.relief(x, y, noise);
    uplift[i] = Math.max(0.02, relief) * Math.min(1, d * 4.5);
    h[i] = 4 * d + 8 * (1 + octaves(noise, x / 700, y / 700, 3)) * Math.min(1, d * 6);
  }
  h = erode(h, land, uplift, columns, rows, 90);
  return { grid, height: h };
}

/** Above 0 on land: an oval bent by noise, with the town's bay cut into the south. */
function coast(x: number, y: number, noise: Noise): number {
  const r = Math.hypot(x / 10900, y / 8300);
  const wobble = 0.2 * octaves(noise, x / 5200 + 3, y / 5200 + 9, 5);
  const bay = 0.62 * Math.exp(-(((x - 2300) / 1700) ** 2) - ((y + 8300) / 3000) ** 2);
  const inlet = 0.4 * Math.exp(-(((x + 10200) / 2600) ** 2) - ((y - 3300) / 900) ** 2);
  return 1 - r + wobble - bay - inlet;
}

function erode(
  start: Float64Array,
  land: Uint8Array,
  uplift: Float64Array,
  w: number,
  h: number,
  steps: number,
): Float64Array {
  const n = w * h;
  let z = start;
  const rise = DX.map((x, k) => 0.004 * Math.hypot(x, DY[k]!));
  const receiver = new Int32Array(n);
  const distance = new Float64Array(n);
  const donors = new Int32Array(n);
  const area = new Float64Array(n);
  const order = new Int32Array(n);
  for (let step = 0; step < steps; step++) {
    const f = new Float64Array(n);
    priorityFlood(z, w, h, f, rise);
    donors.fill(0);
    for (let i = 0; i < n; i++) {
      receiver[i] = -1;
      if (land[i] === 0) continue;
      let best = 0;
      for (let k = 0; k < 8; k++) {
        const j = i + DY[k]! * w + DX[k]!;
        const length = LENGTH[k]!;
        // The sea is level 0 and takes everything.
        const drop = (f[i]! - (land[j] === 1 ? f[j]! : 0)) / length;
        if (drop > best) {
          best = drop;
          receiver[i] = j;
          distance[i] = length;
        }
      }
      if (receiver[i]! >= 0 && land[receiver[i]!] === 1) donors[receiver[i]!]!++;
    }
    let head = 0;
    let tail = 0;
    for (let i = 0; i < n; i++) {
      area[i] = CELL * CELL;
      if (land[i] === 1 && donors[i] === 0) order[tail++] = i;
    }
    while (head < tail) {
      const i = order[head++]!;
      const r = receiver[i]!;
      if (r < 0 || land[r] === 0) continue;
      area[r]! += area[i]!;
      if (--donors[r]! === 0) order[tail++] = r;
    }
    const next = new Float64Array(n).fill(NaN);
    for (let k = tail - 1; k >= 0; k--) {
      const i = order[k]!;
      const r = receiver[i]!;
      const lifted = f[i]! + 11 * uplift[i]!;
      const base = r >= 0 && land[r] === 1 ? next[r]! : 0;
      const strength = (0.135 * Math.sqrt(area[i]!)) / distance[i]!;
      next[i] = r < 0 ? lifted : (lifted + strength * base) / (1 + strength);
    }
    z = creep(next, land, w, 0.2);
  }
  return z;
}

/** Soil creep: one step of diffusion that rounds the ridges. */
function creep(z: Float64Array, land: Uint8Array, w: number, rate: number): Float64Array {
  const out = z.slice();
  for (let i = 0; i < z.length; i++) {
    if (land[i] === 0) continue;
    let sum = 0;
    let count = 0;
    for (const j of [i - 1, i + 1, i - w, i + w]) {
      if (land[j] === 1) {
        sum += z[j]!;
        count++;
      }
    }
    if (count) out[i] = z[i]! + rate * (sum / count - z[i]!) * (count / 4);
  }
  return out;
}
