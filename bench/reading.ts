// npm run bench:reading [other checkout]: how long each format takes to be read, against a pass over the same bytes. With another
// checkout of Helk (packages installed) both are run in turns, file by file, and their ratio is printed: an import that checks more
// must not read more slowly.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { File, ready } from 'h5wasm/node';
import { zipSync } from 'fflate';
import {
  crsOfCode,
  FeaturesBuilder,
  measureRaster,
  numberColumn,
  Random,
  textColumn,
  wgs84,
  type Features,
} from '@helk/core';
import { readFile, writeAsciiGrid, writeDelimited, writeGeoJson, writeGeoTiff } from '@helk/core/formats';
import { writeDataset, writeGeoPackage } from '@helk/core/formats/write';
import { setupNode } from '@helk/node';
import { ground } from './ground';

setupNode();
const print = (s: string): void => void process.stdout.write(`${s}\n`);
const [, , first, ...files] = process.argv;

/** Best of several turns, in seconds. */
async function seconds(f: () => unknown, times: number): Promise<number> {
  let best = Infinity;
  for (let k = 0; k < times; k++) {
    const t = process.hrtime.bigint();
    await f();
    best = Math.min(best, Number(process.hrtime.bigint() - t) / 1e9);
  }
  return best;
}

if (first === '--only') {
  const [file] = files;
  const bytes = new Uint8Array(readFileSync(file!));
  const side = existsSync(`${file!}.dbf`) ? new Uint8Array(readFileSync(`${file!}.dbf`)) : undefined;
  const sibling = (e: string): Uint8Array | undefined => (e === 'dbf' ? side : undefined);
  print(String(await seconds(() => readFile(file!, bytes, { sibling }), 3)));
  process.exit(0);
}

const dir = mkdtempSync(join(tmpdir(), 'helk-reading-'));
try {
  const names = await make();
  const alone = (root: string, file: string): number => {
    const r = spawnSync(
      process.execPath,
      ['--max-old-space-size=8192', '--import', 'tsx', join(root, 'bench/reading.ts'), '--only', file],
      { cwd: root, encoding: 'utf8' },
    );
    if (r.status !== 0) throw new Error(r.stderr);
    return Number(r.stdout);
  };
  const here = join(import.meta.dirname, '..');
  print('file                         MB   Helk, s   x one pass over the bytes   here / other checkout');
  for (const name of names) {
    const file = join(dir, name);
    const bytes = new Uint8Array(readFileSync(file));
    const pass = await seconds(() => bytes.reduce((s, b) => (s + b) & 0xffff, 0), 2);
    let mine = alone(here, file);
    let other = first ? alone(first, file) : 0;
    // The other way round as well: what comes first finds a colder machine.
    if (first) {
      other = Math.min(other, alone(first, file));
      mine = Math.min(mine, alone(here, file));
    }
    print(
      `${name.padEnd(24)} ${(bytes.length / 1e6).toFixed(1).padStart(6)}   ${mine.toFixed(3).padStart(7)}   ${(mine / pass).toFixed(1).padStart(25)}   ${first ? (mine / other).toFixed(2).padStart(21) : ''}`,
    );
  }
} finally {
  rmSync(dir, { recursive: true, force: true });
}

/** One file a format, sizes as they are met. */
async function make(): Promise<string[]> {
  const out: string[] = [];
  const put = (name: string, bytes: Uint8Array | string): void => {
    writeFileSync(join(dir, name), bytes);
    out.push(name);
  };
  const size = 2048;
  const z = ground(size);
  const grid = { crs: crsOfCode(32627), x: 4e5, y: 64e5, dx: 10, dy: 10, columns: size, rows: size };
  const raster = measureRaster(grid, z, { name: 'z', unit: 'm' });
  put('deflate.tif', await writeGeoTiff(raster));
  put('grid.asc', writeAsciiGrid(raster));
  await ready;
  const h5 = join(dir, 'cells.nc');
  const f = new File(h5, 'w');
  const axis = (name: string, n: number, from: number, units: string): void => {
    const d = f.create_dataset({
      name,
      data: Float64Array.from({ length: n }, (_, i) => from + i / 600),
      shape: [n],
      dtype: '<d',
    });
    d.create_attribute('units', units);
    d.make_scale(name);
  };
  axis('lat', size, 40, 'degrees_north');
  axis('lon', size, 5, 'degrees_east');
  const d = f.create_dataset({
    name: 'z',
    data: z,
    shape: [size, size],
    dtype: '<f',
    chunks: [256, 256],
    compression: 4,
  });
  d.attach_scale(0, 'lat');
  d.attach_scale(1, 'lon');
  f.close();
  out.push('cells.nc');
  const points = scattered(200_000);
  const areas = squares(300);
  const csv = writeDelimited(points);
  put('points.csv', csv);
  put('points.geojson', writeGeoJson(points));
  put('areas.geojson', writeGeoJson(areas));
  put('points.gpkg', writeGeoPackage([{ name: 'points', data: points }]));
  put('areas.gpkg', writeGeoPackage([{ name: 'areas', data: areas }]));
  put('areas.fgb', await writeDataset(areas, 'flatgeobuf'));
  put('areas.zip', await writeDataset(areas, 'shapefile'));
  put('areas.kml', await writeDataset(squares(120), 'kml'));
  put('several.zip', zipSync({ 'a.csv': new TextEncoder().encode(csv), 'b.tif': await writeGeoTiff(raster) }));
  return out;
}

function scattered(n: number): Features {
  const r = new Random(5);
  const b = new FeaturesBuilder();
  const [v, t]: [Float64Array, string[]] = [new Float64Array(n), []];
  for (let i = 0; i < n; i++) {
    b.point(-20 + r.uniform(), 58 + r.uniform());
    v[i] = Math.round(1e4 * r.uniform()) / 100;
    t.push(['reed', 'meadow', 'moor'][i % 3]!);
  }
  return b.build('point', wgs84(), [numberColumn('depth', v), textColumn('cover', t)]);
}

function squares(n: number): Features {
  const b = new FeaturesBuilder();
  const v = new Float64Array(n * n);
  for (let k = 0; k < n * n; k++) {
    const [x, y] = [-20 + (k % n) / 1000, 58 + Math.floor(k / n) / 1000];
    for (const [i, j] of [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 1],
      [0, 0],
    ] as const)
      b.coordinate(x + i / 1000, y + j / 1000);
    b.endRing();
    b.endPart();
    b.endFeature();
    v[k] = k % 97;
  }
  return b.build('polygon', wgs84(), [numberColumn('v', v)]);
}
