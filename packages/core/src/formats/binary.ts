import * as z from 'zod';
import { HelkError } from '../errors';
import { columnsFlaw, featuresFlaw } from '../data/flaws';
import type { Column, Features } from '../data/features';
import { tableRows, type Table } from '../data/table';
import { joinBytes } from './bytes';

/**
 * Features and tables as one plain buffer, the same in the store, between threads and over HTTP:
 * "HLKF", version (u32), header length (u32), header (JSON, padded to 8), then the arrays, each aligned to 8 bytes. Texts are an array of
 * their UTF-8 bytes and one of where each ends. (Version 1, which is still read, had them in the header, where a few million names are
 * longer than the longest text there can be.)
 */
const MAGIC = 0x464b4c48;
const VERSION = 2;
const READ = [1, 2];
/** Bytes of texts that are made or read at once. */
const BATCH = 2 ** 16;

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
  columns: {
    name: string;
    type: Column['type'];
    unit: string | null;
    /** Name of an array of numbers, of two of texts, or the texts themselves (version 1). */
    values: string | string[] | { bytes: string; ends: string };
    missing?: string;
  }[];
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
    let values: Header['columns'][number]['values'];
    if (c.values instanceof Float64Array) values = keep(`c${i}`, c.values);
    else {
      const { bytes, ends } = packTexts(c.values);
      values = { bytes: keep(`t${i}`, bytes), ends: keep(`e${i}`, ends) };
    }
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

/** Texts as UTF-8 one behind the other, and where each ends. @throws HelkError `file.tooLarge` beyond four gigabytes */
function packTexts(values: readonly string[]): { bytes: Uint8Array; ends: Uint32Array } {
  const encoder = new TextEncoder();
  const ends = new Uint32Array(values.length);
  const parts: Uint8Array[] = [];
  let size = 0;
  for (let from = 0; from < values.length;) {
    let to = from;
    for (let letters = 0; to < values.length && (to === from || letters < BATCH); to++) letters += values[to]!.length;
    const some = values.slice(from, to);
    const whole = some.join('');
    const bytes = encoder.encode(whole);
    // Where every letter is a byte, lengths are known; elsewhere each text is made by itself (halves of letters at their ends stay apart).
    const plain = bytes.length === whole.length;
    if (plain) parts.push(bytes);
    for (let k = 0; k < some.length; k++) {
      if (plain) size += some[k]!.length;
      else {
        const own = encoder.encode(some[k]);
        parts.push(own);
        size += own.length;
      }
      ends[from + k] = size;
    }
    if (size > 0xffffffff)
      throw new HelkError('file.tooLarge', 'The texts of a column are longer than four gigabytes.');
    from = to;
  }
  return { bytes: joinBytes(parts), ends };
}

/** The texts again; null where the ends run backwards or beyond the bytes. */
function unpackTexts(bytes: Uint8Array, ends: Uint32Array): string[] | null {
  const decoder = new TextDecoder('utf-8', { ignoreBOM: true });
  const out = new Array<string>(ends.length);
  for (let from = 0; from < ends.length;) {
    const start = from === 0 ? 0 : ends[from - 1]!;
    let to = from;
    for (let last = start; to < ends.length && (to === from || ends[to]! - start < BATCH); to++) {
      if (ends[to]! < last || ends[to]! > bytes.length) return null;
      last = ends[to]!;
    }
    const end = ends[to - 1]!;
    const whole = decoder.decode(bytes.subarray(start, end));
    const plain = whole.length === end - start;
    for (let k = from, at = start; k < to; at = ends[k++]!)
      out[k] = plain ? whole.slice(at - start, ends[k]! - start) : decoder.decode(bytes.subarray(at, ends[k]));
    from = to;
  }
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
      values: z.union([
        z.string(),
        z.object({ bytes: z.string(), ends: z.string() }),
        // Texts are looked at one by one below: a schema would copy them.
        z.custom<string[]>((v) => Array.isArray(v)),
      ]),
      missing: z.string().optional(),
    }),
  ),
});

/**
 * Features or a table from their buffer.
 *
 * @param kind what it has to be
 * @throws HelkError `file.damaged` when the buffer is not one of ours, is cut off, or holds what does not add up
 */
export function unpackBinary(bytes: Uint8Array, kind?: 'features' | 'table'): Features | Table {
  const damaged = (): never => {
    throw new HelkError('file.damaged', 'The stored features are damaged.');
  };
  if (bytes.length < 12) damaged();
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (view.getUint32(0, true) !== MAGIC || !READ.includes(view.getUint32(4, true))) damaged();
  const n = view.getUint32(8, true);
  if (12 + n > bytes.length) damaged();
  const header = headerOf(bytes.subarray(12, 12 + n)) ?? damaged();
  if (kind && header.kind !== kind) damaged();
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
    const { values } = c;
    if (Array.isArray(values) && values.some((v) => typeof v !== 'string')) damaged();
    return {
      name: c.name,
      type: c.type,
      unit: c.unit,
      values:
        typeof values === 'string'
          ? array(values, 'f64')
          : Array.isArray(values)
            ? values
            : (unpackTexts(array(values.bytes, 'u8'), array(values.ends, 'u32')) ?? damaged()),
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
  if (data.kind === 'features' ? featuresFlaw(data) : columnsFlaw(data.columns, tableRows(data))) damaged();
  return data;
}

function headerOf(bytes: Uint8Array): Header | null {
  try {
    return HeaderShape.parse(JSON.parse(new TextDecoder().decode(bytes))) as Header;
  } catch {
    return null;
  }
}
