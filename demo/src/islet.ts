import {
  FeaturesBuilder,
  measureRaster,
  Random,
  textColumn,
  wgs84,
  type Features,
  type Grid,
  type Raster,
} from '@helk/core';
import { surveyed } from './elevation';
import { network, place } from './features';
import { makeLandscape, noiseField, octaves, SEED, type Island, type Landscape } from './landscape';

const SECOND = 1 / 3600;
const LAP = 12;
/** How far from its stream the gauge of the islet is drawn, m: farther than that of Veyra. */
const OFF = 320;

/** Skarra, an islet to the north-east of Veyra: two hills and one valley between them that drains to the east. */
const SKARRA: Island = {
  centre: [565800, 6461400],
  columns: 170,
  rows: 140,
  coast: (x, y, noise) => {
    const r = Math.hypot(x / 4300, y / 3400);
    const cove = 0.5 * Math.exp(-(((x - 4100) / 1500) ** 2) - ((y + 200) / 700) ** 2);
    return 1 - r + 0.22 * octaves(noise, x / 3100 + 21, y / 3100 - 8, 5) - cove;
  },
  relief: (x, y, noise) => {
    const north = 0.75 * Math.exp(-(((x + 700) / 2300) ** 2) - ((y - 1700) / 1100) ** 2);
    const south = 0.6 * Math.exp(-(((x + 300) / 2500) ** 2) - ((y + 1800) / 1000) ** 2);
    return 0.1 + north + south + 0.2 * octaves(noise, x / 1900 + 2, y / 1900 + 5, 4);
  },
};

export const makeIsletLand = (seed = SEED + 11): Landscape => makeLandscape(seed, SKARRA);

/** Elevation of the islet as two tiles in the manner of the survey, one hole in them. */
export function makeIslet(land: Landscape, seed = SEED + 12): { name: string; raster: Raster }[] {
  const fine = noiseField(new Random(seed));
  const [columns, rows] = [620, 260];
  const grid: Grid = { crs: wgs84(), x: -19.962, y: 58.318, dx: SECOND, dy: SECOND, columns, rows };
  const cells = surveyed(land, grid, fine);
  for (let y = 96; y < 108; y++) for (let x = 246; x < 262; x++) cells[y * columns + x] = NaN;
  const split = 320;
  return [
    { name: 'skarra-elevation-w', from: 0, to: split + LAP },
    { name: 'skarra-elevation-e', from: split, to: columns },
  ].map(({ name, from, to }) => {
    const wide = to - from;
    const out = new Float32Array(wide * rows);
    for (let y = 0; y < rows; y++) out.set(cells.subarray(y * columns + from, y * columns + to), y * wide);
    const raster = measureRaster({ ...grid, x: grid.x + from * SECOND, columns: wide }, out, {
      name: 'elevation',
      unit: 'm',
      role: 'elevation',
      storedType: 'int16',
      missingCode: -32768,
    });
    return { name, raster };
  });
}

/** The gauge of the islet on its largest stream, read off an old map: farther from the water than the one of Veyra. */
export function makeIsletGauge(land: Landscape): Features {
  const { area, links } = network(land);
  let best = 0;
  links.cells.forEach((c, k) => {
    if (area[c.at(-1)!]! > area[links.cells[best]!.at(-1)!]!) best = k;
  });
  const cells = links.cells[best]!;
  const [x, y] = place(land, cells[Math.max(0, cells.length - 6)]!);
  const b = new FeaturesBuilder();
  b.point(x + 0.4 * OFF, y + 0.92 * OFF);
  return b.build('point', land.grid.crs, [textColumn('name', ['Gauge on Skarra'])]);
}
