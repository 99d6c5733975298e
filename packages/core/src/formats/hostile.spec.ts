import { readdirSync, readFileSync } from 'node:fs';
import { deflateRawSync, deflateSync, crc32 as crcOf } from 'node:zlib';
import Database from 'better-sqlite3';
import { zipSync } from 'fflate';
import { setupNode } from '@helk/node';
import { HelkError } from '../errors';
import type { Features } from '../data/features';
import { FeaturesBuilder, featureCount } from '../data/features';
import type { Raster } from '../data/raster';
import type { Table } from '../data/table';
import { wgs84 } from '../data/crs';
import { shapefileFiles } from './shapefile';
import { readFile, type Layer } from './index';
import { lzwDecode } from './lzw';
import { packBitsDecode } from './tiff-decoders';

setupNode();

const utf8 = (s: string): Uint8Array => new TextEncoder().encode(s);
const read = async (name: string, bytes: Uint8Array | string, o = {}): Promise<Layer[]> =>
  (await readFile(name, typeof bytes === 'string' ? utf8(bytes) : bytes, o)).layers;
async function refusal(name: string, bytes: Uint8Array | string, o = {}): Promise<HelkError> {
  try {
    await read(name, bytes, o);
  } catch (e) {
    if (e instanceof HelkError) return e;
    throw e;
  }
  throw new Error(`${name} was taken in.`);
}

type Tag = [tag: number, type: 'short' | 'long' | 'ascii' | 'double', values: number[] | string];

/** A little-endian TIFF with just these tags; `data` lies behind the directory, and offsets of strips count from there. */
function tiff(tags: Tag[], data: Uint8Array): Uint8Array {
  const sizes = { short: 2, long: 4, ascii: 1, double: 8 };
  const codes = { short: 3, long: 4, ascii: 2, double: 12 };
  const out = new DataView(new ArrayBuffer(4096 + data.length + tags.reduce((s, t) => s + 8 * t[2].length + 8, 0)));
  let beside = 8 + 2 + 12 * tags.length + 4;
  const extra = tags.reduce((s, [, type, v]) => s + Math.ceil((sizes[type] * v.length) / 8) * 8 + 8, beside);
  out.setUint32(0, 0x002a4949, true);
  out.setUint32(4, 8, true);
  out.setUint16(8, tags.length, true);
  tags.forEach(([tag, type, values], k) => {
    const at = 10 + 12 * k;
    const size = sizes[type] * values.length;
    out.setUint16(at, tag, true);
    out.setUint16(at + 2, codes[type], true);
    out.setUint32(at + 4, values.length, true);
    let to = at + 8;
    if (size > 4) {
      beside = Math.ceil(beside / 8) * 8;
      out.setUint32(to, beside, true);
      to = beside;
      beside += size;
    }
    for (let i = 0; i < values.length; i++) {
      const v = typeof values === 'string' ? values.charCodeAt(i) : tag === 273 ? values[i]! + extra : values[i]!;
      if (type === 'ascii') out.setUint8(to + i, v);
      else if (type === 'short') out.setUint16(to + 2 * i, v, true);
      else if (type === 'long') out.setUint32(to + 4 * i, v, true);
      else out.setFloat64(to + 8 * i, v, true);
    }
  });
  const bytes = new Uint8Array(out.buffer, 0, extra + data.length);
  bytes.set(data, extra);
  return bytes;
}

/** Tags of a small grid of bytes whose one strip lies at the beginning of the data. */
const small = (strip: number, compression: number, more: Tag[] = []): Tag[] =>
  (
    [
      [256, 'short', [4]],
      [257, 'short', [4]],
      [258, 'short', [8]],
      [259, 'short', [compression]],
      [262, 'short', [1]],
      [273, 'long', [0]],
      [277, 'short', [1]],
      [278, 'long', [4]],
      [279, 'long', [strip]],
      [33550, 'double', [10, 10, 0]],
      [33922, 'double', [0, 0, 0, 500000, 6400000, 0]],
      ...more,
    ] as Tag[]
  )
    .filter(([t], i, all) => all.findLastIndex(([u]) => u === t) === i)
    .sort((a, b) => a[0] - b[0]);

describe('a TIFF from anywhere', () => {
  it('is read when it is plain', async () => {
    const cells = Uint8Array.from({ length: 16 }, (_, i) => i);
    const [l] = await read('plain.tif', tiff(small(16, 1), cells));
    expect([...(l!.data as Raster).bands[0]!.cells]).toEqual([...cells]);
    const packed = deflateSync(cells);
    const [p] = await read('packed.tif', tiff(small(packed.length, 8), packed));
    expect([...(p!.data as Raster).bands[0]!.cells]).toEqual([...cells]);
  });

  it('does not swell: a strip of four by four cells that holds 40 MB is refused, deflated or as LZW', async () => {
    const bomb = deflateSync(new Uint8Array(40e6));
    expect((await refusal('bomb.tif', tiff(small(bomb.length, 8), bomb))).code).toBe('file.damaged');
    expect(() => lzwDecode(lzwOfZeros(40e6), 16, 1000)).toThrowError(/longer than its place/);
    const lzw = lzwOfZeros(400_000);
    expect((await refusal('lzw.tif', tiff(small(lzw.length, 5), lzw))).code).toBe('file.damaged');
  });

  it('has PackBits blocks that end where their place ends', () => {
    // The example of TIFF 6.0, section 9.
    const packed = Uint8Array.from([
      0xfe, 0xaa, 0x02, 0x80, 0x00, 0x2a, 0xfd, 0xaa, 0x03, 0x80, 0x00, 0x2a, 0x22, 0xf7, 0xaa,
    ]);
    const plain = [
      0xaa,
      0xaa,
      0xaa,
      0x80,
      0,
      0x2a,
      0xaa,
      0xaa,
      0xaa,
      0xaa,
      0x80,
      0,
      0x2a,
      0x22,
      ...new Array<number>(10).fill(0xaa),
    ];
    expect([...packBitsDecode(packed, 24)]).toEqual(plain);
    expect([...packBitsDecode(packed, 5)]).toEqual(plain.slice(0, 5));
    expect(() => packBitsDecode(packed, 25)).toThrowError(/ends early/);
  });

  it('with zero bands, without bits, or in tiles beyond measure is refused in words', async () => {
    const none = await refusal('none.tif', tiff(small(16, 1, [[277, 'short', [0]]]), new Uint8Array(16)));
    expect(none.message).toContain('0 bands');
    const bits = await refusal('bits.tif', tiff(small(16, 1, [[258, 'short', [0]]]), new Uint8Array(16)));
    expect(bits.message).not.toContain('undefined');
    const tiles = small(16, 1, [
      [322, 'long', [60_000]],
      [323, 'long', [60_000]],
      [324, 'long', [0]],
      [325, 'long', [16]],
    ]).filter(([t]) => t !== 273 && t !== 278 && t !== 279);
    expect((await refusal('tiles.tif', tiff(tiles, new Uint8Array(16)))).code).toBe('file.damaged');
    const nowhere = await refusal(
      'nan.tif',
      tiff(small(16, 1, [[33550, 'double', [NaN, NaN, 0]]]), new Uint8Array(16)),
    );
    expect(nowhere.message).not.toContain('NaN');
  });

  it('of more cells than memory may hold is refused before any is taken', async () => {
    const large = small(16, 1, [
      [256, 'long', [20_000]],
      [257, 'long', [20_000]],
    ]);
    const e = await refusal('large.tif', tiff(large, new Uint8Array(16)), { maxBytes: 2 ** 30 });
    expect(e.code).toBe('file.tooLarge');
    expect(e.message).toContain('1.5 GiB');
  });

  it('with a million blanks in its metadata is read at once', async () => {
    const blanks = `<GDALMetadata><Item${' '.repeat(1e6)}name="x" ${'<Item '.repeat(1e5)}`;
    const [l] = await read('blanks.tif', tiff(small(16, 1, [[42112, 'ascii', blanks]]), new Uint8Array(16)));
    expect((l!.data as Raster).bands.length).toBe(1);
  });
});

/** LZW of zeros: every code the longest string that the table has, so that the stream is as tight as it can be. */
function lzwOfZeros(n: number): Uint8Array {
  const bits: number[] = [];
  let width = 9;
  const put = (code: number): void => {
    for (let b = width - 1; b >= 0; b--) bits.push((code >> b) & 1);
  };
  put(256);
  let next = 258;
  let length = 1;
  put(0);
  for (let made = 1; made < n;) {
    if (next >= 4094) {
      put(256);
      [width, next, length] = [9, 258, 1];
      put(0);
      made++;
      continue;
    }
    put(next++);
    made += ++length;
    if (next + 1 >= 1 << width && width < 12) width++;
  }
  put(257);
  const out = new Uint8Array(Math.ceil(bits.length / 8));
  bits.forEach((b, i) => (out[i >> 3]! |= b << (7 - (i & 7))));
  return out;
}

describe('NetCDF-4 from anywhere', () => {
  const file = (name: string): Uint8Array => new Uint8Array(readFileSync(`reference/fixtures/hostile/${name}.nc`));

  it('reaches for no other file: external storage, links, virtual datasets and foreign filters are refused by name', async () => {
    const why: Record<string, RegExp> = {
      'external-storage': /another file \(external storage\)/,
      'external-link': /link into another file/,
      virtual: /virtual dataset/,
      'filter-lzf': /lzf, number 32000/,
      'filter-unknown': /number 32999/,
    };
    for (const [name, words] of Object.entries(why)) {
      const e = await refusal(`${name}.nc`, file(name));
      expect(e.code).withContext(name).toBe('file.unsupported');
      expect(e.message).withContext(name).toMatch(words);
    }
  });

  it('leaves nothing in the working directory and takes nothing from it', async () => {
    const before = readdirSync('.').sort();
    await refusal('virtual.nc', file('virtual'));
    await read('four.nc', new Uint8Array(readFileSync('reference/fixtures/netcdf/four.nc')));
    expect(readdirSync('.').sort()).toEqual(before);
  });

  it('that promises more than memory holds is refused', async () => {
    const e = await refusal('promises.nc', file('promises'), { maxBytes: 2 ** 20 });
    expect(e.code).toBe('file.tooLarge');
  });
});

describe('an archive', () => {
  const csv = 'x,y,v\n' + Array.from({ length: 100 }, (_, i) => `${i},${i},7\n`).join('');
  const stored = (): Uint8Array => zipSync({ 'a.csv': [utf8(csv), { level: 0 }] });
  const at = (z: Uint8Array, text: string): number => Buffer.from(z).indexOf(text);

  it('is held to its check sums: one digit changed is found', async () => {
    const z = stored();
    z[at(z, '50,50,7') + 6]! ^= 1;
    const e = await refusal('a.zip', z);
    expect(e.code).toBe('file.damaged');
    expect(e.message).toContain('a.csv');
  });

  it('is held to its sizes: fewer bytes declared than there are take no part of the rows', async () => {
    const packed = deflateRawSync(utf8(csv));
    const z = zipSync({ 'a.csv': utf8(csv) });
    const view = new DataView(z.buffer);
    // Size in the local header and in the directory, with the check sum of the first 300 bytes.
    const half = utf8(csv).subarray(0, 300);
    const directory = at(z, 'PK\x01\x02');
    for (const [sum, size] of [
      [14, 22],
      [directory + 16, directory + 24],
    ] as const) {
      view.setUint32(sum, crcOf(half), true);
      view.setUint32(size, 300, true);
    }
    expect(packed.length).toBeGreaterThan(20);
    expect((await refusal('a.zip', z)).code).toBe('file.damaged');
  });

  it('that says a size no packing can reach is refused before it is unpacked', async () => {
    const z = zipSync({ 'a.csv': utf8(csv) });
    const view = new DataView(z.buffer);
    view.setUint32(22, 2e9, true);
    view.setUint32(at(z, 'PK\x01\x02') + 24, 2e9, true);
    expect((await refusal('a.zip', z)).code).toBe('file.damaged');
  });

  it('of thousands of files is refused with the number that is taken', async () => {
    const many = Object.fromEntries(Array.from({ length: 1200 }, (_, k) => [`t${k}.csv`, utf8('a,b\n1,2\n')]));
    const e = await refusal('many.zip', zipSync(many, { level: 0 }));
    expect(e.message).toContain('1000 datasets');
  });
});

describe('text from anywhere', () => {
  it('may have twenty thousand equal heads, which are refused, and four thousand, which are numbered', async () => {
    const wide = (n: number): string => `${new Array(n).fill('h').join(',')}\n${new Array(n).fill('1').join(',')}\n`;
    expect((await refusal('wide.csv', wide(20_000))).code).toBe('file.tooLarge');
    const [l] = await read('wide.csv', wide(4000));
    expect((l!.data as Table).columns[3999]!.name).toBe('h 4000');
  });

  it('with a new name in every feature is refused when it has more columns than anybody', async () => {
    const feature = (k: number): string =>
      `{"type":"Feature","properties":{"k${k}":1},"geometry":{"type":"Point","coordinates":[1,2]}}`;
    const all = Array.from({ length: 5000 }, (_, k) => feature(k)).join(',');
    expect((await refusal('keys.geojson', `{"type":"FeatureCollection","features":[${all}]}`)).message).toContain(
      '4096 different columns',
    );
    const marks = Array.from(
      { length: 3000 },
      (_, k) =>
        `<Placemark><ExtendedData><Data name="d${k}"><value>${k}</value></Data></ExtendedData><Point><coordinates>1,2</coordinates></Point></Placemark>`,
    ).join('');
    const [l] = await read(
      'names.kml',
      `<?xml version="1.0"?><kml xmlns="http://www.opengis.net/kml/2.2"><Document>${marks}</Document></kml>`,
    );
    const column = (l!.data as Features).columns[2999]!;
    expect(column.type).toBe('number');
    expect(column.values[2999]).toBe(2999);
  });

  it('nested twenty thousand deep is refused in words', async () => {
    const deep = `${'['.repeat(20_000)}${']'.repeat(20_000)}`;
    const e = await refusal(
      'deep.geojson',
      `{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"a":${deep}},"geometry":null}]}`,
    );
    expect(e.message).toContain('200 deep');
  });

  it('gives numbers beyond all numbers as missing, and says so', async () => {
    const [p] = await read('wild.csv', 'x,y,v\n1,2,1e999\n3,4,5\n');
    const v = (p!.data as Features).columns[2]!;
    expect([v.missing?.[0], v.values[1]]).toEqual([1, 5]);
    expect(p!.notes.map((n) => n.code)).toContain('values.infinite');
    const [g] = await read('wild.asc', 'ncols 2\nnrows 1\nxllcorner 0\nyllcorner 0\ncellsize 1\n1e999 4\n');
    expect([...(g!.data as Raster).bands[0]!.cells]).toEqual([NaN, 4]);
    expect(g!.notes.map((n) => n.code)).toContain('values.infinite');
  });

  it('that promises a large grid in a few bytes is refused before memory is taken', async () => {
    const e = await refusal('promise.asc', 'ncols 19000\nnrows 19000\nxllcorner 0\nyllcorner 0\ncellsize 1\n1 2 3\n');
    expect(e.message).toContain('too few for 19000 by 19000');
  });

  it('with a document type after a long comment is refused all the same', async () => {
    const e = await refusal(
      'late.kml',
      `<!--${' '.repeat(6000)}--><!DOCTYPE kml [<!ENTITY a "b">]><kml xmlns="http://www.opengis.net/kml/2.2"/>`,
    );
    // Beyond the bytes that are looked at for what it is, or refused by name: never read.
    expect(['file.unsupported', 'file.unknown']).toContain(e.code);
  });

  it('of a quotation mark that never closes is refused without reading it over and over', async () => {
    const e = await refusal('quote.csv', `a,b\n"${'1,2\n'.repeat(6_000_000)}`);
    expect(e.message).toContain('never closed');
  });

  it('asking for a grid file by its system is refused', async () => {
    const e = await refusal(
      'shift.geojson',
      '{"type":"FeatureCollection","crs":{"properties":{"name":"+proj=longlat +ellps=bessel +nadgrids=/etc/passwd"}},"features":[]}',
    );
    expect(e.code).toBe('crs.unknown');
    expect(e.message).toContain('none is read');
  });
});

describe('a GeoPackage from anywhere', () => {
  const made = (sql: string): Uint8Array => {
    const db = new Database(':memory:');
    db.exec(`CREATE TABLE gpkg_contents (table_name TEXT, data_type TEXT, identifier TEXT, srs_id INTEGER);
      CREATE TABLE gpkg_spatial_ref_sys (srs_id INTEGER, organization TEXT, organization_coordsys_id INTEGER, definition TEXT);
      CREATE TABLE gpkg_geometry_columns (table_name TEXT, column_name TEXT, srs_id INTEGER);
      ${sql}`);
    const bytes = new Uint8Array(db.serialize());
    db.close();
    return bytes;
  };
  const listed = (t: string): string => `INSERT INTO gpkg_contents VALUES ('${t}', 'attributes', '${t}', 0);`;

  it('may have views that select', async () => {
    const [l] = await read(
      'v.gpkg',
      made(
        `CREATE TABLE t (a INTEGER); INSERT INTO t VALUES (1), (2); CREATE VIEW v AS SELECT a, 'with' AS b FROM t; ${listed('v')}`,
      ),
    );
    expect([...(l!.data as Table).columns[0]!.values]).toEqual([1, 2]);
  });

  it('with a view that never ends is refused, also by way of another view, and as its own list', async () => {
    const endless = 'WITH c(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM c) SELECT n FROM c';
    for (const sql of [
      `CREATE VIEW v AS ${endless}; ${listed('v')}`,
      `CREATE VIEW w AS ${endless}; CREATE VIEW v AS SELECT * FROM w; ${listed('v')}`,
      `DROP TABLE gpkg_contents; CREATE VIEW gpkg_contents AS WITH c(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM c) SELECT 't' AS table_name, 'attributes' AS data_type, n AS identifier, 0 AS srs_id FROM c;`,
    ]) {
      const e = await refusal('v.gpkg', made(sql));
      expect(e.code).toBe('file.unsupported');
      expect(e.message).toContain('recursion');
    }
  });
});

describe('a shapefile from anywhere', () => {
  it('of fifteen thousand rings in one polygon keeps every hole with its ring', async () => {
    const n = 7500;
    const b = new FeaturesBuilder();
    const ring = (x: number, y: number, s: number): void => {
      for (const [i, j] of [
        [0, 0],
        [1, 0],
        [1, 1],
        [0, 1],
        [0, 0],
      ] as const)
        b.coordinate(x + s * i, y + s * j);
      b.endRing();
    };
    for (let k = 0; k < n; k++) {
      ring(10 * (k % 100), 10 * Math.floor(k / 100), 8);
      ring(10 * (k % 100) + 2, 10 * Math.floor(k / 100) + 2, 3);
      b.endPart();
    }
    b.endFeature();
    const files = shapefileFiles(b.build('polygon', wgs84(), []));
    const [l] = await read('rings.shp', files['shp']!, { sibling: (e: string) => files[e] });
    const f = l!.data as Features;
    expect(featureCount(f)).toBe(1);
    expect(f.partOffsets.length - 1).toBe(n);
    expect(f.partOffsets.every((o, k) => o === 2 * k)).toBeTrue();
  });
});
