import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { unzipSync } from 'fflate';
import { setupNode } from '../../../node/src/index';
import { HelkError } from '../errors';
import { crsOfCode, wgs84, type Crs } from '../data/crs';
import {
  featureCount,
  FeaturesBuilder,
  valueOf,
  type Column,
  type Features,
  type GeometryType,
} from '../data/features';
import { featureArea } from '../data/measure';
import { numberColumn, textColumn, type Table } from '../data/table';
import { READ_LIMITS, readFile, type Layer } from './index';
import { writeDataset, writeGeoPackage, type WriteFormat } from './write';
import { crsFromWkt, wktOf } from './wkt';
import { infoOf, lossesOf } from '../data/kinds';

beforeAll(setupNode);

const fixture = (name: string): Uint8Array => new Uint8Array(readFileSync(`reference/fixtures/features/${name}`));
const read = async (name: string): Promise<Layer> => (await readFile(name, fixture(name))).layers[0]!;
const values = (f: Features | Table, name: string): unknown[] => {
  const c = f.columns.find((x) => x.name === name)!;
  return Array.from({ length: c.values.length }, (_, i) => valueOf(c, i));
};

describe('files written by Fiona', () => {
  it('GeoPackage and zipped Shapefile: holes, parts, missing values, dates, letters, features without geometry', async () => {
    for (const name of ['areas.gpkg', 'areas.zip']) {
      const { data, notes } = await read(name);
      const f = data as Features;
      expect(f.crs?.code).withContext(name).toBe('EPSG:32627');
      expect(featureCount(f)).toBe(3);
      expect([0, 1, 2].map((i) => featureArea(f, i)))
        .withContext(name)
        .toEqual([96, 100, 0]);
      expect([...f.featureOffsets]).toEqual([0, 1, 3, 3]);
      expect(values(f, 'name')).withContext(name).toEqual(['Ærø sund', null, 'x']);
      expect(values(f, 'depth')).toEqual([1.25, null, 0]);
      expect(values(f, 'count')).toEqual([7, -3, null]);
      expect(values(f, 'when')).withContext(name).toEqual(['2024-05-17', null, '1978-01-02']);
      expect(notes.find((n) => n.code === 'features.noGeometry')?.message).toContain('number 3');
    }
  });
  it('FlatGeobuf', async () => {
    const f = (await read('areas.fgb')).data as Features;
    expect(f.crs?.code).toBe('EPSG:32627');
    // Its index orders features by place, not by number.
    expect(Array.from({ length: 2 }, (_, i) => featureArea(f, i)).sort()).toEqual([100, 96]);
    expect(new Set(values(f, 'name'))).toEqual(new Set(['Ærø sund', null]));
  });
  it('Shapefile with heights and old letters, which is said', async () => {
    const { data, notes } = await read('heights.zip');
    const f = data as Features;
    expect([...f.z!]).toEqual([0, 10, 20]);
    expect(values(f, 'name')).toEqual(['Ø', 'å', 'z']);
    expect(notes.map((n) => n.code)).not.toContain('shapefile.noTable');
  });
  it('loose shapes without a table are read and what lacks is said', async () => {
    const shp = unzipSync(fixture('areas.zip'))['folder/areas.shp']!;
    const { layers } = await readFile('areas.shp', shp);
    expect(layers[0]!.notes.map((n) => n.code)).toContain('shapefile.noTable');
    expect(featureCount(layers[0]!.data as Features)).toBe(3);
  });
  it('cut off or bent files are refused in words and never crash', async () => {
    for (const name of ['areas.gpkg', 'areas.zip', 'areas.fgb', 'heights.zip']) {
      const whole = fixture(name);
      await fc.assert(
        fc.asyncProperty(fc.nat(whole.length - 1), fc.nat(255), fc.boolean(), async (at, value, cut) => {
          const bad = cut ? whole.slice(0, at) : whole.slice();
          if (!cut) bad[at] = value;
          try {
            await readFile(name, bad, { ...READ_LIMITS, maxCells: 100_000 });
          } catch (e) {
            expect(e instanceof HelkError)
              .withContext(`${name} at ${at}: ${String(e)}`)
              .toBeTrue();
          }
        }),
        { numRuns: 60 },
      );
    }
  });
});

/** Random features with every kind of column, on whole coordinates so that no format has to round. */
function made(kind: GeometryType, seed: number, crs: Crs | null, z: boolean): Features {
  const b = new FeaturesBuilder();
  const n = 4 + (seed % 3);
  const at = (k: number, x: number, y: number): void =>
    b.coordinate(
      (crs?.geographic ? -20 : 500000) + x / 8,
      (crs?.geographic ? 58 : 6460000) + y / 8,
      z ? 10 + k : undefined,
    );
  for (let i = 0; i < n; i++) {
    const parts = 1 + ((seed + i) % 2);
    for (let p = 0; p < parts; p++) {
      const [x, y] = [4 * i + 2 * p, seed % 5];
      if (kind === 'point') at(i, x, y);
      else if (kind === 'line') for (let k = 0; k < 3; k++) at(k, x + k, y + (k % 2));
      else
        for (const [dx, dy] of [
          [0, 0],
          [1, 0],
          [1, 1],
          [0, 0],
        ])
          at(i, x + dx!, y + dy!);
      b.endRing();
      b.endPart();
    }
    b.endFeature();
  }
  const text: Column = {
    ...textColumn(
      'text',
      Array.from({ length: n }, (_, i) => (i === 1 ? '' : ['a, "b"', 'Ærø', '<x> & y'][i % 3]!)),
    ),
    missing: Uint8Array.from({ length: n }, (_, i) => (i === 1 ? 1 : 0)),
  };
  const number = numberColumn(
    'number',
    Array.from({ length: n }, (_, i) => (i === 2 ? NaN : i * 1.125 - seed)),
  );
  return b.build(kind, crs, [text, number]);
}

describe('a round trip', () => {
  const keeps: [WriteFormat, string][] = [
    ['geopackage', 'x.gpkg'],
    ['shapefile', 'x.zip'],
    ['flatgeobuf', 'x.fgb'],
    ['geojson-native', 'x.geojson'],
    ['kml', 'x.kml'],
    ['kmz', 'x.kmz'],
  ];
  for (const [format, name] of keeps) {
    it(`through ${format} keeps count, geometry, columns, types and system`, async () => {
      for (const kind of ['point', 'line', 'polygon'] as const) {
        for (const z of [false, true]) {
          const degrees = format.startsWith('km');
          const f = made(kind, kind.length + (z ? 1 : 0), degrees ? wgs84() : crsOfCode(32627), z);
          const back = (await readFile(name, await writeDataset(f, format, 'x'))).layers[0]!.data as Features;
          const order = format === 'flatgeobuf' ? inOrder(back, f) : back;
          const what = `${format} ${kind}${z ? ' with heights' : ''}`;
          expect(back.geometry).withContext(what).toBe(kind);
          expect(back.crs?.code).withContext(what).toBe(f.crs!.code);
          expect([...order.featureOffsets])
            .withContext(what)
            .toEqual([...f.featureOffsets]);
          if (kind !== 'polygon')
            expect([...order.xy])
              .withContext(what)
              .toEqual([...f.xy]);
          expect(Array.from({ length: featureCount(f) }, (_, i) => featureArea(order, i)))
            .withContext(what)
            .toEqual(Array.from({ length: featureCount(f) }, (_, i) => featureArea(f, i)));
          if (z && kind !== 'polygon')
            expect([...(order.z ?? [])])
              .withContext(what)
              .toEqual([...f.z!]);
          expect(values(order, 'text')).withContext(what).toEqual(values(f, 'text'));
          expect(values(order, 'number')).withContext(what).toEqual(values(f, 'number'));
          expect(order.columns.find((c) => c.name === 'number')!.type)
            .withContext(what)
            .toBe('number');
        }
      }
    });
  }
  it('through GeoJSON and delimited text keeps what they say they keep', async () => {
    const f = made('point', 2, crsOfCode(32627), false);
    expect(lossesOf(infoOf(f), 'geojson').join(' ')).toContain('longitude and latitude');
    const single = made('point', 0, crsOfCode(32627), false);
    expect(featureCount(single)).toBe(4);
    const csv = new TextDecoder().decode(await writeDataset(single, 'csv'));
    expect(csv.split('\r\n')[0]).toBe('x,y,text,number');
    expect(lossesOf(infoOf(made('line', 1, null, false)), 'csv')[0]).toContain('outlines of the lines');
  });
  it('FlatGeobuf leaves out what has no place, and says so', async () => {
    const f = (await read('areas.gpkg')).data as Features;
    expect(lossesOf(infoOf(f), 'flatgeobuf').join(' ')).toContain('without a geometry');
    const back = (await readFile('x.fgb', await writeDataset(f, 'flatgeobuf'))).layers[0]!.data as Features;
    expect(featureCount(back)).toBe(2);
  });
  it('several results stand in one GeoPackage, tables among them, names told apart', async () => {
    const bytes = writeGeoPackage([
      { name: 'a b', data: made('polygon', 1, crsOfCode(32627), false) },
      { name: 'a-b', data: made('line', 2, wgs84(), false) },
      { name: 'gpkg', data: { kind: 'table', columns: [numberColumn('v', [1, NaN], 'cm')] } },
    ]);
    const { layers } = await readFile('all.gpkg', bytes);
    expect(layers.map((l) => l.name)).toEqual(['a b', 'a-b', 'gpkg']);
    expect(values(layers[2]!.data as Table, 'v')).toEqual([1, null]);
    expect((layers[2]!.data as Table).columns[0]!.unit).toBe('cm');
  });
  it('a drawing holds every part, letters beyond ASCII by their code', async () => {
    const dxf = new TextDecoder().decode(await writeDataset(made('polygon', 2, crsOfCode(32627), false), 'dxf'));
    expect(dxf.match(/\nLWPOLYLINE\r?\n/g)?.length).toBe(9);
    expect(dxf).toContain('\\U+00C6r\\U+00F8');
    // eslint-disable-next-line no-control-regex -- the point is that nothing else occurs
    expect(/[^\x00-\x7f]/.test(dxf)).toBeFalse();
  });
  it('a spreadsheet is a zip of sheets with numbers as numbers and no formula', async () => {
    const t: Table = { kind: 'table', columns: [textColumn('t', ['=1+1', 'b']), numberColumn('v', [1.5, NaN], 'ha')] };
    const files = unzipSync(await writeDataset(t, 'xlsx', 'Table: 1'));
    const sheet = new TextDecoder().decode(files['xl/worksheets/sheet1.xml']);
    expect(sheet).toContain('<v>1.5</v>');
    expect(sheet).not.toContain('<f>');
  });
});

/** FlatGeobuf orders by place: back to the order of another set, by the first corner of each feature. */
function inOrder(f: Features, like: Features): Features {
  const first = (g: Features, i: number): string => {
    const c = g.ringOffsets[g.partOffsets[g.featureOffsets[i]!]!]!;
    return `${g.xy[2 * c]!},${g.xy[2 * c + 1]!}`;
  };
  const rows = Array.from({ length: featureCount(like) }, (_, i) =>
    Array.from({ length: featureCount(f) }, (_, j) => j).find((j) => first(f, j) === first(like, i))!,
  );
  const b = new FeaturesBuilder();
  for (const i of rows) {
    for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
      for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++) {
        for (let c = f.ringOffsets[r]!; c < f.ringOffsets[r + 1]!; c++)
          b.coordinate(f.xy[2 * c]!, f.xy[2 * c + 1]!, f.z?.[c]);
        b.endRing();
      }
      b.endPart();
    }
    b.endFeature();
  }
  return b.build(
    f.geometry,
    f.crs,
    f.columns.map((c) => ({
      ...c,
      values:
        c.type === 'text'
          ? rows.map((i) => (c.values as string[])[i]!)
          : Float64Array.from(rows, (i) => c.values[i] as number),
      ...(c.missing ? { missing: Uint8Array.from(rows, (i) => c.missing![i]!) } : {}),
    })),
  );
}

describe('KML and GPX', () => {
  it('placemarks with extended data, mixed kinds apart', async () => {
    const text = `<?xml version="1.0"?><kml xmlns="http://www.opengis.net/kml/2.2"><Document>
      <Placemark><name>A</name><ExtendedData><Data name="depth"><value>3</value></Data></ExtendedData><Point><coordinates>-20.4,58.2,7</coordinates></Point></Placemark>
      <Placemark><name>B</name><LineString><coordinates>-20.4,58.2 -20.5,58.3</coordinates></LineString></Placemark></Document></kml>`;
    const { layers } = await readFile('x.kml', new TextEncoder().encode(text));
    expect(layers.map((l) => l.name)).toEqual(['x points', 'x lines']);
    expect(values(layers[0]!.data as Features, 'name')).toEqual(['A']);
    expect((layers[0]!.data as Features).z?.[0]).toBe(7);
  });
  it('tracks and waypoints of GPX', async () => {
    const text = `<?xml version="1.0"?><gpx version="1.1" creator="x" xmlns="http://www.topografix.com/GPX/1/1"><wpt lat="58.2" lon="-20.4"><name>spring</name></wpt>
      <trk><name>walk</name><trkseg><trkpt lat="58.2" lon="-20.4"><ele>12</ele><time>2024-05-17T10:00:00Z</time></trkpt><trkpt lat="58.21" lon="-20.41"><ele>15</ele><time>2024-05-17T10:01:00Z</time></trkpt></trkseg></trk></gpx>`;
    const { layers } = await readFile('x.gpx', new TextEncoder().encode(text));
    const line = layers.find((l) => (l.data as Features).geometry === 'line')!.data as Features;
    expect(line.xy.length).toBe(4);
    expect([...line.z!]).toEqual([12, 15]);
  });
  it('entities and cut-off files are refused', async () => {
    const bomb = '<?xml version="1.0"?><!DOCTYPE kml [<!ENTITY a "b">]><kml><Document/></kml>';
    await expectAsync(readFile('x.kml', new TextEncoder().encode(bomb))).toBeRejectedWithError(/entities/);
    await expectAsync(
      readFile('x.kml', new TextEncoder().encode('<?xml version="1.0"?><kml><Document><Placemark>')),
    ).toBeRejectedWithError(HelkError);
  });
});

describe('definitions of systems', () => {
  it('are written so that they are read as the same system', () => {
    for (const code of [4326, 32627, 32719, 3035, 2154, 27700, 31370, 2193]) {
      const crs = crsOfCode(code);
      const wkt = wktOf(crs);
      expect(wkt).withContext(String(code)).not.toBeNull();
      expect(crsFromWkt(wkt!, 'x').code).withContext(String(code)).toBe(`EPSG:${code}`);
    }
  });
  it('are known by name or by their own parameters', () => {
    const byName =
      'PROJCS["WGS_1984_UTM_Zone_27N",GEOGCS["GCS_WGS_1984",DATUM["D_WGS_1984",SPHEROID["WGS_1984",6378137.0,298.257223563]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]],PROJECTION["Transverse_Mercator"],PARAMETER["False_Easting",500000.0],PARAMETER["False_Northing",0.0],PARAMETER["Central_Meridian",-21.0],PARAMETER["Scale_Factor",0.9996],PARAMETER["Latitude_Of_Origin",0.0],UNIT["Meter",1.0]]';
    expect(crsFromWkt(byName, 'x').code).toBe('EPSG:32627');
    expect(crsFromWkt(byName.replace('WGS_1984_UTM_Zone_27N', 'Own grid'), 'x').unit).toBe('m');
    expect(() => crsFromWkt('PROJCS["x",nonsense', 'x')).toThrowError(HelkError);
  });
});
