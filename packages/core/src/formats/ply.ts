import { HelkError } from '../errors';
import { plural, type Note } from '../data/check';
import { metresOfPlace } from '../data/cloud';
import { cloudOfColumns } from './point-columns-cloud';
import { baseName, claim, type FileFormat } from './reader';

type Scalar = 'int8' | 'uint8' | 'int16' | 'uint16' | 'int32' | 'uint32' | 'float32' | 'float64';
interface Property {
  name: string;
  type: Scalar;
  list: Scalar | null;
}
interface Element {
  name: string;
  count: number;
  properties: Property[];
}

const TYPES: Record<string, Scalar> = {
  char: 'int8',
  uchar: 'uint8',
  short: 'int16',
  ushort: 'uint16',
  int: 'int32',
  uint: 'uint32',
  float: 'float32',
  double: 'float64',
  int8: 'int8',
  uint8: 'uint8',
  int16: 'int16',
  uint16: 'uint16',
  int32: 'int32',
  uint32: 'uint32',
  float32: 'float32',
  float64: 'float64',
};
const SIZES: Record<Scalar, number> = {
  int8: 1,
  uint8: 1,
  int16: 2,
  uint16: 2,
  int32: 4,
  uint32: 4,
  float32: 4,
  float64: 8,
};
/** Letters of the longest head. */
const MOST_HEAD = 2 ** 16;

/**
 * The points of a PLY file (Turk 1994, "The PLY polygon file format"): its vertices with their properties, from text or bytes of either
 * order. Faces are not taken.
 */
export const ply: FileFormat = {
  id: 'ply',
  title: 'PLY',
  extensions: ['ply'],
  sniff: (b) => b[0] === 0x70 && b[1] === 0x6c && b[2] === 0x79 && (b[3] === 10 || b[3] === 13),
  read: (bytes, name, options) => {
    const notes: Note[] = [];
    const bad = (message: string): HelkError => new HelkError('file.damaged', `"${name}" ${message}`, name);
    const text = new TextDecoder('windows-1252').decode(bytes.subarray(0, MOST_HEAD));
    const end = /(^|\n)end_header[ \t]*\r?\n/.exec(text);
    if (!end) throw bad('has no end of its head (end_header).');
    const start = end.index + end[0].length;
    let format = '';
    const elements: Element[] = [];
    for (const line of text.slice(0, end.index).split(/\r?\n/)) {
      const [word, ...rest] = line.trim().split(/\s+/);
      if (word === 'format') format = rest[0] ?? '';
      else if (word === 'element') elements.push({ name: rest[0] ?? '', count: Number(rest[1]), properties: [] });
      else if (word === 'property') {
        const list = rest[0] === 'list';
        const type = TYPES[rest[list ? 2 : 0] ?? ''];
        const length = list ? TYPES[rest[1] ?? ''] : null;
        const of = elements.at(-1);
        if (!type || length === undefined || !of)
          throw bad(`has a property that cannot be read: "${line.trim().slice(0, 60)}".`);
        of.properties.push({ name: rest[list ? 3 : 1] ?? '', type, list: length });
      }
    }
    const order = ['ascii', 'binary_little_endian', 'binary_big_endian'].indexOf(format);
    if (order < 0)
      throw new HelkError(
        'file.unsupported',
        `"${name}" is PLY of the format "${format.slice(0, 40)}", which is not read.`,
        name,
      );
    const vertex = elements[0];
    if (vertex?.name !== 'vertex' || !(Number.isInteger(vertex.count) && vertex.count >= 0))
      throw new HelkError('file.content', `"${name}" has no vertices in front; points are read from those.`, name);
    const { properties: all, count } = vertex;
    if (all.some((p) => p.list))
      throw new HelkError('file.unsupported', `"${name}": vertices with lists are not read.`, name);
    const axes = ['x', 'y', 'z'].map((axis) => all.findIndex((p) => p.name.toLowerCase() === axis));
    if (axes.some((k) => k < 0))
      throw new HelkError('file.content', `"${name}": its vertices have no x, y and z.`, name);
    claim(count * 8 * all.length, options, name);
    const least = order === 0 ? 2 * all.length : all.reduce((s, p) => s + SIZES[p.type], 0);
    if (count * least > bytes.length - start)
      throw bad(`says it has ${plural(count, 'vertex').replace('vertexs', 'vertices')}, but ends before them.`);
    const values = all.map(() => new Float64Array(count));
    if (order === 0) readText(bytes, start, count, values, bad);
    else readBytes(bytes, start, count, all, values, order === 1);
    const others = elements.slice(1).filter((e) => e.count > 0);
    if (others.length)
      notes.push({
        level: 'info',
        code: 'ply.others',
        message: `Its points are taken; ${others.map((e) => `${e.count} of "${e.name}"`).join(', ')} are not.`,
      });
    const places = axes.map((k) => values[k]!) as [Float64Array, Float64Array, Float64Array];
    const columns = all.flatMap((p, k) => (axes.includes(k) ? [] : [{ name: p.name, values: values[k]! }]));
    const step = 1e-4 / metresOfPlace(options.crs ?? null);
    const data = cloudOfColumns(places, columns, options.crs ?? null, [step, step, step], notes);
    return Promise.resolve([{ name: baseName(name), data, notes }]);
  },
};

function readText(
  bytes: Uint8Array,
  start: number,
  count: number,
  values: Float64Array[],
  bad: (message: string) => HelkError,
): void {
  const width = values.length;
  let at = start;
  const decoder = new TextDecoder();
  for (let i = 0; i < count; i++) {
    let end = bytes.indexOf(10, at);
    if (end < 0) end = bytes.length;
    const words = decoder
      .decode(bytes.subarray(at, Math.min(end, at + 65_536)))
      .trim()
      .split(/\s+/);
    if (words.length < width || words[0] === '')
      throw bad(`ends after ${i} of ${count} vertices, or vertex ${i + 1} is cut off.`);
    for (let k = 0; k < width; k++) values[k]![i] = Number(words[k]);
    at = end + 1;
  }
}

function readBytes(
  bytes: Uint8Array,
  start: number,
  count: number,
  all: readonly Property[],
  values: Float64Array[],
  little: boolean,
): void {
  const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const get: Record<Scalar, (at: number) => number> = {
    int8: (at) => v.getInt8(at),
    uint8: (at) => v.getUint8(at),
    int16: (at) => v.getInt16(at, little),
    uint16: (at) => v.getUint16(at, little),
    int32: (at) => v.getInt32(at, little),
    uint32: (at) => v.getUint32(at, little),
    float32: (at) => v.getFloat32(at, little),
    float64: (at) => v.getFloat64(at, little),
  };
  const record = all.reduce((s, p) => s + SIZES[p.type], 0);
  let to = start;
  all.forEach((p, k) => {
    const read = get[p.type];
    const out = values[k]!;
    for (let i = 0, at = to; i < count; i++, at += record) out[i] = read(at);
    to += SIZES[p.type];
  });
}
