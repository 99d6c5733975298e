import { HelkError } from '../errors';
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

/** @throws HelkError `file.damaged` when the buffer is not one of ours or is cut off. */
export function unpackBinary(bytes: Uint8Array): Features | Table {
  const damaged = (): never => {
    throw new HelkError('file.damaged', 'The stored features are damaged.');
  };
  if (bytes.length < 12) damaged();
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (view.getUint32(0, true) !== MAGIC || view.getUint32(4, true) !== VERSION) damaged();
  const n = view.getUint32(8, true);
  if (12 + n > bytes.length) damaged();
  const header = JSON.parse(new TextDecoder().decode(bytes.subarray(12, 12 + n))) as Header;
  const start = Math.ceil((12 + n) / 8) * 8;
  const array = (name: string): Float64Array | Uint32Array | Uint8Array => {
    const s = header.arrays[name]!;
    const T = TYPES[s.type];
    const from = bytes.byteOffset + start + s.offset;
    const length = s.length * T.BYTES_PER_ELEMENT;
    if (start + s.offset + length > bytes.length) damaged();
    return new T(bytes.buffer.slice(from, from + length) as ArrayBuffer);
  };
  const columns: Column[] = header.columns.map((c) => ({
    name: c.name,
    type: c.type,
    unit: c.unit,
    values: typeof c.values === 'string' ? (array(c.values) as Float64Array) : c.values,
    ...(c.missing ? { missing: array(c.missing) as Uint8Array } : {}),
  }));
  if (header.kind === 'table') return { kind: 'table', columns };
  return {
    kind: 'features',
    crs: header.crs ?? null,
    geometry: header.geometry!,
    xy: array('xy') as Float64Array,
    ...(header.arrays['z'] ? { z: array('z') as Float64Array } : {}),
    ringOffsets: array('rings') as Uint32Array,
    partOffsets: array('parts') as Uint32Array,
    featureOffsets: array('features') as Uint32Array,
    columns,
  };
}
