// Reads mutants of good files, one after the other, as it is told to. Run by scripts/fuzz.ts in a process with a wall of memory.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  crsOfCode,
  FeaturesBuilder,
  HelkError,
  measureRaster,
  methodOf,
  numberColumn,
  Random,
  runMethod,
  textColumn,
  wgs84,
  type Dataset,
} from '@helk/core';
import { readFile, writeAsciiGrid, writeDelimited, writeGeoJson, writeGeoTiff } from '@helk/core/formats';
import { packBinary, unpackBinary } from '@helk/core/formats/binary';
import { lasBytes, wavyCloud, type RawPoint } from '@helk/core/formats/cloud-fixture';
import { packedLas } from '@helk/core/formats/laz-fixture';
import { writeDataset, writeGeoPackage } from '@helk/core/formats/write';
import { setupNode } from '@helk/node';

setupNode();

interface Seed {
  name: string;
  bytes: Uint8Array;
  sibling?: Record<string, Uint8Array>;
}

async function corpus(): Promise<Seed[]> {
  const n = 24;
  const grid = { crs: crsOfCode(32627), x: 4e5, y: 64e5, dx: 10, dy: 10, columns: n, rows: n };
  const raster = measureRaster(
    grid,
    Float32Array.from({ length: n * n }, (_, i) => (i % 7 ? i : NaN)),
    { name: 'z', unit: 'm' },
  );
  const b = new FeaturesBuilder();
  for (let k = 0; k < 6; k++) {
    for (const [x, y] of [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 0],
    ] as const)
      b.coordinate(k + x, y);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  const areas = b.build('polygon', wgs84(), [
    numberColumn('v', Float64Array.of(1, 2, 3, NaN, 5, 6)),
    textColumn('name', ['a', 'b', 'č', '', 'e"', 'f,g']),
  ]);
  const p = new FeaturesBuilder();
  for (let k = 0; k < 6; k++) p.point(k, k / 2);
  const points = p.build('point', wgs84(), areas.columns);
  const cloud = wavyCloud(200);
  const of: RawPoint[] = Array.from({ length: 150 }, (_, i) => ({
    ...{
      X: i * 31,
      Y: (i * 57) % 400,
      Z: i % 9,
      intensity: i * 90,
      returnNumber: 1,
      returns: 1 + (i % 2),
      classification: 2,
    },
    ...{ flags: 0, angle: i % 5, userData: 0, source: 1, time: 0, rgb: [0, 0, 0], infrared: 0 },
  }));
  const plain = lasBytes(2, 0, of);
  const text = (s: string): Uint8Array => new TextEncoder().encode(s);
  const folder = (f: string): Seed[] =>
    readdirSync(join('reference/fixtures', f))
      .filter((x) => /\.(nc|tif)$/.test(x))
      .map((x) => ({ name: x, bytes: new Uint8Array(readFileSync(join('reference/fixtures', f, x))) }));
  return [
    { name: 'a.tif', bytes: await writeGeoTiff(raster) },
    { name: 'a.asc', bytes: text(writeAsciiGrid(raster)) },
    ...folder('tiff'),
    ...folder('netcdf'),
    ...folder('hostile'),
    { name: 'a.geojson', bytes: text(writeGeoJson(areas)) },
    { name: 'b.geojson', bytes: text(writeGeoJson(points, true)) },
    { name: 'network.geojson', bytes: await writeDataset(await streets(), 'geojson-native') },
    { name: 'a.csv', bytes: text(writeDelimited(points)) },
    { name: 'a.gpkg', bytes: writeGeoPackage([{ name: 'a', data: areas }]) },
    { name: 'a.fgb', bytes: await writeDataset(areas, 'flatgeobuf') },
    { name: 'a.zip', bytes: await writeDataset(areas, 'shapefile') },
    { name: 'a.kml', bytes: await writeDataset(areas, 'kml') },
    { name: 'a.kmz', bytes: await writeDataset(points, 'kmz') },
    {
      name: 'a.gpx',
      bytes: text(
        '<?xml version="1.0"?><gpx xmlns="http://www.topografix.com/GPX/1/1"><wpt lat="1" lon="2"><name>a</name></wpt><trk><trkseg><trkpt lat="1" lon="2"/><trkpt lat="2" lon="3"/></trkseg></trk></gpx>',
      ),
    },
    { name: 'a.helkb', bytes: packBinary(areas) },
    { name: 'a.las', bytes: await writeDataset(cloud, 'las') },
    { name: 'b.las', bytes: await writeDataset(cloud, 'las12') },
    { name: 'a.laz', bytes: packedLas(plain, 60) },
    { name: 'a.xyz', bytes: text('# x y z i\n1.5 2.5 3.25 7\n4 5 6 8\n7e1 8 -9 0\n') },
    {
      name: 'a.ply',
      bytes: text(
        'ply\nformat ascii 1.0\nelement vertex 2\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nend_header\n1 2 3 4\n5 6 7 8\n',
      ),
    },
  ];
}

/** Four streets that meet. */
async function streets(): Promise<Dataset> {
  const b = new FeaturesBuilder();
  for (const [x, y] of [
    [1, 0],
    [0, 1],
    [-1, 0],
    [0, -1],
  ] as const) {
    b.coordinate(500_000, 5_900_000);
    b.coordinate(500_000 + 100 * x, 5_900_000 + 100 * y);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  const lines = b.build('line', crsOfCode(25832), []);
  return (await runMethod(methodOf('network.build'), { streets: [lines] }, {})).outputs[0]!.data;
}

const WORDS = [0, 1, 0x7f, 0x80, 0xff, 0x7fff, 0xffff, 0x7fffffff, 0x80000000, 0xffffffff];
const TEXTS = ['1e999', 'NaN', '"', '{', '[', '<!DOCTYPE', 'constructor', '-', '\u0000', '99999999999999999999'];

/** One of the files with some harm done to it. */
function mutant(seeds: Seed[], k: number, seed: number): Seed {
  const r = new Random(seed * 1_000_003 + k);
  const pick = (n: number): number => Math.floor(r.uniform() * n);
  const s = seeds[k % seeds.length]!;
  let bytes = s.bytes.slice();
  for (let turns = 1 + pick(4); turns > 0; turns--) {
    const at = pick(bytes.length);
    // Heads and directories decide most; they stand at the ends.
    const near = r.uniform() < 0.5 ? pick(Math.min(400, bytes.length)) : at;
    switch (pick(8)) {
      case 0:
        bytes[near]! ^= 1 << pick(8);
        break;
      case 1:
        bytes[near] = pick(256);
        break;
      case 2:
        bytes = bytes.slice(0, at);
        break;
      case 3: {
        const word = WORDS[pick(WORDS.length)]!;
        if (near + 4 <= bytes.length) new DataView(bytes.buffer).setUint32(near, word, r.uniform() < 0.5);
        break;
      }
      case 4: {
        const to = Math.min(bytes.length, at + pick(64));
        bytes = Uint8Array.from([...bytes.subarray(0, to), ...bytes.subarray(at)]);
        break;
      }
      case 5:
        bytes.fill(0, at, Math.min(bytes.length, at + pick(64)));
        break;
      case 6: {
        const t = new TextEncoder().encode(TEXTS[pick(TEXTS.length)]!);
        bytes = Uint8Array.from([...bytes.subarray(0, near), ...t, ...bytes.subarray(near)]);
        break;
      }
      case 7: {
        const other = seeds[pick(seeds.length)]!.bytes;
        bytes = Uint8Array.from([...bytes.subarray(0, at), ...other.subarray(pick(other.length))]);
        break;
      }
    }
    if (!bytes.length) bytes = Uint8Array.of(0);
  }
  return { name: s.name, bytes };
}

/** Words that only a fault brings before a person. */
const LEAKED =
  /undefined|\bNaN\b|\[object|Maximum call stack|Cannot read|is not a function|not iterable|at \S+:\d+:\d+/;

async function judge(m: Seed): Promise<string | null> {
  try {
    if (m.name.endsWith('.helkb')) unpackBinary(m.bytes);
    else await readFile(m.name, m.bytes, { maxCells: 1e7, maxUnpacked: 2 ** 27, maxBytes: 2 ** 29 });
    return null;
  } catch (e) {
    if (!(e instanceof HelkError)) return `${(e as Error)?.name}: ${(e as Error)?.stack ?? String(e)}`;
    // What stands in the file itself may be quoted.
    return LEAKED.test(e.message.replace(/"[^"]*"/g, '""')) ? `a sentence that leaks: ${e.message}` : null;
  }
}

const seeds = await corpus();
process.send!({ ready: true, files: seeds.length });
process.on('message', ({ from, to, seed }: { from: number; to: number; seed: number }) => {
  void (async () => {
    for (let k = from; k < to; k++) {
      const m = mutant(seeds, k, seed);
      process.send!({ at: k, name: m.name, hdf5: m.bytes[0] === 0x89 && m.bytes[1] === 0x48 });
      const why = await judge(m);
      if (why) process.send!({ fault: why, at: k, name: m.name });
      // Lets the messages out.
      if ((k & 63) === 0) await new Promise((r) => setImmediate(r));
    }
    process.send!({ done: true });
  })();
});
