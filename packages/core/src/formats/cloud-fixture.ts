import { pointValues, type Cloud, type CloudAttribute } from '../data/cloud';
import { crsOfCode } from '../data/crs';
import { Random } from '../numeric/random';
import { POINT_LAYOUTS } from './las-layout';

/** Helpers for specs only. */

/** What is written into the bytes of one point, by the names of the tables of the specification. */
export interface RawPoint {
  X: number;
  Y: number;
  Z: number;
  intensity: number;
  returnNumber: number;
  returns: number;
  classification: number;
  /** Synthetic, key point, withheld. */
  flags: number;
  angle: number;
  userData: number;
  source: number;
  time: number;
  rgb: [number, number, number];
  infrared: number;
}

/**
 * A LAS file put together by hand after tables 3 to 17 of the LAS specification (1.4 R15): offsets are typed from there, not taken from the
 * reader.
 */
export function lasBytes(
  minor: number,
  format: number,
  points: readonly RawPoint[],
  over: {
    count?: number;
    box?: number[];
    records?: Uint8Array[];
    extra?: number;
    scale?: number[];
    offset?: number[];
  } = {},
): Uint8Array {
  const size = POINT_LAYOUTS[format]!.bytes + (over.extra ?? 0);
  const header = minor === 4 ? 375 : minor === 3 ? 235 : 227;
  const records = over.records ?? [];
  const start = header + records.reduce((s, r) => s + r.length, 0);
  const b = new Uint8Array(start + size * points.length);
  const v = new DataView(b.buffer);
  b.set([0x4c, 0x41, 0x53, 0x46]);
  b[24] = 1;
  b[25] = minor;
  v.setUint16(94, header, true);
  v.setUint32(96, start, true);
  v.setUint32(100, records.length, true);
  b[104] = format;
  v.setUint16(105, size, true);
  const count = over.count ?? points.length;
  if (minor === 4) v.setBigUint64(247, BigInt(count), true);
  else v.setUint32(107, count, true);
  const scale = over.scale ?? [0.01, 0.01, 0.01];
  const offset = over.offset ?? [400_000, 6_400_000, 0];
  scale.forEach((s, k) => v.setFloat64(131 + 8 * k, s, true));
  offset.forEach((s, k) => v.setFloat64(155 + 8 * k, s, true));
  const axis = (k: 'X' | 'Y' | 'Z', i: number): number[] => points.map((p) => p[k] * scale[i]! + offset[i]!);
  const box =
    over.box ?? (['X', 'Y', 'Z'] as const).flatMap((k, i) => [Math.max(...axis(k, i)), Math.min(...axis(k, i))]);
  box.forEach((t, k) => v.setFloat64(179 + 8 * k, t, true));
  let at = header;
  for (const r of records) {
    b.set(r, at);
    at += r.length;
  }
  for (const p of points) {
    v.setInt32(at, p.X, true);
    v.setInt32(at + 4, p.Y, true);
    v.setInt32(at + 8, p.Z, true);
    v.setUint16(at + 12, p.intensity, true);
    if (format < 6) {
      b[at + 14] = p.returnNumber | (p.returns << 3);
      b[at + 15] = p.classification | (p.flags << 5);
      v.setInt8(at + 16, p.angle);
      b[at + 17] = p.userData;
      v.setUint16(at + 18, p.source, true);
    } else {
      b[at + 14] = p.returnNumber | (p.returns << 4);
      b[at + 15] = p.flags;
      b[at + 16] = p.classification;
      b[at + 17] = p.userData;
      v.setInt16(at + 18, Math.round(p.angle / 0.006), true);
      v.setUint16(at + 20, p.source, true);
    }
    const time = [-1, 20, -1, 20, 20, 20, 22, 22, 22, 22, 22][format]!;
    if (time > 0) v.setFloat64(at + time, p.time, true);
    const rgb = [-1, -1, 20, 28, -1, 28, -1, 30, 30, -1, 30][format]!;
    if (rgb > 0) p.rgb.forEach((c, k) => v.setUint16(at + rgb + 2 * k, c, true));
    if (format === 8 || format === 10) v.setUint16(at + 36, p.infrared, true);
    at += size;
  }
  return b;
}

/** A record of variable length, by hand. */
export function lasRecord(user: string, id: number, bytes: Uint8Array): Uint8Array {
  const b = new Uint8Array(54 + bytes.length);
  b.set(new TextEncoder().encode(user), 2);
  new DataView(b.buffer).setUint16(18, id, true);
  new DataView(b.buffer).setUint16(20, bytes.length, true);
  b.set(bytes, 54);
  return b;
}

/** A cloud over a wavy surface, with everything that LAS has a field for and two attributes of its own. */
export function wavyCloud(n: number, seed = 1, more: CloudAttribute[] = []): Cloud {
  const r = new Random(seed);
  const x = new Int32Array(n);
  const y = new Int32Array(n);
  const z = new Int32Array(n);
  const values = (
    name: string,
    type: CloudAttribute['type'],
    get: (i: number) => number,
    unit: string | null = null,
  ) => {
    const out = pointValues(type, n);
    for (let i = 0; i < n; i++) out[i] = get(i);
    return { name, type, unit, values: out };
  };
  for (let i = 0; i < n; i++) {
    x[i] = Math.floor(r.uniform() * 10_000);
    y[i] = Math.floor(r.uniform() * 10_000);
    z[i] = Math.round(300 * Math.sin(x[i]! / 1500) + 200 * Math.cos(y[i]! / 900) + 1500);
  }
  return {
    kind: 'cloud',
    crs: crsOfCode(32627),
    heightUnit: 'm',
    scale: [0.01, 0.01, 0.01],
    offset: [400_000, 6_400_000, 0],
    x,
    y,
    z,
    attributes: [
      values('classification', 'uint8', (i) => [2, 5, 6, 64][i % 4]!),
      values('intensity', 'uint16', (i) => (i * 37) % 60_000),
      values('returnNumber', 'uint8', (i) => 1 + (i % 3)),
      values('returns', 'uint8', () => 3),
      values('flags', 'uint8', (i) => i % 8),
      values('userData', 'uint8', (i) => i % 251),
      values('scanAngle', 'float32', (i) => ((i % 41) - 20) * 0.006, '°'),
      values('source', 'uint16', (i) => 7 + (i % 5)),
      values('time', 'float64', (i) => 3e8 + i / 128, 's'),
      values('red', 'uint16', (i) => (i * 3) % 65_536),
      values('green', 'uint16', (i) => (i * 5) % 65_536),
      values('blue', 'uint16', (i) => (i * 7) % 65_536),
      ...more,
    ],
  };
}
