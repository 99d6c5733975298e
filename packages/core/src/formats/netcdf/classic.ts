import { HelkError } from '../../errors';
import type { StoredType } from '../../data/raster';
import { BYTES, classicHeader, type ClassicHeader, type ClassicType } from './classic-header';
import { MOST_VARIABLES, type NcFile, type NcVariable, type Numbers } from './container';

const STORED: Record<ClassicType, StoredType | 'text'> = {
  byte: 'int8',
  char: 'text',
  short: 'int16',
  int: 'int32',
  float: 'float32',
  double: 'float64',
};

/**
 * NetCDF classic and 64-bit offset files (Unidata, "NetCDF Classic Format Specification"), read one block of cells at a time.
 *
 * @throws HelkError `file.damaged` when the header cannot be read or the cells end early.
 */
export function openClassic(bytes: Uint8Array, name: string): NcFile {
  let header: ClassicHeader;
  try {
    header = classicHeader(bytes);
  } catch (e) {
    if (!(e instanceof RangeError)) throw e;
    throw new HelkError('file.damaged', `"${name}" begins like NetCDF but its header cannot be read.`, name);
  }
  if (header.variables.length > MOST_VARIABLES)
    throw new HelkError('file.tooLarge', `"${name}" holds ${header.variables.length} variables.`, name);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const variables = header.variables.map((v): NcVariable => {
    const type = STORED[v.type];
    const size = BYTES[v.type];
    const { shape } = v;
    const inner = shape.slice(v.record ? 1 : 0).reduce((a, b) => a * b, 1);
    return {
      name: v.name,
      dimensions: v.dimensions,
      shape,
      type,
      attributes: v.attributes,
      read: (at = []) => {
        const endsEarly = (): never => {
          throw new HelkError('file.damaged', `"${name}" is cut off: the values of ${v.name} end early.`, name);
        };
        const block = shape.slice(at.length).reduce((a, b) => a * b, 1);
        // Nothing is packed in this format: what the file has no bytes for is not there.
        if (!(block * size <= bytes.length)) endsEarly();
        const out = blockOf(type, block);
        // A record variable lies in slices, one a record, among those of the other record variables.
        let from = 0;
        let inSlice = 0;
        at.forEach((k, i) => {
          if (i === 0 && v.record) from = k;
          else inSlice += k * shape.slice(i + 1).reduce((a, b) => a * b, 1);
        });
        for (let done = 0; done < block;) {
          const n = v.record ? Math.min(block - done, inner - inSlice) : block;
          const offset = v.begin + (v.record ? from * header.step : 0) + inSlice * size;
          if (n < 1 || offset + n * size > bytes.length) endsEarly();
          readInto(view, offset, type, out, done, n);
          done += n;
          from++;
          inSlice = 0;
        }
        return out;
      },
    };
  });
  return { variables, attributes: header.attributes, passed: [], close: () => {} };
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
