import { z } from 'zod';
import { HelkError } from '../errors';
import { flawOf } from '../data/flaws';
import type { Column, Features } from '../data/features';
import type { Table } from '../data/table';

/**
 * Features and tables as one plain buffer, the same in the store, between threads and over HTTP:
 * "HLKF", version (u32), header length (u32), header (JSON, padded to 8), then the arrays, each aligned to 8 bytes.
 */
const MAGIC = 0x464b4c48;
const VERSION = 1;

type ArrayType = 'f64' | 'u32' | 'u8';
interface Slot {
  type: ArrayType;
  offset: number;
  length: number;
}
interface Header {
  kind: 'features' | 'table';
  crs?: Features['crs'];
  geometry?: Features['geometry'];
  arrays: Record<string, Slot>;
  columns: { name: string; type: Column['type']; unit: string | null; values: string | string[]; missing?: string }[];
}

const TYPES = { f64: Float64Array, u32: Uint32Array, u8: Uint8Array };

export function packBinary(d: Features | Table): Uint8Array {
  const arrays: Header['arrays'] = {};
  const held: { at: number; data: Float64Array | Uint32Array | Uint8Array }[] = [];
  let size = 0;
  const keep = (name: string, data: Float64Array | Uint32Array | Uint8Array): string => {
    const type: ArrayType = data instanceof Float64Array ? 'f64' : data instanceof Uint32Array ? 'u32' : 'u8';
    arrays[name] = { type, offset: size, length: data.length };
    held.push({ at: size, data });
    size += Math.ceil(data.byteLength / 8) * 8;
    return name;
  };
  const header: Header = { kind: d.kind, arrays, columns: [] };
  if (d.kind === 'features') {
    header.crs = d.crs;
    header.geometry = d.geometry;
    keep('xy', d.xy);
    if (d.z) keep('z', d.z);
    keep('rings', d.ringOffsets);
    keep('parts', d.partOffsets);
    keep('features', d.featureOffsets);
  }
  d.columns.forEach((c, i) => {
    const values = c.values instanceof Float64Array ? keep(`c${i}`, c.values) : c.values;
    header.columns.push({
      name: c.name,
      type: c.type,
      unit: c.unit,
      values,
      ...(c.missing ? { missing: keep(`m${i}`, c.missing) } : {}),
    });
  });
  const json = new TextEncoder().encode(JSON.stringify(header));
  const start = Math.ceil((12 + json.length) / 8) * 8;
  const out = new Uint8Array(start + size);
  const view = new DataView(out.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, VERSION, true);
  view.setUint32(8, json.length, true);
  out.set(json, 12);
  for (const { at, data } of held) out.set(new Uint8Array(data.buffer, data.byteOffset, data.byteLength), start + at);
  return out;
}

const Slots = z.record(
  z.string(),
  z.object({
    type: z.enum(['f64', 'u32', 'u8']),
    offset: z.number().int().min(0),
    length: z.number().int().min(0),
  }),
);
const HeaderShape = z.object({
  kind: z.enum(['features', 'table']),
  crs: z
    .object({
      code: z.string().nullable(),
      name: z.string(),
      proj4: z.string(),
      geographic: z.boolean(),
      unit: z.string(),
    })
    .loose()
    .nullish(),
  geometry: z.enum(['point', 'line', 'polygon']).optional(),
  arrays: Slots,
  columns: z.array(
    z.object({
      name: z.string(),
      type: z.enum(['number', 'text', 'boolean']),
      unit: z.string().nullable(),
      // Texts are looked at one by one below: a schema would copy them.
      values: z.custom<string | string[]>((v) => typeof v === 'string' || Array.isArray(v)),
      missing: z.string().optional(),
    }),
  ),
});

/**
 * Features or a table from their buffer.
 *
 * @throws HelkError `file.damaged` when the buffer is not one of ours, is cut off, or holds what does not add up
 */
export function unpackBinary(bytes: Uint8Array): Features | Table {
  const damaged = (): never => {
    throw new HelkError('file.damaged', 'The stored features are damaged.');
  };
  if (bytes.length < 12) damaged();
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (view.getUint32(0, true) !== MAGIC || view.getUint32(4, true) !== VERSION) damaged();
  const n = view.getUint32(8, true);
  if (12 + n > bytes.length) damaged();
  const header = headerOf(bytes.subarray(12, 12 + n)) ?? damaged();
  const start = Math.ceil((12 + n) / 8) * 8;
  const array = <T extends keyof typeof TYPES>(name: string, type: T): InstanceType<(typeof TYPES)[T]> => {
    const s = Object.hasOwn(header.arrays, name) ? header.arrays[name]! : damaged();
    const Type = TYPES[type];
    const from = bytes.byteOffset + start + s.offset;
    const length = s.length * Type.BYTES_PER_ELEMENT;
    if (s.type !== type || start + s.offset + length > bytes.length) damaged();
    return new Type(bytes.buffer.slice(from, from + length) as ArrayBuffer) as InstanceType<(typeof TYPES)[T]>;
  };
  const columns: Column[] = header.columns.map((c) => {
    if (Array.isArray(c.values) && c.values.some((v) => typeof v !== 'string')) damaged();
    return {
      name: c.name,
      type: c.type,
      unit: c.unit,
      values: typeof c.values === 'string' ? array(c.values, 'f64') : c.values,
      ...(c.missing ? { missing: array(c.missing, 'u8') } : {}),
    };
  });
  const data: Features | Table =
    header.kind === 'table'
      ? { kind: 'table', columns }
      : {
          kind: 'features',
          crs: header.crs ?? null,
          geometry: header.geometry ?? damaged(),
          xy: array('xy', 'f64'),
          ...(Object.hasOwn(header.arrays, 'z') ? { z: array('z', 'f64') } : {}),
          ringOffsets: array('rings', 'u32'),
          partOffsets: array('parts', 'u32'),
          featureOffsets: array('features', 'u32'),
          columns,
        };
  if (flawOf(data)) damaged();
  return data;
}

function headerOf(bytes: Uint8Array): Header | null {
  try {
    return HeaderShape.parse(JSON.parse(new TextDecoder().decode(bytes))) as Header;
  } catch {
    return null;
  }
}
