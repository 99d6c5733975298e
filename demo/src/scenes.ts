import {
  FeaturesBuilder,
  measureRaster,
  numberColumn,
  Random,
  textColumn,
  type Band,
  type Features,
  type Grid,
  type Raster,
} from '@helk/core';
import { COVER, coverCells, townOf } from './cover';
import { noiseField, SEED, type Landscape } from './landscape';

/** The years of the two scenes; the cover of 1978 is still that of the first. */
export type SceneYear = 1994 | 2024;

const CELL = 20;
/** Cells beside the swath of the sensor. */
const BESIDE = 0;

const BANDS = [
  ['blue', 490],
  ['green', 560],
  ['red', 665],
  ['nir', 842],
  ['swir1', 1610],
  ['swir2', 2190],
] as const;

/** Reflectance × 10 000 of each kind of ground in the bands, and how much it varies from place to place, as a share. */
const SPECTRA: Record<(typeof COVER)[number] | 'sea' | 'cloud', { mean: number[]; vary: number }> = {
  water: { mean: [620, 560, 380, 210, 120, 80], vary: 0.12 },
  reed: { mean: [430, 720, 640, 2500, 1650, 880], vary: 0.2 },
  meadow: { mean: [390, 810, 480, 3900, 2050, 980], vary: 0.2 },
  moor: { mean: [460, 640, 820, 1950, 2350, 1500], vary: 0.22 },
  conifer: { mean: [250, 400, 270, 2150, 880, 400], vary: 0.18 },
  arable: { mean: [760, 1060, 1380, 2450, 2950, 2250], vary: 0.28 },
  built: { mean: [1320, 1460, 1620, 2020, 2250, 2050], vary: 0.3 },
  sea: { mean: [720, 540, 290, 130, 70, 50], vary: 0.05 },
  cloud: { mean: [4600, 4700, 4800, 5100, 3600, 2900], vary: 0.05 },
};
/** What of the light is left in the shadow of a cloud: blue sky light most. */
const SHADOW = [0.62, 0.52, 0.46, 0.42, 0.36, 0.34];

export interface Scene {
  raster: Raster;
  /** Class of every cell, an index into `COVER`; -1 in the sea and beside the swath. For tests only. */
  truth: Int32Array;
  /** Cells that cloud or its shadow hides, as a share 0 to 1. */
  veil: Float32Array;
}

export function sceneGrid({ grid }: Landscape): Grid {
  const times = grid.dx / CELL;
  return { ...grid, dx: CELL, dy: CELL, columns: grid.columns * times, rows: grid.rows * times };
}

/**
 * A multispectral scene of the island in six bands of 20 m: the cover of the year under sun from the south-east, with a cloud and its shadow
 * in the second one and a slanting edge of the swath.
 */
export function makeScene(land: Landscape, year: SceneYear, seed = SEED): Scene {
  const random = new Random(seed + year);
  const grid = sceneGrid(land);
  const n = grid.columns * grid.rows;
  const cover = coverCells(land, year === 1994 ? 1978 : 2024, seed);
  const [bend, patch, sky] = [61, 62, 63 + year].map((k) => noiseField(new Random(seed + k))) as [
    ReturnType<typeof noiseField>,
    ReturnType<typeof noiseField>,
    ReturnType<typeof noiseField>,
  ];
  const truth = new Int32Array(n).fill(-1);
  const veil = new Float32Array(n);
  const cells = BANDS.map(() => new Float32Array(n));
  const [tx, ty] = townOf(land);
  const { height, grid: coarse } = land;
  const at = (x: number, y: number): number => {
    const c = Math.floor((x - coarse.x) / coarse.dx);
    const r = Math.floor((coarse.y - y) / coarse.dy);
    return c < 0 || r < 0 || c >= coarse.columns || r >= coarse.rows ? -1 : r * coarse.columns + c;
  };
  // One bank of cloud beside the town, its shadow to the north-west of it.
  const cloudAt = (x: number, y: number): number => {
    if (year === 1994) return 0;
    const d = Math.hypot((x - tx - 5200) / 2100, (y - ty - 3600) / 1400);
    return Math.min(1, Math.max(0, 1.6 * (1 - d) + 0.9 * sky(x / 600, y / 600)));
  };
  for (let i = 0; i < n; i++) {
    const x = grid.x + ((i % grid.columns) + 0.5) * CELL;
    const y = grid.y - (Math.floor(i / grid.columns) + 0.5) * CELL;
    // Beside the swath, which slants across the western corner.
    if (x - coarse.x < 0.28 * (coarse.y - y) - 4600) {
      for (const b of cells) b[i] = BESIDE;
      continue;
    }
    // Borders wind more finely than the cells they are known in.
    const j = at(x + 26 * bend(x / 45, y / 45), y + 26 * bend(x / 45 + 50, y / 45 + 50));
    const k = j < 0 ? -1 : cover[j]!;
    truth[i] = k;
    const { mean, vary } = SPECTRA[k < 0 ? 'sea' : COVER[k]!];
    const east = j < 0 ? 0 : slopeOf(height, j, 1);
    const south = j < 0 ? 0 : slopeOf(height, j, coarse.columns);
    const light = k < 0 ? 1 : 1 - 0.75 * (east / coarse.dx) - 0.75 * (south / coarse.dy);
    // A field or a wood is itself lighter or darker than the next, and patchy.
    const place = 1 + vary * (patch(x / 260, y / 260) + 0.6 * patch(x / 90 + 20, y / 90));
    const green = 1 + 0.5 * vary * patch(x / 180 - 40, y / 180);
    const cloud = cloudAt(x, y);
    const shade = cloudAt(x + 900, y - 700);
    veil[i] = Math.max(cloud, shade);
    for (let b = 0; b < BANDS.length; b++) {
      const tone = 1 + 0.6 * vary * patch(x / 120 + 17 * b, y / 120 - 11 * b);
      let v = mean[b]! * place * tone * (b === 3 ? green : 1 / green) * Math.min(1.5, Math.max(0.45, light));
      v *= 1 - shade * (1 - SHADOW[b]!);
      v += cloud * (SPECTRA.cloud.mean[b]! - v);
      cells[b]![i] = Math.max(1, Math.round(v + 14 * random.normal()));
    }
  }
  const bands = BANDS.map(([name, wavelength], b): Band => {
    const info = { name, unit: '', role: name, wavelength, storedType: 'uint16' as const, missingCode: BESIDE };
    const own = cells[b]!;
    for (let i = 0; i < n; i++) if (own[i] === BESIDE) own[i] = NaN;
    return measureRaster(grid, own, info).bands[0]!;
  });
  return { raster: { kind: 'raster', grid, bands }, truth, veil };
}

function slopeOf(height: Float64Array, i: number, step: number): number {
  const d = (height[i + step] ?? NaN) - height[i]!;
  return d === d ? d : 0;
}

/** Places of a class in the second scene where all around is of that class and nothing hides it, apart from each other. */
function places(s: Scene, k: number, reach: number, many: number, random: Random): [column: number, row: number][] {
  const { columns, rows } = s.raster.grid;
  const found: [number, number][] = [];
  for (let tries = 0; tries < 60_000 && found.length < many; tries++) {
    const c = reach + random.below(columns - 2 * reach);
    const r = reach + random.below(rows - 2 * reach);
    if (found.some(([a, b]) => Math.hypot(a - c, b - r) < 12 * reach + 3)) continue;
    let pure = true;
    for (let y = r - reach; pure && y <= r + reach; y++)
      for (let x = c - reach; pure && x <= c + reach; x++) {
        const i = y * columns + x;
        pure = s.truth[i] === k && s.veil[i]! < 0.02;
      }
    if (pure) found.push([c, r]);
  }
  return found;
}

/** Training areas: of each kind of ground some squares of 100 m that are nothing else, drawn on the second scene. */
export function makeTraining(s: Scene, seed = SEED): Features {
  const random = new Random(seed + 71);
  const { grid } = s.raster;
  const b = new FeaturesBuilder();
  const classes: string[] = [];
  COVER.forEach((name, k) => {
    for (const [c, r] of places(s, k, 2, 8, random)) {
      const [x0, y0] = [grid.x + (c - 2) * CELL, grid.y - (r - 2) * CELL];
      for (const [x, y] of [
        [0, 0],
        [0, -5],
        [5, -5],
        [5, 0],
        [0, 0],
      ] as const)
        b.coordinate(x0 + x * CELL, y0 + y * CELL);
      b.endRing();
      b.endPart();
      b.endFeature();
      classes.push(name);
    }
  });
  return b.build('polygon', grid.crs, [
    numberColumn(
      'id',
      classes.map((_, i) => i + 1),
    ),
    textColumn('class', classes),
  ]);
}

/** Places that surveyors visited in the year of the second scene, as many of each kind of ground. */
export function makeVisited(s: Scene, each = 30, seed = SEED): Features {
  const random = new Random(seed + 72);
  const { grid } = s.raster;
  const b = new FeaturesBuilder();
  const classes: string[] = [];
  COVER.forEach((name, k) => {
    for (const [c, r] of places(s, k, 0, each, random)) {
      b.point(grid.x + (c + 0.5) * CELL, grid.y - (r + 0.5) * CELL);
      classes.push(name);
    }
  });
  return b.build('point', grid.crs, [
    numberColumn(
      'place',
      classes.map((_, i) => i + 1),
    ),
    textColumn('found', classes),
  ]);
}
