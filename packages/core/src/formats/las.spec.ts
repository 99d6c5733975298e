import * as copcPackage from 'copc';
import { setupNode } from '@helk/node';
import type { Cloud } from '../data/cloud';
import { attributeOf, className } from '../data/cloud';
import { crsFromProj4, crsOfCode } from '../data/crs';
import { lasBytes, lasRecord, wavyCloud, type RawPoint } from './cloud-fixture';
import { memorySource, openFile, readFile } from './index';
import { POINT_LAYOUTS } from './las-layout';
import { writeDataset } from './write';
import { lossesOf, infoOf } from '../data/kinds';
import { refusalOf } from '../testing';

setupNode();

const { Las } = copcPackage;

const raw = (over: Partial<RawPoint> = {}): RawPoint => ({
  X: 1234,
  Y: -5678,
  Z: 4242,
  intensity: 40_000,
  returnNumber: 2,
  returns: 3,
  classification: 5,
  flags: 4,
  angle: -12,
  userData: 200,
  source: 4711,
  time: 123_456.75,
  rgb: [65_535, 256, 7],
  infrared: 999,
  ...over,
});
const other = raw({
  X: 99,
  Y: 12,
  Z: -3,
  intensity: 1,
  returnNumber: 1,
  returns: 1,
  classification: 2,
  flags: 0,
  angle: 3,
});

async function read(bytes: Uint8Array, name = 'a.las') {
  const [layer] = (await readFile(name, bytes)).layers;
  return { cloud: layer!.data as Cloud, notes: layer!.notes.map((n) => n.code), layer: layer! };
}

describe('a LAS file', () => {
  it('is read in every point format, version 1.0 to 1.4, to the last field', async () => {
    for (let format = 0; format <= 10; format++) {
      for (const minor of format < 6 ? [0, 1, 2, 3, 4] : [4]) {
        const { cloud } = await read(lasBytes(minor, format, [raw(), other]));
        const layout = POINT_LAYOUTS[format]!;
        const of = (name: string): number[] | null => {
          const a = attributeOf(cloud, name);
          return a && [...a];
        };
        expect([...cloud.x, ...cloud.y, ...cloud.z]).toEqual([1234, 99, -5678, 12, 4242, -3]);
        expect(of('intensity')).withContext(`format ${format}`).toEqual([40_000, 1]);
        expect(of('returnNumber')).toEqual([2, 1]);
        expect(of('returns')).toEqual([3, 1]);
        expect(of('classification')).toEqual([5, 2]);
        expect(of('flags')).toEqual([4, 0]);
        expect(of('scanAngle')!.map((a) => Math.round(a * 1000))).toEqual([-12_000, 3000]);
        expect(of('userData')).toEqual([200, 200]);
        expect(of('source')).toEqual([4711, 4711]);
        expect(of('time')).toEqual(layout.time === null ? null : [123_456.75, 123_456.75]);
        expect(of('red')).toEqual(layout.colour === null ? null : [65_535, 65_535]);
        expect(of('green')).toEqual(layout.colour === null ? null : [256, 256]);
        expect(of('blue')).toEqual(layout.colour === null ? null : [7, 7]);
        expect(of('infrared')).toEqual(layout.infrared === null ? null : [999, 999]);
      }
    }
  });

  it('keeps all that it has when it is written as 1.4, and says what 1.2 has no room for', async () => {
    const cloud = wavyCloud(3000, 1, [
      {
        name: 'heightAboveGround',
        type: 'float32',
        unit: 'm',
        values: Float32Array.from({ length: 3000 }, (_, i) => i / 7),
      },
      { name: 'plot', type: 'int16', unit: null, values: Int16Array.from({ length: 3000 }, (_, i) => -i) },
    ]);
    const again = (await read(await writeDataset(cloud, 'las'))).cloud;
    expect(again.crs!.code).toBe('EPSG:32627');
    expect(again.attributes.map((a) => a.name)).toEqual(cloud.attributes.map((a) => a.name));
    expect(again.scale).toEqual(cloud.scale);
    for (const k of ['x', 'y', 'z'] as const) expect(again[k]).toEqual(cloud[k]);
    for (const a of cloud.attributes) {
      const b = again.attributes.find((o) => o.name === a.name)!;
      expect(b.type).toBe(a.type);
      if (a.name === 'scanAngle') expect(b.values.every((v, i) => Math.abs(v - a.values[i]!) < 1e-6)).toBeTrue();
      else expect(b.values).withContext(a.name).toEqual(a.values);
    }
    expect(again.attributes.find((a) => a.name === 'heightAboveGround')!.unit).toBe('m');
    expect(lossesOf(infoOf(cloud), 'las')).toEqual([]);
    const lost = lossesOf(infoOf(cloud), 'las12').join(' ');
    expect(lost).toContain('heightAboveGround, plot');
    expect(lost).toContain('Classes above 31');
    const old = (await read(await writeDataset(cloud, 'las12'))).cloud;
    expect(old.crs!.code).toBe('EPSG:32627');
    expect([...attributeOf(old, 'classification')!.slice(0, 4)]).toEqual([2, 5, 6, 1]);
    expect(attributeOf(old, 'time')).toEqual(attributeOf(cloud, 'time'));
    expect(attributeOf(old, 'blue')).toEqual(attributeOf(cloud, 'blue'));
  });

  it('is read back by a reader of another maker: header, records and every dimension', async () => {
    const cloud = wavyCloud(500);
    for (const [format, pdrf] of [
      ['las', 7],
      ['las12', 3],
    ] as const) {
      const bytes = await writeDataset(cloud, format);
      const header = Las.Header.parse(bytes);
      expect(header.pointCount).toBe(500);
      expect(header.pointDataRecordFormat).toBe(pdrf);
      const info = infoOf(cloud) as { extent: number[]; heights: { min: number; max: number } };
      expect(header.min).toEqual([info.extent[0]!, info.extent[1]!, info.heights.min]);
      expect(header.max).toEqual([info.extent[2]!, info.extent[3]!, info.heights.max]);
      const get = (from: number, to: number): Promise<Uint8Array> => Promise.resolve(bytes.subarray(from, to));
      const vlrs = await Las.Vlr.walk(get, header);
      expect(vlrs.map((r) => `${r.userId} ${r.recordId}`)).toContain(
        format === 'las' ? 'LASF_Projection 2112' : 'LASF_Projection 34735',
      );
      const view = Las.View.create(bytes.subarray(header.pointDataOffset), header);
      const of = (name: string): number[] => Array.from({ length: 500 }, (_, i) => view.getter(name)(i));
      expect(of('X').every((x, i) => Math.abs(x - (400_000 + cloud.x[i]! / 100)) < 1e-6)).toBeTrue();
      expect(of('Z').every((z, i) => Math.abs(z - cloud.z[i]! / 100) < 1e-6)).toBeTrue();
      expect(of('Intensity')).toEqual([...attributeOf(cloud, 'intensity')!]);
      expect(of('ReturnNumber')).toEqual([...attributeOf(cloud, 'returnNumber')!]);
      expect(of('NumberOfReturns')).toEqual([...attributeOf(cloud, 'returns')!]);
      expect(of('PointSourceId')).toEqual([...attributeOf(cloud, 'source')!]);
      expect(of('GpsTime')).toEqual([...attributeOf(cloud, 'time')!]);
      expect(of('Green')).toEqual([...attributeOf(cloud, 'green')!]);
      if (format === 'las') expect(of('Classification')).toEqual([...attributeOf(cloud, 'classification')!]);
    }
  });

  it('tells its system from well-known text, compound too, and from GeoTIFF keys, with the unit of the heights', async () => {
    const text = (wkt: string) => lasRecord('LASF_Projection', 2112, new TextEncoder().encode(`${wkt}\0`));
    const utm =
      'PROJCS["WGS 84 / UTM zone 27N",GEOGCS["WGS 84",DATUM["WGS_1984",SPHEROID["WGS 84",6378137,298.257223563]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]],PROJECTION["Transverse_Mercator"],PARAMETER["latitude_of_origin",0],PARAMETER["central_meridian",-21],PARAMETER["scale_factor",0.9996],PARAMETER["false_easting",500000],PARAMETER["false_northing",0],UNIT["metre",1],AUTHORITY["EPSG","32627"]]';
    const compound = `COMPD_CS["both",${utm},VERT_CS["feet up",VERT_DATUM["x",2005],UNIT["US survey foot",0.3048006096012192]]]`;
    const a = (await read(lasBytes(4, 6, [raw()], { records: [text(utm)] }))).cloud;
    expect([a.crs!.code, a.heightUnit]).toEqual(['EPSG:32627', 'm']);
    const b = (await read(lasBytes(4, 6, [raw()], { records: [text(compound)] }))).cloud;
    expect([b.crs!.code, b.heightUnit]).toEqual(['EPSG:32627', 'us-ft']);
    const keys = Uint16Array.from([1, 1, 0, 3, 1024, 0, 1, 1, 3072, 0, 1, 25832, 4099, 0, 1, 9002]);
    const c = (
      await read(
        lasBytes(2, 0, [raw()], { records: [lasRecord('LASF_Projection', 34735, new Uint8Array(keys.buffer))] }),
      )
    ).cloud;
    expect([c.crs!.code, c.heightUnit]).toEqual(['EPSG:25832', 'ft']);
    // Written again, both stay.
    for (const format of ['las', 'las12'] as const)
      for (const cloud of [
        b,
        c,
        { ...a, crs: crsFromProj4('+proj=laea +lat_0=60 +lon_0=10 +datum=WGS84 +units=m +no_defs', 'own') },
      ]) {
        const again = (await read(await writeDataset(cloud, format))).cloud;
        expect(again.heightUnit).toBe(cloud.heightUnit);
        if (cloud.crs!.code) expect(again.crs!.code).toBe(cloud.crs!.code);
        else expect(again.crs!.proj4).toContain('+proj=laea');
      }
    expect((await read(lasBytes(4, 6, [raw()]))).cloud.crs).toBeNull();
    expect(crsOfCode(25832).geographic).toBeFalse();
  });

  it('gives extra bytes under their names: typed, scaled, with a missing value, and passes over what is not described', async () => {
    const entry = (
      type: number,
      options: number,
      name: string,
      set: (v: DataView) => void = () => undefined,
    ): Uint8Array => {
      const b = new Uint8Array(192);
      b[2] = type;
      b[3] = options;
      b.set(new TextEncoder().encode(name), 4);
      set(new DataView(b.buffer));
      return b;
    };
    const described = [
      entry(3, 1 | 8 | 16, 'width', (v) => {
        v.setBigUint64(40, 65_535n, true);
        v.setFloat64(112, 0.1, true);
        v.setFloat64(136, 5, true);
      }),
      entry(9, 0, 'Amplitude'),
      entry(0, 3, 'secret'),
      entry(2, 0, 'intensity'),
    ];
    const all = new Uint8Array(192 * 4);
    described.forEach((d, k) => all.set(d, 192 * k));
    const bytes = lasBytes(4, 6, [raw(), other], {
      records: [lasRecord('LASF_Spec', 4, all)],
      extra: 2 + 4 + 3 + 1 + 2,
    });
    const v = new DataView(bytes.buffer);
    const first = bytes.length - 2 * 42;
    [20, 65_535].forEach((w, i) => v.setUint16(first + 42 * i + 30, w, true));
    [1.5, -2].forEach((w, i) => v.setFloat32(first + 42 * i + 32, w, true));
    [-7, 7].forEach((w, i) => v.setInt8(first + 42 * i + 39, w));
    const { cloud, notes } = await read(bytes);
    expect([...attributeOf(cloud, 'width')!]).toEqual([7, NaN]);
    expect([...attributeOf(cloud, 'Amplitude')!]).toEqual([1.5, -2]);
    expect([...attributeOf(cloud, 'intensity_2')!]).toEqual([-7, 7]);
    expect(notes).toContain('las.extra');
  });
});

describe('a LAS file that lies', () => {
  const three = [raw(), other, raw({ X: 5 })];

  it('about its number of points gives those that are there, and says so', async () => {
    const { cloud, notes } = await read(lasBytes(2, 1, three, { count: 4_000_000 }));
    expect(cloud.x.length).toBe(3);
    expect(notes).toContain('las.count');
    const whole = lasBytes(4, 7, three);
    const cut = await read(whole.slice(0, whole.length - 10));
    expect(cut.cloud.x.length).toBe(2);
    expect(cut.notes).toContain('las.count');
  });

  it('about its bounds is believed by its points', async () => {
    const { cloud, notes } = await read(lasBytes(2, 0, three, { box: [9, 1, 9, 1, 9, 1] }));
    expect(notes).toContain('las.bounds');
    expect((infoOf(cloud) as { heights: { min: number } }).heights.min).toBeCloseTo(-0.03, 9);
  });

  it('about where things lie, or how large they are, is refused with what is wrong', async () => {
    const wrong = async (change: (v: DataView, b: Uint8Array) => void, minor = 2, format = 1) => {
      const b = lasBytes(minor, format, three, { records: [lasRecord('x', 1, new Uint8Array(9))] });
      change(new DataView(b.buffer), b);
      return refusalOf(read(b));
    };
    expect((await wrong((v) => v.setUint32(96, 5_000_000, true))).message).toContain('points begin at byte 5000000');
    expect((await wrong((v) => v.setUint16(105, 12, true))).message).toContain('have at least 28');
    expect((await wrong((_, b) => (b[104] = 23))).code).toBe('file.unsupported');
    expect((await wrong((_, b) => (b[25] = 7))).code).toBe('file.unsupported');
    expect((await wrong((v) => v.setFloat64(131, 0, true))).message).toContain('no place can be told');
    expect((await wrong((v) => v.setFloat64(155, NaN, true))).code).toBe('file.damaged');
    expect((await wrong((v) => v.setUint16(227 + 20, 60_000, true))).message).toContain('60000 bytes');
    expect((await wrong((v) => v.setUint32(100, 4_000_000_000, true))).message).toContain('4000000000 records');
    expect((await refusalOf(read(lasBytes(2, 0, three).slice(0, 100)))).message).toContain('within its header');
    // A LAZ file that is none: what is packed cannot be unpacked.
    expect((await wrong((_, b) => (b[104] = 0x81))).code).toBe('file.damaged');
  });

  it('may promise terabytes: they are not taken', async () => {
    const b = lasBytes(4, 6, three, { count: 1e12 });
    const { layers } = await openFile('a.las', memorySource(b));
    expect((layers[0]!.handle.head as { count: number }).count).toBe(3);
    b[104] = 0x86;
    expect((await refusalOf(read(b))).code).toBe('file.tooLarge');
  });

  it('may be empty, or hold one point', async () => {
    const none = await read(lasBytes(2, 0, [], { box: [0, 0, 0, 0, 0, 0] }));
    expect(none.cloud.x.length).toBe(0);
    const one = await read(lasBytes(2, 0, [raw()]));
    expect(infoOf(one.cloud)).toEqual(jasmine.objectContaining({ count: 1, spacing: null }));
    expect(className(2)).toBe('ground');
  });
});
