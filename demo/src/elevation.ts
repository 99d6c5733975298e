import { measureRaster, newCells, Random, wgs84, type Grid, type Raster } from '@helk/core';
import { CellMapper } from '@helk/core/numeric/cell-mapper';
import { resampleRow } from '@helk/core/numeric/resample';
import { transformer } from '@helk/core';
import { noiseField, SEED, type Landscape } from './landscape';

export interface Truth {
  holes: { longitude: number; latitude: number; cells: number }[];
  pits: { longitude: number; latitude: number; depth: number }[];
  raisedTile: { name: string; metres: number };
  odd: { name: string; missingCode: number };
}

const SECOND = 1 / 3600;
const WEST = -20.64;
const NORTH = 58.296;
const COLUMNS = 1740;
const ROWS = 690;
const LAP = 14;
const RAISED = 5;

/**
 * Elevation of a land as a survey has it, in whole metres of at least one, the sea missing.
 *
 * @param fine noise of the ground's texture
 */
export function surveyed(land: Landscape, grid: Grid, fine: (x: number, y: number) => number): Float32Array {
  const { columns, rows } = grid;
  const cells = newCells('measure', columns * rows) as Float32Array;
  const mapper = new CellMapper(grid, columns, land.grid, transformer(grid.crs!, land.grid.crs!));
  const u = new Float64Array(columns);
  const v = new Float64Array(columns);
  const source = { cells: land.height, width: land.grid.columns, height: land.grid.rows, missing: NaN };
  for (let y = 0; y < rows; y++) {
    mapper.row(y, u, v);
    resampleRow(source, 'cubic', u, v, cells, y * columns, columns, 0.5, 0.5);
    for (let x = 0; x < columns; x++) {
      const i = y * columns + x;
      // Ground texture of a metre or two, growing with height, as a survey of this grain would show it.
      const z = cells[i]!;
      const texture = fine(u[x]! * 0.9, v[x]! * 0.9) + 0.6 * fine(u[x]! * 2.3, v[x]! * 2.3);
      if (z === z) cells[i] = Math.max(1, Math.round(z + texture * Math.min(1.6, z / 60)));
    }
  }
  return cells;
}

/**
 * The survey's elevation as five 16-bit tiles of one arc-second, overlapping by some cells: sea missing, two enclosed holes,
 * single-cell pits hundreds of metres deep, one tile level too high, one with another missing value.
 */
export function makeElevation(
  land: Landscape,
  seed = SEED,
): { tiles: { name: string; raster: Raster }[]; truth: Truth } {
  const random = new Random(seed + 1);
  const grid: Grid = { crs: wgs84(), x: WEST, y: NORTH, dx: SECOND, dy: SECOND, columns: COLUMNS, rows: ROWS };
  const fine = noiseField(random);
  const cells = surveyed(land, grid, fine);
  const place = (i: number): { longitude: number; latitude: number } => ({
    longitude: WEST + ((i % COLUMNS) + 0.5) * SECOND,
    latitude: NORTH - (Math.floor(i / COLUMNS) + 0.5) * SECOND,
  });
  const holes = [
    { x: 1010, y: 215, a: 26, b: 15 },
    { x: 468, y: 455, a: 17, b: 11 },
  ].map((o, k) => {
    let count = 0;
    for (let y = o.y - o.b; y <= o.y + o.b; y++) {
      for (let x = o.x - o.a; x <= o.x + o.a; x++) {
        if (((x - o.x) / o.a) ** 2 + ((y - o.y) / o.b) ** 2 + 0.4 * fine(x / 5 + 50 * k, y / 5) > 0.9) continue;
        cells[y * COLUMNS + x] = NaN;
        count++;
      }
    }
    return { ...place(o.y * COLUMNS + o.x), cells: count };
  });
  const pits: Truth['pits'] = [];
  while (pits.length < 14) {
    const i = random.below(COLUMNS * ROWS);
    if (!(cells[i]! > 90)) continue;
    const depth = 150 + random.below(1900);
    cells[i] = cells[i]! - depth;
    pits.push({ ...place(i), depth });
  }
  const thirds = [0, 600, 1170, COLUMNS];
  const split = 390;
  const layout = [
    { name: 'veyra-elevation-nw', c0: 0, c1: thirds[1]! + LAP, r0: 0, r1: split + LAP },
    { name: 'veyra-elevation-n', c0: thirds[1]!, c1: thirds[2]! + LAP, r0: 0, r1: split + LAP },
    { name: 'veyra-elevation-ne', c0: thirds[2]!, c1: COLUMNS, r0: 0, r1: split + LAP },
    { name: 'veyra-elevation-sw', c0: 0, c1: 880 + LAP, r0: split, r1: ROWS },
    { name: 'veyra-elevation-se', c0: 880, c1: COLUMNS, r0: split, r1: ROWS },
  ];
  const tiles = layout.map((t, k) => {
    const columns = t.c1 - t.c0;
    const rows = t.r1 - t.r0;
    const out = new Float32Array(columns * rows);
    for (let y = 0; y < rows; y++) {
      for (let x = 0; x < columns; x++)
        out[y * columns + x] = cells[(t.r0 + y) * COLUMNS + t.c0 + x]! + (k === 4 ? RAISED : 0);
    }
    const raster = measureRaster({ ...grid, x: WEST + t.c0 * SECOND, y: NORTH - t.r0 * SECOND, columns, rows }, out, {
      name: 'elevation',
      unit: 'm',
      role: 'elevation',
      storedType: 'int16',
      missingCode: k === 2 ? -9999 : -32768,
    });
    return { name: t.name, raster };
  });
  return {
    tiles,
    truth: {
      holes,
      pits,
      raisedTile: { name: layout[4]!.name, metres: RAISED },
      odd: { name: layout[2]!.name, missingCode: -9999 },
    },
  };
}
