import { HelkError } from '../errors';
import { codec } from '../formats/codec';
import { bytesOf, isWhole, storedOver } from './cells';
import { pointBytes, pointValues, takePoints, type Cloud, type CloudInfo, type PointValues } from './cloud';
import { cloudInfo } from './cloud-facts';
import { cloudLevels, type CloudChunk } from './cloud-octree';
import type { Extent } from './crs';
import type { Handle, PieceStore, Progress } from './handle';
import type { StoredType } from './raster';
import { room } from './room';

/** A cloud that need not be in memory. */
export interface CloudHandle extends Handle<Cloud, CloudInfo, 'cloud'> {
  /** The places of all points with some of the attributes, in the order of the points. */
  only(attributes: readonly string[], progress?: Progress): Promise<Cloud>;
  /**
   * The points within a box of its own system, with everything they have, in their order.
   *
   * @throws HelkError `method.input` where there may be more of them than `most`
   */
  within(box: Extent, most: number): Promise<Cloud>;
  /** All points with some of the attributes, some at a time and in no order that means anything. */
  parts(attributes: readonly string[]): AsyncIterable<Cloud>;
}

/** Array of the list of chunks; coordinates, numbers and attributes of a chunk lie under its level and its place in that list. */
export const CHUNK_LIST = 'chunks';
export const COORDINATES = ['X', 'Y', 'Z'] as const;
const NUMBERS = 'order';
/** By its place in the description: names are the file's. */
export const attributeArray = (k: number): string => `attribute ${k}`;
/** Chunks that are packed beside each other. */
const BESIDE = 6;

/** The chunks of a cloud, as they are told to whoever draws it. */
export interface ChunkList {
  /** Distance of neighbouring points of level 0, in units of the coordinates. */
  spacing: number;
  chunks: CloudChunk[];
}

/**
 * Values as they are stored: whole numbers as the difference from the one before, all first bytes before all second ones, deflated. Points
 * near each other then take few bytes.
 */
export function shuffled(type: StoredType, values: PointValues): Uint8Array {
  const size = bytesOf(type);
  let given = values;
  if (isWhole(type)) {
    given = pointValues(type, values.length);
    let last = 0;
    for (let i = 0; i < values.length; i++) {
      given[i] = values[i]! - last;
      last = values[i]!;
    }
  }
  const raw = new Uint8Array(given.buffer, given.byteOffset, given.byteLength);
  if (size === 1) return raw;
  const n = values.length;
  const out = new Uint8Array(raw.length);
  for (let b = 0; b < size; b++) for (let i = 0; i < n; i++) out[b * n + i] = raw[i * size + b]!;
  return out;
}

export function unshuffled(type: StoredType, bytes: Uint8Array): PointValues {
  const size = bytesOf(type);
  const n = bytes.length / size;
  let raw = bytes;
  if (size > 1) {
    raw = new Uint8Array(bytes.length);
    for (let b = 0; b < size; b++) for (let i = 0; i < n; i++) raw[i * size + b] = bytes[b * n + i]!;
  }
  const out = storedOver(type, raw);
  if (isWhole(type)) for (let i = 1; i < n; i++) out[i] = out[i]! + out[i - 1]!;
  return out;
}

const damaged = (what: string): HelkError => new HelkError('file.damaged', `${what} in the project file.`);

/** The values of a stored piece of a chunk. @throws HelkError `file.damaged` */
export async function readPiece(bytes: Uint8Array, type: StoredType, count: number): Promise<PointValues> {
  const size = count * bytesOf(type);
  const raw = await codec()
    .inflateLater(bytes, size)
    .catch(() => null);
  if (raw?.length !== size) throw damaged('Points of the cloud are damaged');
  return unshuffled(type, raw);
}

export function readChunkList(bytes: Uint8Array): ChunkList {
  try {
    return JSON.parse(new TextDecoder().decode(bytes)) as ChunkList;
  } catch {
    throw damaged('The list of the parts of the cloud is damaged');
  }
}

/** Writes the points of a cloud as levels of chunks. */
export async function packCloud(c: Cloud, info: CloudInfo, store: PieceStore, progress: Progress): Promise<void> {
  progress(0, 'sorting points');
  const { order, chunks, spacing } = cloudLevels(c);
  const list: ChunkList = { spacing, chunks };
  await store.put(CHUNK_LIST, 0, 0, new TextEncoder().encode(JSON.stringify(list)));
  const arrays: [name: string, type: StoredType, values: PointValues | null][] = [
    ['X', 'int32', c.x],
    ['Y', 'int32', c.y],
    ['Z', 'int32', c.z],
    [NUMBERS, 'uint32', null],
    ...c.attributes.map((a, k): [string, StoredType, PointValues] => [attributeArray(k), a.type, a.values]),
  ];
  let from = 0;
  for (let first = 0; first < chunks.length; first += BESIDE) {
    progress(from / Math.max(1, info.count), 'storing points');
    const some = chunks.slice(first, first + BESIDE).map((chunk) => {
      const rows = order.subarray(from, from + chunk.count);
      from += chunk.count;
      return { chunk, rows };
    });
    for (const [name, type, values] of arrays) {
      const packed = await Promise.all(
        some.map(({ rows }) => {
          const part = values ? pointValues(type, rows.length) : rows;
          if (values) for (let k = 0; k < rows.length; k++) part[k] = values[rows[k]!]!;
          return codec().deflateLater(shuffled(type, part), 1);
        }),
      );
      for (const [k, bytes] of packed.entries()) await store.put(name, some[k]!.chunk.level, first + k, bytes);
    }
  }
}

const tooMany = (most: number): HelkError =>
  new HelkError('method.input', `There are more than ${most / 1e6} million points within the box; take a smaller one.`);

/** A box in units of the stored coordinates. */
const storedBox = ([w, s, e, n]: Extent, { scale, offset }: Pick<Cloud, 'scale' | 'offset'>): Extent => [
  (w - offset[0]) / scale[0],
  (s - offset[1]) / scale[1],
  (e - offset[0]) / scale[0],
  (n - offset[1]) / scale[1],
];

function rowsInside(x: PointValues, y: PointValues, [w, s, e, n]: Extent): Uint32Array {
  const rows = new Uint32Array(x.length);
  let k = 0;
  for (let i = 0; i < x.length; i++) if (x[i]! >= w && x[i]! <= e && y[i]! >= s && y[i]! <= n) rows[k++] = i;
  return rows.subarray(0, k);
}

/** @throws HelkError `method.input` for more points than `most` */
function pointsWithin(c: Cloud, box: Extent, most: number): Cloud {
  const rows = rowsInside(c.x, c.y, storedBox(box, c));
  if (rows.length > most) throw tooMany(most);
  return takePoints(c, rows);
}

/** A cloud in a store. */
export class StoredCloud implements CloudHandle {
  readonly kind = 'cloud';
  readonly head: CloudInfo;

  constructor(
    readonly info: CloudInfo,
    private readonly store: Pick<PieceStore, 'get'>,
  ) {
    this.head = info;
  }

  load(progress?: Progress): Promise<Cloud> {
    return this.only(
      this.info.attributes.map((a) => a.name),
      progress,
    );
  }

  async only(names: readonly string[], progress?: Progress): Promise<Cloud> {
    const n = this.info.count;
    const out = this.empty(n, names);
    const arrays = this.arrays(out);
    const { chunks } = await this.list();
    const there = new Uint8Array(n);
    let seen = 0;
    for (let first = 0; first < chunks.length; first += BESIDE) {
      // Unpacked beside each other, put in their places one after the other.
      const some = await Promise.all(
        chunks.slice(first, first + BESIDE).map((chunk, k) => this.read(chunk, first + k, arrays)),
      );
      for (const { rows, parts } of some) {
        for (let k = 0; k < rows.length; k++) {
          const i = rows[k]!;
          if (i >= n || there[i]) throw damaged('Points of the cloud are damaged');
          there[i] = 1;
        }
        arrays.forEach(([, , values], a) => {
          const part = parts[a]!;
          for (let k = 0; k < rows.length; k++) values[rows[k]!] = part[k]!;
        });
        seen += rows.length;
      }
      progress?.(seen / Math.max(1, n), 'reading points');
    }
    if (seen !== n) throw damaged('The parts of the cloud do not add up');
    return out;
  }

  async within(box: Extent, most: number): Promise<Cloud> {
    const stored = storedBox(box, this.info);
    const { chunks } = await this.list();
    const near = chunks
      .map((chunk, k) => ({ chunk, k }))
      .filter(
        ({ chunk: { box: b } }) => b[0] <= stored[2] && b[3] >= stored[0] && b[1] <= stored[3] && b[4] >= stored[1],
      );
    const names = this.info.attributes.map((a) => a.name);
    const found: { rows: PointValues; parts: PointValues[]; inside: Uint32Array }[] = [];
    let n = 0;
    for (const { chunk, k } of near) {
      const { rows, parts } = await this.read(chunk, k, this.arrays(this.empty(0, names)));
      const inside = rowsInside(parts[0]!, parts[1]!, stored);
      n += inside.length;
      if (n > most) throw tooMany(most);
      found.push({ rows, parts, inside });
    }
    const number = new Uint32Array(n);
    const out = this.empty(n, names);
    const arrays = this.arrays(out);
    let at = 0;
    for (const { rows, parts, inside } of found)
      for (const k of inside) {
        number[at] = rows[k]!;
        arrays.forEach(([, , values], a) => (values[at] = parts[a]![k]!));
        at++;
      }
    return takePoints(
      out,
      Uint32Array.from(number.keys()).sort((a, b) => number[a]! - number[b]!),
    );
  }

  async *parts(names: readonly string[]): AsyncIterable<Cloud> {
    const { chunks } = await this.list();
    for (const [k, chunk] of chunks.entries()) {
      const out = this.empty(chunk.count, names);
      const arrays = this.arrays(out);
      const { parts } = await this.read(chunk, k, arrays);
      arrays.forEach(([, , values], a) => values.set(parts[a] as never));
      yield out;
    }
  }

  /** Room for so many points with some of the attributes. */
  private empty(n: number, names: readonly string[]): Cloud {
    const { crs, heightUnit, scale, offset, attributes } = this.info;
    const wanted = attributes.filter((a) => names.includes(a.name));
    return {
      kind: 'cloud',
      crs,
      heightUnit,
      scale,
      offset,
      x: room(Int32Array, n),
      y: room(Int32Array, n),
      z: room(Int32Array, n),
      attributes: wanted.map(({ name, type, unit }) => ({ name, type, unit, values: pointValues(type, n) })),
    };
  }

  /** The stored arrays that go into a cloud: X, Y, Z, then its attributes. */
  private arrays(c: Cloud): [name: string, type: StoredType, values: PointValues][] {
    return [
      ['X', 'int32', c.x],
      ['Y', 'int32', c.y],
      ['Z', 'int32', c.z],
      ...c.attributes.map((a): [string, StoredType, PointValues] => [
        attributeArray(this.info.attributes.findIndex((o) => o.name === a.name)),
        a.type,
        a.values,
      ]),
    ];
  }

  /** Numbers and values of the points of a chunk. */
  private async read(
    chunk: CloudChunk,
    k: number,
    arrays: readonly (readonly [name: string, type: StoredType, values: PointValues])[],
  ): Promise<{ rows: PointValues; parts: PointValues[] }> {
    const piece = async (name: string, type: StoredType): Promise<PointValues> => {
      const bytes = await this.store.get(name, chunk.level, k);
      if (!bytes) throw damaged('Points of the cloud are missing');
      return readPiece(bytes, type, chunk.count);
    };
    const rows = piece(NUMBERS, 'uint32');
    return { rows: await rows, parts: await Promise.all(arrays.map(([name, type]) => piece(name, type))) };
  }

  async list(): Promise<ChunkList> {
    const bytes = await this.store.get(CHUNK_LIST, 0, 0);
    if (!bytes) throw damaged('The list of the parts of the cloud is missing');
    return readChunkList(bytes);
  }
}

/** A cloud in memory. */
export class MemoryCloud implements CloudHandle {
  readonly kind = 'cloud';
  private known: CloudInfo | null = null;

  constructor(private readonly cloud: Cloud) {}

  get info(): CloudInfo {
    return (this.known ??= cloudInfo(this.cloud));
  }
  get head(): CloudInfo {
    return this.info;
  }
  load(): Promise<Cloud> {
    return Promise.resolve(this.cloud);
  }
  only(): Promise<Cloud> {
    return Promise.resolve(this.cloud);
  }
  async within(box: Extent, most: number): Promise<Cloud> {
    return pointsWithin(this.cloud, box, most);
  }
  async *parts(): AsyncIterable<Cloud> {
    yield this.cloud;
  }
}

/** A cloud that a file declares and that is read when it is asked for, once. */
export class FileCloud implements CloudHandle {
  readonly kind = 'cloud';
  private loaded: Promise<Cloud> | null = null;
  private known: CloudInfo | null = null;

  constructor(
    /** What the file says of it; counts and bounds may not be so. */
    private readonly declared: CloudInfo,
    private readonly read: (progress?: Progress) => Promise<Cloud>,
  ) {}

  get head(): CloudInfo {
    return this.known ?? this.declared;
  }
  get info(): CloudInfo {
    return this.head;
  }
  async load(progress?: Progress): Promise<Cloud> {
    return (this.loaded ??= this.read(progress));
  }
  only(_: readonly string[], progress?: Progress): Promise<Cloud> {
    return this.load(progress);
  }
  async within(box: Extent, most: number): Promise<Cloud> {
    return pointsWithin(await this.load(), box, most);
  }
  async *parts(): AsyncIterable<Cloud> {
    yield await this.load();
  }
  /** The description by what is really there. */
  async study(): Promise<CloudInfo> {
    return (this.known ??= cloudInfo(await this.load()));
  }
}

export const cloudHeldBytes = (info: CloudInfo): number => info.count * pointBytes(info.attributes);

/** Looks at every piece that should be there. @throws HelkError `file.damaged` */
export async function verifyCloud(info: CloudInfo, store: Pick<PieceStore, 'get'>, progress: Progress): Promise<void> {
  const { count, attributes } = info;
  const stored = new StoredCloud(info, store);
  const { chunks } = await stored.list();
  if (chunks.reduce((s, c) => s + c.count, 0) !== count) throw damaged('The parts of the cloud do not add up');
  for (const a of ['', ...attributes.map((b) => b.name)]) {
    progress(0, 'looking at points');
    await stored.only([a], progress);
  }
}
