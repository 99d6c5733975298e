import { plural, type Note } from '../data/check';
import {
  POINT_ATTRIBUTES,
  pointValues,
  type Cloud,
  type CloudAttribute,
  type CloudInfo,
  type PointValues,
} from '../data/cloud';
import { FileCloud } from '../data/cloud-store';
import type { Progress } from '../data/handle';
import { FreeNames } from '../data/names';
import type { StoredType } from '../data/raster';
import { room } from '../data/room';
import { readLasHeader, type LasHeader } from './las-header';
import { ANGLE_STEP, FIELDS, type ExtraBytes } from './las-layout';
import { lazBlocks } from './laz';
import { baseName, claim, type FileFormat } from './reader';
import type { ByteSource } from './source';

/** Points that are read at a time. */
const BLOCK = 65_536;

/**
 * LAS (ASPRS, 1.0 to 1.4, point formats 0 to 10), LAZ and COPC. Points are read in blocks; every attribute is kept that is not 0 for all
 * points, extra bytes included. What the header says is held against what is there.
 */
export const las: FileFormat = {
  id: 'las',
  title: 'LAS',
  extensions: ['las', 'laz', 'copc'],
  sniff: (b) => b[0] === 0x4c && b[1] === 0x41 && b[2] === 0x53 && b[3] === 0x46,
  open: async (source, name, options) => {
    const notes: Note[] = [];
    const h = await readLasHeader(source, name, notes);
    h.crs ??= options.crs ?? null;
    const count = h.compressed ? h.count : there(h, source, name, notes);
    const types = [...declared(h), ...h.extra.map((e) => ({ name: e.name, type: heldType(e) }))];
    claim(count * 50 + (h.compressed ? source.size : 0), options, name);
    const [x0, y0, z0, x1, y1, z1] = h.box;
    const info: CloudInfo = {
      kind: 'cloud',
      crs: h.crs,
      heightUnit: h.heightUnit,
      scale: h.scale,
      offset: h.offset,
      count,
      extent: count ? [x0, y0, x1, y1] : null,
      heights: count ? { min: z0, max: z1, low: z0, high: z1 } : null,
      covered: 0,
      spacing: null,
      classes: [],
      attributes: types.map((t) => ({ unit: null, ...t, min: 0, max: 0, low: 0, high: 0 })),
      doubled: 0,
    };
    const read = async (progress?: Progress): Promise<Cloud> => {
      const points = new PointReader(h, count);
      const blocks = h.compressed ? lazBlocks(source, h, count, BLOCK, name) : plainBlocks(source, h, count);
      for await (const { bytes, points: n } of blocks) {
        points.add(bytes, n);
        progress?.(points.read / Math.max(1, count), 'reading points');
      }
      const cloud = points.done();
      notes.push(...liesOf(h, cloud));
      return cloud;
    };
    return [{ name: baseName(name), handle: new FileCloud(info, read), notes }];
  },
};

/** Points that are really there. */
function there(h: LasHeader, source: ByteSource, name: string, notes: Note[]): number {
  const whole = Math.floor((source.size - h.start) / h.record);
  if (h.count <= whole) return h.count;
  notes.push({
    level: 'look',
    code: 'las.count',
    message: `The header says ${plural(h.count, 'point')}, but the file ends after ${plural(whole, 'point')}; those are taken. Is "${name}" whole?`,
  });
  return whole;
}

const declared = ({ layout }: LasHeader): { name: string; type: StoredType }[] =>
  Object.entries(POINT_ATTRIBUTES)
    .filter(
      ([name]) =>
        FIELDS.has(name) &&
        (name !== 'time' || layout.time !== null) &&
        (!/red|green|blue/.test(name) || name === 'infrared' || layout.colour !== null) &&
        (name !== 'infrared' || layout.infrared !== null),
    )
    .map(([name, { type }]) => ({ name, type }));

/** The type in which extra bytes are held: their own, doubles where a factor or a missing value makes them measures. */
const heldType = (e: ExtraBytes): StoredType =>
  e.type === null || e.type === 'int64' || e.type === 'uint64' || e.factor !== 1 || e.offset !== 0 || e.missing !== null
    ? 'float64'
    : e.type;

async function* plainBlocks(
  source: ByteSource,
  h: LasHeader,
  count: number,
): AsyncGenerator<{ bytes: Uint8Array; points: number }> {
  for (let from = 0; from < count; from += BLOCK) {
    const points = Math.min(BLOCK, count - from);
    const at = h.start + from * h.record;
    yield { bytes: await source.range(at, at + points * h.record), points };
  }
}

/** Takes points apart into arrays, one an attribute; of those that are 0 for all points there is none. */
class PointReader {
  read = 0;
  private readonly x: Int32Array;
  private readonly y: Int32Array;
  private readonly z: Int32Array;
  private readonly held = new Map<string, CloudAttribute>();
  private readonly names = new FreeNames([...FIELDS], '_');
  private readonly extra: { e: ExtraBytes; name: string; at: number }[] = [];

  constructor(
    private readonly h: LasHeader,
    private readonly count: number,
  ) {
    this.x = room(Int32Array, count);
    this.y = room(Int32Array, count);
    this.z = room(Int32Array, count);
    this.attribute('classification', 'uint8', null);
    let at = h.layout.bytes;
    for (const e of h.extra) {
      if (e.type) this.extra.push({ e, name: this.names.take(e.name), at });
      at += e.bytes;
    }
  }

  private attribute(name: string, type: StoredType, unit: string | null): PointValues {
    const values = pointValues(type, this.count);
    this.held.set(name, { name, type, unit, values });
    return values;
  }

  /** Values of a field of `n` points. The array is made with the first that is not 0. */
  private field(name: string, n: number, get: (at: number) => number): void {
    const { type, unit } = POINT_ATTRIBUTES[name]!;
    let values = this.held.get(name)?.values;
    const { record } = this.h;
    for (let i = 0, at = 0; i < n; i++, at += record) {
      const v = get(at);
      if (!values) {
        if (v === 0) continue;
        values = this.attribute(name, type, unit);
      }
      values[this.read + i] = v;
    }
  }

  add(bytes: Uint8Array, n: number): void {
    const { record, layout } = this.h;
    const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    const { x, y, z, read } = this;
    for (let i = 0, at = 0; i < n; i++, at += record) {
      x[read + i] = v.getInt32(at, true);
      y[read + i] = v.getInt32(at + 4, true);
      z[read + i] = v.getInt32(at + 8, true);
    }
    const b = bytes;
    this.field('intensity', n, (at) => b[at + 12]! | (b[at + 13]! << 8));
    if (layout.wide) {
      this.field('returnNumber', n, (at) => b[at + 14]! & 15);
      this.field('returns', n, (at) => b[at + 14]! >> 4);
      this.field('flags', n, (at) => b[at + 15]!);
      this.field('classification', n, (at) => b[at + 16]!);
      this.field('userData', n, (at) => b[at + 17]!);
      this.field('scanAngle', n, (at) => v.getInt16(at + 18, true) * ANGLE_STEP);
      this.field('source', n, (at) => b[at + 20]! | (b[at + 21]! << 8));
    } else {
      this.field('returnNumber', n, (at) => b[at + 14]! & 7);
      this.field('returns', n, (at) => (b[at + 14]! >> 3) & 7);
      // The three flags of the class byte and the two of the scan, where the newer formats have them.
      this.field('flags', n, (at) => (b[at + 15]! >> 5) | (b[at + 14]! & 0xc0));
      this.field('classification', n, (at) => b[at + 15]! & 31);
      this.field('scanAngle', n, (at) => v.getInt8(at + 16));
      this.field('userData', n, (at) => b[at + 17]!);
      this.field('source', n, (at) => b[at + 18]! | (b[at + 19]! << 8));
    }
    if (layout.time !== null) {
      const t = layout.time;
      this.field('time', n, (at) => v.getFloat64(at + t, true));
    }
    if (layout.colour !== null) {
      const c = layout.colour;
      this.field('red', n, (at) => b[at + c]! | (b[at + c + 1]! << 8));
      this.field('green', n, (at) => b[at + c + 2]! | (b[at + c + 3]! << 8));
      this.field('blue', n, (at) => b[at + c + 4]! | (b[at + c + 5]! << 8));
    }
    if (layout.infrared !== null) {
      const c = layout.infrared;
      this.field('infrared', n, (at) => b[at + c]! | (b[at + c + 1]! << 8));
    }
    for (const { e, name, at } of this.extra) {
      const type = heldType(e);
      const values = this.held.get(name)?.values ?? this.attribute(name, type, unitIn(e.about));
      const get = reader(v, e.type!);
      const plain = e.factor === 1 && e.offset === 0 && e.missing === null;
      for (let i = 0; i < n; i++) {
        const t = get(i * record + at);
        values[read + i] = plain ? t : t === e.missing ? NaN : t * e.factor + e.offset;
      }
    }
    this.read += n;
  }

  done(): Cloud {
    const { h, read, count } = this;
    const short = read < count;
    const cut = <T extends PointValues>(a: T): T => (short ? (a.slice(0, read) as T) : a);
    const colours = ['red', 'green', 'blue'];
    // Colours go together: one that is 0 everywhere is still a colour.
    if (colours.some((c) => this.held.has(c)))
      for (const c of colours) if (!this.held.has(c)) this.attribute(c, 'uint16', null);
    const order = [...Object.keys(POINT_ATTRIBUTES), ...this.extra.map((e) => e.name)];
    return {
      kind: 'cloud',
      crs: h.crs,
      heightUnit: h.heightUnit,
      scale: h.scale,
      offset: h.offset,
      x: cut(this.x),
      y: cut(this.y),
      z: cut(this.z),
      attributes: [...new Set(order)].flatMap((name) => {
        const a = this.held.get(name);
        return a ? [{ ...a, values: cut(a.values) }] : [];
      }),
    };
  }
}

/** The unit that a description ends with in brackets. */
const unitIn = (about: string): string | null => /[([]\s*([^()[\]]{1,12}?)\s*[)\]]\s*$/.exec(about)?.[1] ?? null;

function reader(v: DataView, type: NonNullable<ExtraBytes['type']>): (at: number) => number {
  switch (type) {
    case 'uint8':
      return (at) => v.getUint8(at);
    case 'int8':
      return (at) => v.getInt8(at);
    case 'uint16':
      return (at) => v.getUint16(at, true);
    case 'int16':
      return (at) => v.getInt16(at, true);
    case 'uint32':
      return (at) => v.getUint32(at, true);
    case 'int32':
      return (at) => v.getInt32(at, true);
    case 'uint64':
      return (at) => Number(v.getBigUint64(at, true));
    case 'int64':
      return (at) => Number(v.getBigInt64(at, true));
    case 'float32':
      return (at) => v.getFloat32(at, true);
    case 'float64':
      return (at) => v.getFloat64(at, true);
  }
}

/** What the header says and is not so. */
function liesOf(h: LasHeader, c: Cloud): Note[] {
  const notes: Note[] = [];
  const n = c.x.length;
  if (n === 0) return notes;
  const axes = [c.x, c.y, c.z];
  const names = ['x', 'y', 'z'];
  const wrong: string[] = [];
  for (let k = 0; k < 3; k++) {
    let [min, max] = [Infinity, -Infinity];
    for (const v of axes[k]!) {
      if (v < min) min = v;
      if (v > max) max = v;
    }
    const at = (v: number): number => v * h.scale[k]! + h.offset[k]!;
    const slack = 1.01 * h.scale[k]!;
    const fits = Math.abs(at(min) - h.box[k]!) <= slack && Math.abs(at(max) - h.box[k + 3]!) <= slack;
    if (!fits)
      wrong.push(`${names[k]} ${h.box[k]} to ${h.box[k + 3]}, while it is ${brief(at(min))} to ${brief(at(max))}`);
  }
  if (wrong.length)
    notes.push({
      level: 'look',
      code: 'las.bounds',
      message: `The header says ${wrong.join('; ')}. What the points say is taken.`,
    });
  const returns = c.attributes.find((a) => a.name === 'returnNumber')?.values;
  if (returns && h.byReturn.some((m) => m > 0)) {
    const seen = new Array<number>(16).fill(0);
    for (const r of returns) seen[r]!++;
    const odd = h.byReturn.findIndex((m, k) => m !== seen[k + 1]);
    if (odd >= 0)
      notes.push({
        level: 'info',
        code: 'las.returns',
        message: `The header counts ${plural(h.byReturn[odd]!, 'point')} of return ${odd + 1}; there are ${seen[odd + 1]}.`,
      });
  }
  return notes;
}

const brief = (v: number): string => String(Number(v.toFixed(3)));
