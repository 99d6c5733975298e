import { Random, transformer, wgs84 } from '@helk/core';
import { noiseField, SEED, type Landscape } from './landscape';
import { writeNetcdfClassic, writeNetcdf4, type SeaGrid } from './netcdf-write';

const STEP = 15 / 3600;
const WEST = -21.2;
const SOUTH = 57.9;
const COLUMNS = 384;
const ROWS = 144;
const MIDDLE = 192;

/** Depth below the sea in km: a shelf that falls off a few kilometres from the coast; NaN on land. */
function depths(land: Landscape, seed: number): Float32Array {
  const noise = noiseField(new Random(seed + 5));
  const { grid, height } = land;
  const at = (c: number, r: number): boolean =>
    c >= 0 && r >= 0 && c < grid.columns && r < grid.rows && !Number.isNaN(height[r * grid.columns + c]!);
  const shore: number[] = [];
  for (let r = 0; r < grid.rows; r++)
    for (let c = 0; c < grid.columns; c++)
      if (at(c, r) && !(at(c - 1, r) && at(c + 1, r) && at(c, r - 1) && at(c, r + 1)) && (c + r) % 3 === 0)
        shore.push(grid.x + (c + 0.5) * grid.dx, grid.y - (r + 0.5) * grid.dy);
  const go = transformer(wgs84(), grid.crs!);
  const place = [0, 0];
  const out = new Float32Array(COLUMNS * ROWS);
  for (let r = 0; r < ROWS; r++) {
    for (let c = 0; c < COLUMNS; c++) {
      go(WEST + (c + 0.5) * STEP, SOUTH + (r + 0.5) * STEP, place);
      const [x, y] = place as [number, number];
      const i = r * COLUMNS + c;
      if (at(Math.floor((x - grid.x) / grid.dx), Math.floor((grid.y - y) / grid.dy))) {
        out[i] = NaN;
        continue;
      }
      let near = Infinity;
      for (let k = 0; k < shore.length; k += 2) near = Math.min(near, (shore[k]! - x) ** 2 + (shore[k + 1]! - y) ** 2);
      const d = Math.sqrt(near) / 1000;
      const fall = 1 / (1 + Math.exp(-(d - 9 - 2.5 * noise(x / 5000, y / 5000)) / 1.8));
      const ridge = 0.06 * noise(x / 2600 + 9, y / 2600) + 0.02 * noise(x / 700, y / 700 - 4);
      out[i] = Math.max(0.001, 0.011 * Math.min(d, 12) + 0.95 * fall + ridge * Math.min(1, d / 4));
    }
  }
  return out;
}

/**
 * The seabed around the island as two NetCDF grids that meet at 20.4 W, depth in km, positive down, rows from the south: one in
 * the classic container, one in NetCDF-4.
 */
export async function makeSeabed(land: Landscape, seed = SEED): Promise<{ name: string; bytes: Uint8Array }[]> {
  const all = depths(land, seed);
  const part = (from: number, to: number): SeaGrid => {
    const columns = to - from;
    const depth = new Float32Array(columns * ROWS);
    for (let r = 0; r < ROWS; r++) depth.set(all.subarray(r * COLUMNS + from, r * COLUMNS + to), r * columns);
    return {
      longitudes: Float64Array.from({ length: columns }, (_, c) => WEST + (from + c + 0.5) * STEP),
      latitudes: Float64Array.from({ length: ROWS }, (_, r) => SOUTH + (r + 0.5) * STEP),
      depth,
    };
  };
  return [
    { name: 'veyra-seabed-west.nc', bytes: writeNetcdfClassic(part(0, MIDDLE)) },
    { name: 'veyra-seabed-east.nc', bytes: await writeNetcdf4(part(MIDDLE, COLUMNS)) },
  ];
}
