import fc from 'fast-check';
import { setupNode } from '../../../node/src/index';
import { readFile } from '../formats';
import { rasterOf, refusalOf, run } from '../testing';
import { arrivalChecks, likelySystems } from './arrival';
import { crsOfCode, transformer, wgs84, type Crs } from './crs';
import { FeaturesBuilder, valueOf, type Features } from './features';
import type { Raster } from './raster';
import { numberColumn, textColumn, type Table } from './table';
import { doubledPoints } from './column-facts';
import { infoOf } from './kinds';

beforeAll(setupNode);

const UTM = crsOfCode(32627);
function points(
  places: [number, number][],
  crs: Crs | null,
  columns = [
    numberColumn(
      'v',
      places.map((_, i) => i),
    ),
  ],
) {
  const b = new FeaturesBuilder();
  for (const [x, y] of places) b.point(x, y);
  return b.build('point', crs, columns);
}
const codes = (d: Parameters<typeof infoOf>[0]): string[] => arrivalChecks(infoOf(d)).map((c) => c.code);
const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const line = (n: number, f: (i: number) => number): number[] => Array.from({ length: n }, (_, i) => f(i));

describe('coordinates that cannot be in their system', () => {
  it('are said, whichever way round the mistake is', () => {
    const metres: [number, number][] = [
      [530000.5, 6455000],
      [531000, 6456000],
    ];
    const degrees: [number, number][] = [
      [-20.41, 58.21],
      [-20.39, 58.25],
    ];
    expect(codes(points(metres, UTM))).toEqual([]);
    expect(codes(points(degrees, wgs84()))).toEqual([]);
    expect(codes(points(metres, wgs84()))).toEqual(['crs.implausible']);
    expect(codes(points(degrees, UTM))).toEqual(['crs.implausible']);
    const message = arrivalChecks(infoOf(points(degrees, UTM)))[0]!.message;
    expect(message).toContain('-20.41, 58.21');
    expect(message).toContain('EPSG:32627, in m');
  });

  it('are looked for in grids too, with half a cell to spare at the poles', () => {
    const land = line(64, (i) => 100 + ((i * 7) % 31));
    const world = { crs: wgs84(), x: -180.5, y: 90.5, dx: 1, dy: 1 };
    expect(codes(rasterOf(8, land, world))).not.toContain('crs.implausible');
    expect(codes(rasterOf(8, land, { ...world, x: 530000, y: 6455000, dx: 30, dy: 30 }))).toContain('crs.implausible');
  });

  it('leave GeoJSON without a system: its standard cannot be meant', async () => {
    const file = (x: number, y: number): string =>
      JSON.stringify({
        type: 'FeatureCollection',
        features: [{ type: 'Feature', geometry: { type: 'Point', coordinates: [x, y] }, properties: { a: 1, '': 2 } }],
      });
    const wrong = (await readFile('p.geojson', bytes(file(530000, 6455000)))).layers[0]!;
    expect((wrong.data as Features).crs).toBeNull();
    expect(wrong.notes.map((n) => n.code)).toEqual(['crs.standard']);
    expect((wrong.data as Features).columns.map((c) => c.name)).toEqual(['a', 'column 2']);
    const told = (await readFile('p.geojson', bytes(file(530000, 6455000)), { crs: UTM })).layers[0]!;
    expect((told.data as Features).crs!.code).toBe('EPSG:32627');
    const right = (await readFile('p.geojson', bytes(file(-20.4, 58.2)))).layers[0]!;
    expect((right.data as Features).crs!.code).toBe('EPSG:4326');
  });
});

describe('systems that data without one may be in', () => {
  const land = infoOf(
    rasterOf(
      8,
      line(64, (i) => 100 + i),
      { x: 530000, y: 6455080, dx: 10, dy: 10 },
    ),
  );
  const at = (x: number, y: number): ReturnType<typeof infoOf> => infoOf(points([[x, y]], null));
  const names = (info: ReturnType<typeof infoOf>, others = [land]): (string | null)[] =>
    likelySystems(info, others).map((c) => c.code);
  it('are those in which they lie among the others', () => {
    const degrees: [number, number] = [0, 0];
    transformer(UTM, wgs84())(530040, 6455040, degrees);
    expect(names(at(530040, 6455020))).toEqual(['EPSG:32627']);
    expect(names(at(...degrees))).toEqual(['EPSG:4326']);
    expect(names(at(10, 20))).toEqual([]);
    expect(names(at(530040, 6455020), [])).toEqual([]);
  });
  it('are not taken from data that cannot be where they are said to be', () => {
    expect(names(at(530040, 6455020), [infoOf(points([[530040, 6455020]], wgs84()))])).toEqual([]);
  });
});

describe('points at one place', () => {
  it('are counted as a plain set counts them', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.integer({ min: -3, max: 3 }), fc.constantFrom(0.1, 0.2, 1e9))), (all) => {
        const f = points(all, UTM);
        expect(doubledPoints(f)).toBe(all.length - new Set(all.map(String)).size);
      }),
    );
  });
  it('are a check', () => {
    const f = points(
      [
        [1000.5, 5],
        [2000, 7],
        [1000.5, 5],
      ],
      UTM,
    );
    expect(arrivalChecks(infoOf(f)).map((c) => c.message)).toEqual([
      '1 point lies exactly where another lies: measured again, or taken in twice?',
    ]);
  });
});

describe('zeros', () => {
  const column = (values: number[]): Table => ({ kind: 'table', columns: [numberColumn('depth', values)] });
  it('that stand apart are asked about; true zeros among small values are not', () => {
    expect(codes(column(line(40, (i) => (i % 8 ? 100 + i : 0))))).toEqual(['column.zeros']);
    expect(codes(column(line(40, (i) => (i % 8 ? -100 - i : 0))))).toEqual(['column.zeros']);
    for (const fine of [
      line(40, (i) => (i % 8 ? i : 0)),
      line(40, (i) => i - 20),
      line(40, (i) => (i ? 100 + i : 0)),
      line(40, (i) => (i % 8 ? 1 : 0)),
      line(40, (i) => (i % 8 ? 0 : 100 + i)),
    ])
      expect(codes(column(fine)))
        .withContext(String(fine))
        .toEqual([]);
  });
  it('of a grid become missing in a copy by the mend', async () => {
    const r = rasterOf(
      30,
      line(900, (i) => (i % 90 === 0 ? 0 : 100 + (i % 37))),
    );
    const check = arrivalChecks(infoOf(r)).find((c) => c.code === 'band.zeros')!;
    expect(check.message).toContain('10 cells');
    const { method, role, params } = check.mend!.run!;
    const o = await run(method, { [role]: r }, params!);
    expect([...(o.outputs[0]!.data as Raster).bands[0]!.cells].filter((v) => Number.isNaN(v)).length).toBe(10);
    expect((o.outputs[0]!.data as Raster).bands[0]!.unit).toBe(r.bands[0]!.unit);
  });
  it('and codes of a table are said without a mend that would need features', () => {
    const t = column(line(40, (i) => (i % 8 ? i : -9999)));
    const [check] = arrivalChecks(infoOf(t));
    expect(check!.code).toBe('column.suspectCode');
    expect(check!.mend).toBeUndefined();
  });
});

describe('features.fromTable', () => {
  const table: Table = {
    kind: 'table',
    columns: [
      textColumn('site', ['a', 'b', 'c']),
      { ...numberColumn('ost', [530000, NaN, 530200], 'm'), missing: Uint8Array.of(0, 1, 0) },
      numberColumn('nord', [6455000, 6455100, 6455200], 'm'),
    ],
  };
  it('places rows by columns of any name and keeps those without a place', async () => {
    const o = await run('features.fromTable', { table }, { x: 'ost', y: 'nord', crs: 'EPSG:32627' });
    const f = o.outputs[0]!.data as Features;
    expect(o.figures).toEqual({ placed: 2, placeless: 1 });
    expect([...f.xy]).toEqual([530000, 6455000, 530200, 6455200]);
    expect([...f.featureOffsets]).toEqual([0, 1, 1, 2]);
    expect(f.columns.map((c) => valueOf(c, 1))).toEqual(['b', null, 6455100]);
    expect(o.notes.map((n) => n.code)).toEqual(['rows.noPlace']);
  });
  it('says when the system is not known, or cannot be', async () => {
    const unknown = await run('features.fromTable', { table }, { x: 'ost', y: 'nord' });
    expect((unknown.outputs[0]!.data as Features).crs).toBeNull();
    expect(unknown.notes.map((n) => n.code)).toContain('crs.missing');
    const wrong = await run('features.fromTable', { table }, { x: 'ost', y: 'nord', crs: 'EPSG:4326' });
    expect(wrong.notes.map((n) => n.code)).toContain('crs.implausible');
    const degrees: Table = { kind: 'table', columns: [numberColumn('lon', [-20.4]), numberColumn('b', [58.2])] };
    const named = await run('features.fromTable', { table: degrees }, { x: 'lon', y: 'b' });
    expect((named.outputs[0]!.data as Features).crs!.code).toBe('EPSG:4326');
  });
  it('refuses texts, one column for both, and rows without any number', async () => {
    expect((await refusalOf(run('features.fromTable', { table }, { x: 'site', y: 'nord' }))).message).toContain('site');
    expect((await refusalOf(run('features.fromTable', { table }, { x: 'nord', y: 'nord' }))).message).toContain('nord');
    const none: Table = { kind: 'table', columns: [numberColumn('x', [NaN]), numberColumn('y', [1])] };
    expect((await refusalOf(run('features.fromTable', { table: none }, { x: 'x', y: 'y' }))).code).toBe('method.input');
  });
});

describe('delimited text and KML', () => {
  it('find coordinates with a unit behind their names', async () => {
    const f = (await readFile('p.csv', bytes('id;Easting [m];Northing [m]\r\n1;530000,5;6455000,25\r\n'))).layers[0]!;
    expect([...(f.data as Features).xy]).toEqual([530000.5, 6455000.25]);
    const d = (await readFile('d.csv', bytes('decimalLongitude,decimalLatitude\n-20.4,58.2\n'))).layers[0]!;
    expect((d.data as Features).crs!.code).toBe('EPSG:4326');
  });
  it('take numbers without a schema as numbers, codes with leading zeros as texts', async () => {
    const mark = (n: string, c: string): string =>
      `<Placemark><ExtendedData><Data name="n"><value>${n}</value></Data><Data name="c"><value>${c}</value></Data></ExtendedData><Point><coordinates>-20.4,58.2</coordinates></Point></Placemark>`;
    const text = `<?xml version="1.0"?><kml xmlns="http://www.opengis.net/kml/2.2"><Document>${mark('7.5', '01')}${mark('-8', '02')}</Document></kml>`;
    const f = (await readFile('x.kml', bytes(text))).layers[0]!.data as Features;
    expect(f.columns.map((c) => [c.name, c.type])).toEqual([
      ['n', 'number'],
      ['c', 'text'],
    ]);
    expect([...(f.columns[0]!.values as Float64Array)]).toEqual([7.5, -8]);
  });
});
