import { Random } from '@helk/core';
import { ready, File, type Dataset } from 'h5wasm/node';
import { noiseField, SEED, type Landscape } from './landscape';

const CELL = 250;
const MONTHS = 12;
const YEAR = 2025;
const FILL = -999;
/** The month in which the instruments over the north-east stood still, from 0. */
export const MOISTURE_GAP = 8;
/** Per cent that the far south loses from winter to summer, and the far north. */
export const MOISTURE_TRUTH = { south: 26, north: 9 };

/** Days since the first of the year of the middles of its months, as such files have them. */
const middles = (): Float64Array =>
  Float64Array.from(
    { length: MONTHS },
    (_, m) => (Date.UTC(YEAR, m, 1) + Date.UTC(YEAR, m + 1, 1)) / 2 / 864e5 - Date.UTC(YEAR, 0, 1) / 864e5,
  );

/**
 * Soil moisture of the island, twelve months on a net of 250 m, as NetCDF-4 by the CF conventions: wet in winter, drier towards summer, the
 * more so the farther south; in one month a part of it was not measured. Rows from the south.
 */
export async function makeMoisture(land: Landscape, seed = SEED): Promise<Uint8Array> {
  const { grid, height } = land;
  const random = new Random(seed + 71);
  const ground = noiseField(new Random(seed + 72));
  const weather = noiseField(new Random(seed + 73));
  const columns = Math.floor((grid.columns * grid.dx) / CELL);
  const rows = Math.floor((grid.rows * grid.dy) / CELL);
  const south = grid.y - rows * CELL;
  const x = Float64Array.from({ length: columns }, (_, c) => grid.x + (c + 0.5) * CELL);
  const y = Float64Array.from({ length: rows }, (_, r) => south + (r + 0.5) * CELL);
  const values = new Float32Array(MONTHS * rows * columns);
  for (let m = 0; m < MONTHS; m++)
    for (let r = 0; r < rows; r++)
      for (let c = 0; c < columns; c++) {
        const i = (m * rows + r) * columns + c;
        const z =
          height[Math.floor((grid.y - y[r]!) / grid.dy) * grid.columns + Math.floor((x[c]! - grid.x) / grid.dx)]!;
        const out = m === MOISTURE_GAP && x[c]! > grid.x + 0.55 * columns * CELL && y[r]! > south + 0.5 * rows * CELL;
        if (z !== z || out) {
          values[i] = FILL;
          continue;
        }
        const north = r / (rows - 1);
        const summer = 0.5 - 0.5 * Math.cos(((m - 0.6) / 12) * 2 * Math.PI);
        const lost = MOISTURE_TRUTH.south + (MOISTURE_TRUTH.north - MOISTURE_TRUTH.south) * north;
        const wet =
          58 +
          9 * ground(x[c]! / 2600, y[r]! / 2600) +
          Math.min(8, z / 60) -
          lost * summer +
          2.2 * weather(x[c]! / 6000 + 11 * m, y[r]! / 6000) +
          0.8 * random.normal();
        values[i] = Math.round(10 * Math.min(96, Math.max(8, wet))) / 10;
      }
  return written(x, y, values);
}

async function written(x: Float64Array, y: Float64Array, values: Float32Array): Promise<Uint8Array> {
  const { FS } = await ready;
  const file = new File('moisture.nc', 'w');
  file.create_attribute('Conventions', 'CF-1.11');
  file.create_attribute('title', 'Soil moisture of Veyra (invented)');
  const put = (d: Dataset, list: Record<string, string>): void => {
    for (const [k, v] of Object.entries(list)) d.create_attribute(k, v);
  };
  const axis = (name: string, data: Float64Array, list: Record<string, string>): void => {
    const d = file.create_dataset({ name, data });
    put(d, list);
    d.make_scale(name);
  };
  axis('time', middles(), {
    standard_name: 'time',
    axis: 'T',
    units: `days since ${YEAR}-01-01 00:00:00`,
    calendar: 'standard',
  });
  axis('y', y, { standard_name: 'projection_y_coordinate', axis: 'Y', units: 'm' });
  axis('x', x, { standard_name: 'projection_x_coordinate', axis: 'X', units: 'm' });
  const crs = file.create_dataset({ name: 'crs', data: new Int32Array([0]) });
  put(crs, { grid_mapping_name: 'transverse_mercator' });
  for (const [k, v] of Object.entries({
    longitude_of_central_meridian: -21,
    latitude_of_projection_origin: 0,
    scale_factor_at_central_meridian: 0.9996,
    false_easting: 500000,
    false_northing: 0,
    semi_major_axis: 6378137,
    inverse_flattening: 298.257223563,
  }))
    crs.create_attribute(k, new Float64Array([v]), [1]);
  const shape = [MONTHS, y.length, x.length];
  const moisture = file.create_dataset({
    name: 'soil_moisture',
    data: values,
    shape,
    chunks: [1, y.length, x.length],
    compression: 'gzip',
    compression_opts: [4],
  });
  put(moisture, { long_name: 'soil moisture', units: '%', grid_mapping: 'crs' });
  moisture.create_attribute('_FillValue', new Float32Array([FILL]), [1]);
  ['time', 'y', 'x'].forEach((name, k) => moisture.attach_scale(k, name));
  file.close();
  const bytes = FS.readFile('moisture.nc') as Uint8Array;
  FS.unlink('moisture.nc');
  return bytes.slice();
}
