import { readFileSync } from 'node:fs';
import { strToU8, zipSync } from 'fflate';
import expected from '../../../../reference/fixtures/tiff.json';
import { setupNode } from '../../../node/src/index';
import type { Features } from '../data/features';
import { valueOf } from '../data/features';
import { measureRaster, MISSING_CLASS, type Raster } from '../data/raster';
import { summarise } from '../numeric/statistics';
import { Random } from '../numeric/random';
import { gridOf, rasterOf, refusalOf } from '../testing';
import { readFile, writeAsciiGrid, writeDelimited, writeGeoJson, writeGeoTiff } from './index';
import { lzwDecode } from './lzw';

const file = (name: string): Uint8Array => new Uint8Array(readFileSync(`reference/fixtures/tiff/${name}.tif`));
const text = (s: string): Uint8Array => strToU8(s);
const raster = async (name: string, bytes: Uint8Array): Promise<Raster> =>
  (await readFile(name, bytes)).layers[0]!.data as Raster;

beforeAll(setupNode);

describe('GeoTIFF reading', () => {
  // Every variant written by rasterio (reference/formats/tiffs.py).
  for (const [name, e] of Object.entries(expected)) {
    it(`reads ${name} as rasterio wrote it`, async () => {
      const r = await raster(`${name}.tif`, file(name));
      expect(r.grid.columns).toBe(53);
      expect(r.grid.rows).toBe(37);
      expect(r.bands.length).toBe(e.bands);
      expect(r.grid.dx).toBe(20);
      expect([r.grid.x, r.grid.y]).toEqual([414000, 6460000]);
      expect(r.grid.crs?.code).toBe(name.includes('degrees') ? 'EPSG:4326' : 'EPSG:32627');
      expect(r.bands[0]!.storedType).toBe(e.type as 'int16');
      expect(r.bands[0]!.cells[20 * 53 + 31]).toBe(e.at_20_31);
      if (e.nodata === null) {
        e.sum.forEach((s, k) => expect(summarise(r.bands[k]!.cells).sum).toBeCloseTo(s, 3));
        expect(r.bands[0]!.cells[0]).toBe(e.first);
      } else {
        const gone = name === 'int16-missing' ? 16 : 9;
        expect(summarise(r.bands[0]!.cells).missing).toBe(gone);
      }
    });
  }

  it('refuses cut-off files at any length, with a sentence and never a stack trace', async () => {
    for (const name of ['int16-strips', 'int16-lzw', 'float32-deflate-tiled', 'int16-big']) {
      const whole = file(name);
      for (const share of [0.999, 0.8, 0.5, 0.2, 0.02]) {
        const e = await refusalOf(readFile('cut.tif', whole.slice(0, Math.max(4, Math.floor(whole.length * share)))));
        expect(e.code)
          .withContext(`${name} at ${share}`)
          .toMatch(/^file\./);
        expect(e.message).toContain('cut.tif');
      }
    }
  });

  it('survives flipped bits: a raster of the right size or a refusal', async () => {
    const r = new Random(5);
    const whole = file('int16-lzw-predictor');
    for (let k = 0; k < 300; k++) {
      const bent = whole.slice();
      for (let j = 0; j < 3; j++) bent[r.below(bent.length)] = r.below(256);
      try {
        const got = await raster('bent.tif', bent);
        expect(got.bands[0]!.cells.length).toBe(got.grid.columns * got.grid.rows);
      } catch (e) {
        expect((e as { code?: string }).code)
          .withContext(String(e))
          .toMatch(/^file\./);
      }
    }
  });

  it('refuses more cells than allowed before reading them', async () => {
    expect((await refusalOf(readFile('big.tif', file('int16-strips'), { maxCells: 1000 }))).code).toBe('file.tooLarge');
  });
});

describe('GeoTIFF writing', () => {
  it('keeps the role and the wavelength of bands', async () => {
    const one = measureRaster(gridOf(2, 1), Float32Array.of(1, 2), { name: 'B', role: 'red', wavelength: 664.5 });
    const back = await raster('x.tif', await writeGeoTiff(one));
    expect([back.bands[0]!.role, back.bands[0]!.wavelength]).toEqual(['red', 664.5]);
  });
  it('keeps values, grid, system, name, unit, missing cells and the stored type', async () => {
    const r = rasterOf(
      600,
      Array.from({ length: 600 * 700 }, (_, i) => (i % 97 === 0 ? null : (i * 7) % 5000)),
    );
    r.bands[0]! = { ...r.bands[0]!, name: 'höhe', storedType: 'int16', missingCode: -32768, role: 'elevation' };
    const back = await raster('x.tif', await writeGeoTiff(r));
    expect(back.grid).toEqual(r.grid);
    expect(back.bands[0]!.cells).toEqual(r.bands[0]!.cells);
    const { name, unit, storedType, missingCode, role } = back.bands[0]!;
    expect({ name, unit, storedType, missingCode, role }).toEqual({
      name: 'höhe',
      unit: 'm',
      storedType: 'int16',
      missingCode: -32768,
      role: 'elevation',
    });
  });
  it('widens the type when the values no longer fit it, or no missing value is left', async () => {
    const half = rasterOf(2, [0.5, 1, 2, null]);
    half.bands[0]!.storedType = 'int16';
    expect((await raster('x.tif', await writeGeoTiff(half))).bands[0]!.storedType).toBe('float32');
    const full = rasterOf(257, [...Array.from({ length: 256 }, (_, i) => i), null]);
    full.bands[0]!.storedType = 'uint8';
    expect((await raster('x.tif', await writeGeoTiff(full))).bands[0]!.storedType).toBe('int16');
  });
  it('keeps classes with their labels, and several bands', async () => {
    const classes: Raster = {
      kind: 'raster',
      grid: gridOf(2, 2),
      bands: [
        {
          name: 'cover',
          unit: null,
          kind: 'category',
          storedType: 'uint8',
          missingCode: 0,
          classes: [{ value: 3, label: 'reed & water', colour: '#336699' }],
          cells: Int32Array.from([3, 3, MISSING_CLASS, 4]),
        },
      ],
    };
    const back = await raster('x.tif', await writeGeoTiff(classes));
    expect(back.bands[0]!.classes).toEqual(classes.bands[0]!.classes);
    expect([...back.bands[0]!.cells]).toEqual([3, 3, MISSING_CLASS, 4]);
    const two = rasterOf(2, [1, 2, 3, 4]);
    two.bands.push({ ...two.bands[0]!, name: 'second', cells: Float32Array.from([5, 6, NaN, 8]) });
    const again = await raster('x.tif', await writeGeoTiff(two));
    expect(again.bands.map((b) => [...b.cells])).toEqual([
      [1, 2, 3, 4],
      [5, 6, NaN, 8],
    ]);
  });
});

describe('LZW', () => {
  it('refuses codes beyond the table', () => {
    expect(() => lzwDecode(Uint8Array.from([0x80, 0x7f, 0xff, 0xff, 0xff]), 10)).toThrowError(/LZW/);
  });
});

describe('ASCII grid', () => {
  const grid =
    'ncols 3\nnrows 2\nxllcorner 100\nyllcorner 50.5\ncellsize 10\nNODATA_value -9999\n1 2.5 -3\n-9999 1e2 6\n';
  it('is read with corner, cell size and missing value', async () => {
    const r = await raster('a.asc', text(grid));
    expect(r.grid).toEqual({ crs: null, x: 100, y: 70.5, dx: 10, dy: 10, columns: 3, rows: 2 });
    expect([...r.bands[0]!.cells]).toEqual([1, 2.5, -3, NaN, 100, 6]);
  });
  it('is read with cell centres in the header', async () => {
    expect(
      (await raster('a.asc', text(grid.replace('xllcorner', 'XLLCENTER').replace('yllcorner', 'yllcenter')))).grid.x,
    ).toBe(95);
  });
  it('comes back as it was written', async () => {
    const r = rasterOf(3, [1, 2.25, null, 4, -5, 6]);
    expect((await raster('a.asc', text(writeAsciiGrid(r)))).bands[0]!.cells).toEqual(r.bands[0]!.cells);
  });
  it('is refused when cut off or not numeric, with row and column', async () => {
    expect((await refusalOf(readFile('a.asc', text(grid.slice(0, -8))))).message).toContain('4 of 6');
    const e = await refusalOf(readFile('a.asc', text(grid.replace('1e2', 'abc'))));
    expect(e.message).toContain('row 2, column 2');
    expect((await refusalOf(readFile('a.asc', text(grid.replace('cellsize 10', 'cellsize -1'))))).code).toBe(
      'file.damaged',
    );
    expect((await refusalOf(readFile('a.asc', text('ncols 99999999\nnrows 99999999\n')))).code).toBe('file.tooLarge');
  });
});

const collection = (features: unknown[], more = {}): Uint8Array =>
  text(JSON.stringify({ type: 'FeatureCollection', ...more, features }));
const feature = (geometry: unknown, properties: unknown = {}): unknown => ({ type: 'Feature', geometry, properties });

describe('GeoJSON', () => {
  it('keeps geometry, column order, types and missing values through writing', async () => {
    const bytes = collection([
      feature(
        {
          type: 'MultiPolygon',
          coordinates: [
            [
              [
                [0, 0],
                [4, 0],
                [4, 4],
                [0, 4],
                [0, 0],
              ],
              [
                [1, 1],
                [1, 2],
                [2, 2],
                [2, 1],
                [1, 1],
              ],
            ],
            [
              [
                [9, 9],
                [10, 9],
                [10, 10],
                [9, 9],
              ],
            ],
          ],
        },
        { name: 'a,"b"', n: 1.5, ok: true },
      ),
      feature(
        {
          type: 'Polygon',
          coordinates: [
            [
              [5, 5],
              [6, 5],
              [6, 6],
              [5, 5],
            ],
          ],
        },
        { name: null, n: 2, ok: false, late: 'x' },
      ),
    ]);
    const f = (await readFile('p.geojson', bytes)).layers[0]!.data as Features;
    expect(f.columns.map((c) => `${c.name}:${c.type}`)).toEqual(['name:text', 'n:number', 'ok:boolean', 'late:text']);
    expect(valueOf(f.columns[0]!, 1)).toBeNull();
    const again = (await readFile('p.geojson', text(writeGeoJson(f)))).layers[0]!.data as Features;
    expect(again).toEqual(f);
  });
  it('splits mixed types, closes rings, leaves out null geometries, and says so', async () => {
    const { layers } = await readFile(
      'm.geojson',
      collection([
        feature({ type: 'Point', coordinates: [1, 2] }),
        feature(null),
        feature({
          type: 'Polygon',
          coordinates: [
            [
              [0, 0],
              [1, 0],
              [1, 1],
            ],
          ],
        }),
      ]),
    );
    expect(layers.map((l) => l.name)).toEqual(['m points', 'm polygons']);
    expect(layers[0]!.notes.map((n) => n.code).sort()).toEqual([
      'features.mixed',
      'features.noGeometry',
      'features.openRings',
    ]);
  });
  it('reads the crs member and brings coordinates to longitude and latitude when writing', async () => {
    const f = (
      await readFile(
        'u.geojson',
        collection([feature({ type: 'Point', coordinates: [500000, 6450000] })], {
          crs: { type: 'name', properties: { name: 'urn:ogc:def:crs:EPSG::32627' } },
        }),
      )
    ).layers[0]!.data as Features;
    expect(f.crs?.code).toBe('EPSG:32627');
    const out = JSON.parse(writeGeoJson(f)) as { features: { geometry: { coordinates: number[] } }[] };
    expect(out.features[0]!.geometry.coordinates[0]).toBeCloseTo(-21, 9);
    expect(writeGeoJson(f, true)).toContain('EPSG::32627');
  });
  it('is refused when cut off, empty, or of bad coordinates, with the feature’s number', async () => {
    const whole = collection([feature({ type: 'Point', coordinates: [1, 2] })]);
    expect((await refusalOf(readFile('c.geojson', whole.slice(0, 60)))).code).toBe('file.damaged');
    expect((await refusalOf(readFile('c.geojson', collection([])))).code).toBe('file.content');
    const bad = await refusalOf(
      readFile(
        'c.geojson',
        collection([
          feature({ type: 'Point', coordinates: [1, 2] }),
          feature({ type: 'Point', coordinates: ['x', 2] }),
        ]),
      ),
    );
    expect(bad.message).toContain('feature 2');
    expect((await refusalOf(readFile('c.json', text('{"a": 1}')))).code).toBe('file.unknown');
  });
});

describe('delimited text', () => {
  it('reads semicolons with decimal comma, byte-order mark, units in the header and missing values', async () => {
    const f = (
      await readFile('p.csv', text('\uFEFFid;lon;lat;depth [cm];code\n1;-20,5;58,2;12,5;007\n2;-20,4;58,3;;008\n'))
    ).layers[0]!.data as Features;
    expect([...f.xy]).toEqual([-20.5, 58.2, -20.4, 58.3]);
    expect(f.crs?.code).toBe('EPSG:4326');
    expect(f.columns[3]).toEqual({
      name: 'depth [cm]',
      type: 'number',
      unit: 'cm',
      values: Float64Array.from([12.5, NaN]),
      missing: Uint8Array.from([0, 1]),
    });
    expect(f.columns[4]!.type).toBe('text');
  });
  it('reads commas, tabs and quotes; without coordinates it is a table', async () => {
    const t = (await readFile('t.csv', text('a,b\n"x, ""y""",1\n'))).layers[0]!.data;
    expect(t.kind === 'table' && t.columns[0]!.values[0]).toBe('x, "y"');
    expect((await readFile('t.tsv', text('x\ty\n1\t2\n'))).layers[0]!.data.kind).toBe('features');
  });
  it('comes back as it was written, and disarms cells that a spreadsheet would run', async () => {
    const out = writeDelimited({
      kind: 'table',
      columns: [{ name: 'a', type: 'text', unit: null, values: ['=1+1', '-5', '@x', 'plain, "q"'] }],
    });
    expect(out).toBe('a\r\n\'=1+1\r\n-5\r\n\'@x\r\n"plain, ""q"""\r\n');
  });
  it('is refused without rows or with an open quotation mark', async () => {
    expect((await refusalOf(readFile('t.csv', text('a,b\n')))).code).toBe('file.content');
    expect((await refusalOf(readFile('t.csv', text('a,b\n1,"2\n')))).code).toBe('file.damaged');
  });
});

describe('archives and unknown files', () => {
  it('opens what it knows in a zip and names what it passed over', async () => {
    const { layers } = await readFile(
      'z.zip',
      zipSync({ 'sub/a.csv': text('x,y\n1,2\n'), 'readme.md': text('# hi'), 'b.tif': file('int16-lzw') }),
    );
    expect(layers.map((l) => l.name)).toEqual(['a', 'b']);
    expect(layers[0]!.notes.some((n) => n.message.includes('readme.md'))).toBeTrue();
  });
  it('refuses archives that unpack too large, are cut off, or hold nothing', async () => {
    const z = zipSync({ 'a.csv': new Uint8Array(3_000_000) });
    expect((await refusalOf(readFile('z.zip', z, { maxUnpacked: 1e6 }))).code).toBe('file.tooLarge');
    expect((await refusalOf(readFile('z.zip', z.slice(0, z.length - 40)))).code).toBe('file.damaged');
    expect((await refusalOf(readFile('z.zip', zipSync({ 'a.md': text('x') })))).code).toBe('file.content');
  });
  it('refuses empty, unknown and mislabelled files with a sentence that helps', async () => {
    expect((await refusalOf(readFile('a.tif', new Uint8Array(0)))).message).toContain('empty');
    expect((await refusalOf(readFile('a.tif', text('<html>not found</html>')))).message).toContain('error page');
    expect((await refusalOf(readFile('a.qqq', text('hello')))).message).toContain('GeoTIFF');
    expect((await readFile('mislabelled.asc', file('int16-lzw'))).format.id).toBe('geotiff');
  });
});
