import { NetCDFReader } from 'netcdfjs';
import { HelkError } from '../../errors';
import type { StoredType } from '../../data/raster';
import {
  MOST_VARIABLES,
  trimNulls,
  type AttributeValue,
  type NcFile,
  type NcVariable,
  type Numbers,
} from './container';

const TYPES: Record<string, { type: StoredType | 'text'; bytes: number }> = {
  byte: { type: 'int8', bytes: 1 },
  char: { type: 'text', bytes: 1 },
  short: { type: 'int16', bytes: 2 },
  int: { type: 'int32', bytes: 4 },
  float: { type: 'float32', bytes: 4 },
  double: { type: 'float64', bytes: 8 },
};

/**
 * NetCDF classic and 64-bit offset files (Unidata, "NetCDF Classic Format Specification"). netcdfjs reads the header; cells are
 * read here, one block at a time, since that package makes a JavaScript object of every number.
 *
 * @throws HelkError `file.damaged` when the header cannot be read or the cells end early.
 */
export function openClassic(bytes: Uint8Array, name: string): NcFile {
  let reader: NetCDFReader;
  try {
    reader = new NetCDFReader(bytes);
  } catch {
    throw new HelkError('file.damaged', `"${name}" begins like NetCDF but its header cannot be read.`, name);
  }
  const { dimensions, recordDimension } = reader;
  if (reader.variables.length > MOST_VARIABLES)
    throw new HelkError('file.tooLarge', `"${name}" holds ${reader.variables.length} variables.`, name);
  const size = (d: number): number => (d === recordDimension.id ? recordDimension.length : dimensions[d]!.size);
  // The package gives the record dimension's step as the sum of the padded sizes of the record variables.
  const step = recordDimension.recordStep ?? 0;
  const recordCount = reader.variables.filter((v) => v.record).length;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const variables = reader.variables.map((v): NcVariable => {
    const t = TYPES[v.type];
    const shape = v.dimensions.map(size);
    const inner = shape.slice(v.record ? 1 : 0).reduce((a, b) => a * b, 1);
    return {
      name: v.name,
      dimensions: v.dimensions.map((d) => dimensions[d]!.name),
      shape,
      type: t?.type ?? null,
      attributes: attributesOf(v.attributes as unknown as RawAttribute[]),
      read: (at = []) => {
        if (!t) throw new HelkError('file.unsupported', `"${name}": ${v.name} holds ${v.type}, no numbers.`, name);
        const block = shape.slice(at.length).reduce((a, b) => a * b, 1);
        // Nothing is packed in this format: what the file has no bytes for is not there.
        if (!(block * t.bytes <= bytes.length))
          throw new HelkError('file.damaged', `"${name}" is cut off: the values of ${v.name} end early.`, name);
        const out = blockOf(t.type, block);
        // A record variable lies in slices, one a record, among those of the other record variables. A single one is not padded.
        const slice = recordCount === 1 ? inner * t.bytes : step;
        let from = 0;
        let inSlice = 0;
        at.forEach((k, i) => {
          if (i === 0 && v.record) from = k;
          else inSlice += k * shape.slice(i + 1).reduce((a, b) => a * b, 1);
        });
        for (let done = 0; done < block;) {
          const n = v.record ? Math.min(block - done, inner - inSlice) : block;
          const offset = v.offset + (v.record ? from * slice : 0) + inSlice * t.bytes;
          if (offset + n * t.bytes > bytes.length)
            throw new HelkError('file.damaged', `"${name}" is cut off: the values of ${v.name} end early.`, name);
          readInto(view, offset, t.type, out, done, n);
          done += n;
          from++;
          inSlice = 0;
        }
        return out;
      },
    };
  });
  return {
    variables,
    attributes: attributesOf(reader.globalAttributes as unknown as RawAttribute[]),
    passed: [],
    close: () => {},
  };
}

interface RawAttribute {
  name: string;
  value: AttributeValue;
}

function attributesOf(list: RawAttribute[]): Record<string, AttributeValue> {
  return Object.fromEntries(list.map((a) => [a.name, typeof a.value === 'string' ? trimNulls(a.value) : a.value]));
}

export function blockOf(type: StoredType | 'text', n: number): Numbers {
  switch (type) {
    case 'int8':
      return new Int8Array(n);
    case 'uint8':
    case 'text':
      return new Uint8Array(n);
    case 'int16':
      return new Int16Array(n);
    case 'uint16':
      return new Uint16Array(n);
    case 'int32':
      return new Int32Array(n);
    case 'uint32':
      return new Uint32Array(n);
    case 'float32':
      return new Float32Array(n);
    case 'float64':
      return new Float64Array(n);
  }
}

/** Big-endian numbers, as the classic format has them. */
function readInto(v: DataView, offset: number, type: StoredType | 'text', out: Numbers, at: number, n: number): void {
  switch (type) {
    case 'int16':
      for (let i = 0; i < n; i++) out[at + i] = v.getInt16(offset + 2 * i);
      break;
    case 'int32':
      for (let i = 0; i < n; i++) out[at + i] = v.getInt32(offset + 4 * i);
      break;
    case 'float32':
      for (let i = 0; i < n; i++) out[at + i] = v.getFloat32(offset + 4 * i);
      break;
    case 'float64':
      for (let i = 0; i < n; i++) out[at + i] = v.getFloat64(offset + 8 * i);
      break;
    case 'int8':
      for (let i = 0; i < n; i++) out[at + i] = v.getInt8(offset + i);
      break;
    default:
      for (let i = 0; i < n; i++) out[at + i] = v.getUint8(offset + i);
  }
}
