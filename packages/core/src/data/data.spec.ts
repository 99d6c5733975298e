import fc from 'fast-check';
import places from '../../../../reference/fixtures/crs.json';
import { setupNode } from '../../../node/src/index';
import { crsOfCode, parseCrs, searchCrs, suggestUtm, transformer, wgs84 } from './crs';
import { parseQuantity, inBase, formatQuantity, namesUnit, withUnit } from './quantity';
import { arrivalChecks } from './arrival';
import { rasterOf } from '../testing';
import { CellMapper } from '../numeric/cell-mapper';
import { Random } from '../numeric/random';
import { summarise, quantileSorted } from '../numeric/statistics';
import { packBinary, unpackBinary } from '../formats/binary';
import { FeaturesBuilder } from './features';
import { numberColumn, textColumn } from './table';
import { bandFacts } from './band-facts';
import { infoOf } from './kinds';

beforeAll(setupNode);

describe('coordinate systems', () => {
  it('agree with pyproj (reference/raster/warp.py)', () => {
    const out = [0, 0];
    for (const [code, lon, lat, x, y] of places as [number, number, number, number, number][]) {
      transformer(wgs84(), crsOfCode(code))(lon, lat, out);
      // 27700, 28992 and 31370 go through datum shifts: a tenth of a metre; the rest to a tenth of a millimetre.
      const allowed = [27700, 28992, 31370, 2056].includes(code) ? 0.5 : 1e-4;
      expect(Math.hypot(out[0]! - x, out[1]! - y))
        .withContext(`EPSG:${code}`)
        .toBeLessThan(allowed);
    }
  });
  it('are read in all usual spellings and refused in others', () => {
    for (const t of [
      'EPSG:32627',
      '32627',
      'epsg:32627',
      'urn:ogc:def:crs:EPSG::32627',
      'http://www.opengis.net/def/crs/EPSG/0/32627',
    ])
      expect(parseCrs(t).code).toBe('EPSG:32627');
    expect(parseCrs('OGC:CRS84').geographic).toBeTrue();
    for (const t of ['', 'UTM', 'EPSG:', '1', 'EPSG:99999999']) expect(() => parseCrs(t)).toThrow();
  });
  it('are found by name and place, and a UTM zone is suggested for a place', () => {
    expect(searchCrs('etrs89 laea', null)[0]!.code).toBe('EPSG:3035');
    expect(searchCrs('', [-20.4, 58.2]).every((h) => h.covers)).toBeTrue();
    expect(suggestUtm(-20.4, 58.2).code).toBe('EPSG:32627');
    expect(suggestUtm(-70, -33).code).toBe('EPSG:32719');
    expect(suggestUtm(180, 0).code).toBe('EPSG:32660');
  });
  it('lead there and back to a millimetre', () => {
    fc.assert(
      fc.property(
        fc.double({ min: -24, max: -18, noNaN: true }),
        fc.double({ min: 1, max: 80, noNaN: true }),
        (lon, lat) => {
          const out = [0, 0];
          transformer(wgs84(), crsOfCode(32627))(lon, lat, out);
          transformer(crsOfCode(32627), wgs84())(out[0]!, out[1]!, out);
          return Math.abs(out[0]! - lon) < 1e-8 && Math.abs(out[1]! - lat) < 1e-8;
        },
      ),
    );
  });
  it('give NaN for places that cannot be expressed instead of throwing', () => {
    const out = [0, 0];
    transformer(wgs84(), crsOfCode(32627))(0, 91, out);
    expect(out[0]).toBeNaN();
    transformer(wgs84(), crsOfCode(3857))(NaN, 0, out);
    expect(out[0]).toBeNaN();
  });
});

describe('the cell mapper', () => {
  it('is within a millionth of a cell of the exact transform, also across a zone’s edge', () => {
    const source = { x: -21, y: 59, dx: 1 / 3600, dy: 1 / 3600 };
    const target = { x: 300000, y: 6540000, dx: 30, dy: 30 };
    const t = transformer(crsOfCode(32627), wgs84());
    const m = new CellMapper(target, 700, source, t);
    const u = new Float64Array(700);
    const v = new Float64Array(700);
    const out = [0, 0];
    let worst = 0;
    for (const y of [0, 13, 31, 32, 500, 3001]) {
      m.row(y, u, v);
      for (let x = 0; x < 700; x += 7) {
        t(target.x + (x + 0.5) * 30, target.y - (y + 0.5) * 30, out);
        worst = Math.max(
          worst,
          Math.abs((out[0]! - source.x) / source.dx - u[x]!),
          Math.abs((source.y - out[1]!) / source.dy - v[x]!),
        );
      }
    }
    expect(worst).toBeLessThan(1e-6);
  });
});

describe('quantities', () => {
  it('are read with unit, decimal comma and by name', () => {
    expect(inBase(parseQuantity('20 ha', 'area'), 'm2')).toBe(200000);
    expect(inBase(parseQuantity('1,5km', 'length'), 'm')).toBe(1500);
    expect(inBase(parseQuantity('15 min', 'time'), 's')).toBe(900);
    expect(inBase(parseQuantity('1 arc-second', 'angle'), '°')).toBeCloseTo(1 / 3600, 12);
    expect(inBase(parseQuantity('12', 'length'), 'ft')).toBeCloseTo(3.6576, 12);
    expect(formatQuantity(parseQuantity('30 metres', 'cell'))).toBe('30 m');
  });
  it('are refused in the wrong dimension, with what fits', () => {
    expect(() => parseQuantity('20 ha', 'length')).toThrowError(/not a unit of length/);
    expect(() => parseQuantity('many', 'length')).toThrowError(/like "30 m"/);
    expect(() => parseQuantity(NaN, 'length')).toThrow();
  });
});

describe('statistics', () => {
  it('keep their digits far from zero', () => {
    const s = summarise(Float64Array.from({ length: 10001 }, (_, i) => 1e9 + i));
    expect(s.mean).toBeCloseTo(1e9 + 5000, 6);
    // Standard deviation of 0…n-1: sqrt(n (n + 1) / 12).
    expect(s.sd).toBeCloseTo(Math.sqrt((10001 * 10002) / 12), 6);
  });
  it('quantiles interpolate as type 7', () => {
    expect(quantileSorted([1, 2, 3, 4], 0.25)).toBe(1.75);
    expect(quantileSorted([5], 0.9)).toBe(5);
    expect(quantileSorted([], 0.5)).toBeNaN();
  });
});

describe('names with units', () => {
  it('say the unit once', () => {
    expect(withUnit('depth', 'cm')).toBe('depth, cm');
    expect(withUnit('depth [cm]', 'cm')).toBe('depth [cm]');
    expect(withUnit('Feuchte (%)', '%')).toBe('Feuchte (%)');
    expect(withUnit('area', 'm2')).toBe('area, m²');
    expect(withUnit('depth [cm]', 'm')).toBe('depth [cm], m');
    expect(withUnit('n', null)).toBe('n');
    expect(namesUnit('n', null)).toBeFalse();
  });
});

describe('arrival checks', () => {
  const codes = (r: ReturnType<typeof rasterOf>): string[] => arrivalChecks(infoOf(r)).map((c) => c.code);
  const land = Array.from({ length: 900 }, (_, i) => 100 + (i % 30) * 3 + ((i * 7) % 11));
  it('say nothing of data in order', () => expect(codes(rasterOf(30, land))).toEqual([]));
  it('find a missing-value code that came as data, degrees, no system, holes and single wrong cells', () => {
    expect(
      codes(
        rasterOf(
          30,
          land.map((v, i) => (i % 100 === 0 ? -9999 : v)),
        ),
      ),
    ).toContain('band.suspectCode');
    expect(codes(rasterOf(30, land, { crs: null }))).toContain('crs.missing');
    expect(codes(rasterOf(30, land, { crs: wgs84(), x: -20, y: 58, dx: 1e-3, dy: 1e-3 }))).toContain('crs.degrees');
    expect(
      codes(
        rasterOf(
          30,
          land.map((v, i) => (i === 400 ? null : v)),
        ),
      ),
    ).toContain('band.enclosedGaps');
    expect(
      codes(
        rasterOf(
          30,
          land.map((v, i) => (i === 400 ? -1500 : v)),
        ),
      ),
    ).toContain('band.range');
  });
  it('list enclosed holes as boxes, largest first', () => {
    const f = bandFacts(
      rasterOf(
        6,
        Array.from({ length: 36 }, (_, i) => ([7, 15, 16, 22].includes(i) ? null : 1)),
      ).bands[0]!,
      rasterOf(6, land.slice(0, 36)).grid,
    );
    expect(f.gapBoxes).toEqual([
      { column: 3, row: 2, columns: 2, rows: 2, cells: 3 },
      { column: 1, row: 1, columns: 1, rows: 1, cells: 1 },
    ]);
  });
});

describe('seeded random numbers', () => {
  it('repeat with their seed, differ with another, and are uniform and normal', () => {
    const draw = (seed: number): number[] =>
      Array.from(
        { length: 5 },
        (
          (r) => () =>
            r.uint32()
        )(new Random(seed)),
      );
    expect(draw(7)).toEqual(draw(7));
    expect(draw(7)).not.toEqual(draw(8));
    const r = new Random(3);
    const u = summarise(Float64Array.from({ length: 100_000 }, () => r.uniform()));
    expect(u.mean).toBeCloseTo(0.5, 2);
    expect(u.sd).toBeCloseTo(Math.sqrt(1 / 12), 2);
    const n = summarise(Float64Array.from({ length: 100_000 }, () => r.normal()));
    expect(n.mean).toBeCloseTo(0, 1);
    expect(n.sd).toBeCloseTo(1, 1);
  });
});

describe('the binary form of features and tables', () => {
  it('comes back as it was, and is refused when cut off', () => {
    const b = new FeaturesBuilder();
    b.coordinate(1, 2, 3);
    b.endRing();
    b.endPart();
    b.endFeature();
    b.endFeature();
    const f = b.build('point', wgs84(), [numberColumn('n', [1, NaN], 'm'), textColumn('t', ['ä', ''])]);
    expect(unpackBinary(packBinary(f))).toEqual(f);
    const bytes = packBinary(f);
    expect(() => unpackBinary(bytes.slice(0, bytes.length - 8))).toThrow();
    expect(() => unpackBinary(new Uint8Array(40))).toThrow();
  });
});
