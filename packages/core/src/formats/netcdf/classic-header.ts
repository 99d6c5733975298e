import { trimNulls, type AttributeValue } from './container';

/** Types of values by their number (Unidata, "NetCDF Classic Format Specification", nc_type). */
export type ClassicType = 'byte' | 'char' | 'short' | 'int' | 'float' | 'double';
const TYPES: Record<number, ClassicType> = { 1: 'byte', 2: 'char', 3: 'short', 4: 'int', 5: 'float', 6: 'double' };
export const BYTES: Record<ClassicType, number> = { byte: 1, char: 1, short: 2, int: 4, float: 4, double: 8 };

export interface ClassicVariable {
  name: string;
  dimensions: string[];
  shape: number[];
  /** Whether it lies in slices, one a record. */
  record: boolean;
  type: ClassicType;
  attributes: Record<string, AttributeValue>;
  /** Where its first value lies. */
  begin: number;
}

export interface ClassicHeader {
  variables: ClassicVariable[];
  attributes: Record<string, AttributeValue>;
  /** Bytes from one record to the next. */
  step: number;
}

const padded = (n: number): number => Math.ceil(n / 4) * 4;

/**
 * The header of a NetCDF classic (CDF-1) or 64-bit offset (CDF-2) file. Every count is held to the bytes that are left, so that no more
 * is made than the file has. O(bytes of the header).
 *
 * @throws RangeError where the header contradicts itself or ends early
 */
export function classicHeader(bytes: Uint8Array): ClassicHeader {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const wide = bytes[3] === 2;
  let at = 4;
  const int = (): number => {
    at += 4;
    return view.getUint32(at - 4);
  };
  const offset = (): number => {
    if (!wide) return int();
    at += 8;
    return Number(view.getBigUint64(at - 8));
  };
  /** A number of things of which each takes at least so many bytes. */
  const count = (least: number): number => {
    const n = int();
    if (n * least > bytes.length - at) throw new RangeError('more than there is');
    return n;
  };
  const text = (n: number): string => {
    if (at + n > bytes.length) throw new RangeError('more than there is');
    const t = new TextDecoder().decode(bytes.subarray(at, at + n));
    at += padded(n);
    return t;
  };
  const list = <T>(tag: number, least: number, item: () => T): T[] => {
    const found = int();
    const n = count(least);
    if (found !== tag && (found !== 0 || n !== 0)) throw new RangeError('another list');
    return Array.from({ length: n }, item);
  };
  const typeOf = (): ClassicType => {
    const t = TYPES[int()];
    if (!t) throw new RangeError('a type that is none');
    return t;
  };
  const attribute = (): [string, AttributeValue] => {
    const name = text(count(1));
    const type = typeOf();
    const n = count(BYTES[type]);
    if (type === 'char') return [name, trimNulls(text(n))];
    const values = Array.from({ length: n }, (_, i) => number(view, type, at + i * BYTES[type]));
    at += padded(n * BYTES[type]);
    return [name, values.length === 1 ? values[0]! : values];
  };
  const attributes = (): Record<string, AttributeValue> => Object.fromEntries(list(0x0c, 12, attribute));

  const records = int();
  const dimensions = list(0x0a, 8, () => ({ name: text(count(1)), length: int() }));
  const own = attributes();
  const raw = list(0x0b, 28, () => {
    const name = text(count(1));
    const dims = Array.from({ length: count(4) }, () => {
      const d = dimensions[int()];
      if (!d) throw new RangeError('a dimension that is none');
      return d;
    });
    const attrs = attributes();
    const type = typeOf();
    // The size that is written here is too small for large variables; it follows from the shape.
    int();
    return { name, dims, attributes: attrs, type, begin: offset() };
  });
  const sliced = raw.filter((v) => v.dims[0]?.length === 0);
  const inner = (v: (typeof raw)[number]): number => v.dims.slice(1).reduce((n, d) => n * d.length, 1) * BYTES[v.type];
  // A single record variable is not padded.
  const step = sliced.length === 1 ? inner(sliced[0]!) : sliced.reduce((n, v) => n + padded(inner(v)), 0);
  // A file that was never closed does not know its records: there are as many as fit.
  const first = Math.min(...sliced.map((v) => v.begin));
  const held = records === 0xffffffff ? (step > 0 ? Math.floor((bytes.length - first) / step) : 0) : records;
  const variables = raw.map(({ name, dims, attributes: attrs, type, begin }): ClassicVariable => ({
    name,
    dimensions: dims.map((d) => d.name),
    shape: dims.map((d) => (d.length === 0 ? held : d.length)),
    record: dims[0]?.length === 0,
    type,
    attributes: attrs,
    begin,
  }));
  return { variables, attributes: own, step };
}

function number(v: DataView, type: ClassicType, at: number): number {
  switch (type) {
    case 'byte':
    case 'char':
      return v.getInt8(at);
    case 'short':
      return v.getInt16(at);
    case 'int':
      return v.getInt32(at);
    case 'float':
      return v.getFloat32(at);
    case 'double':
      return v.getFloat64(at);
  }
}
