import { HelkError } from '../errors';
import { codec } from '../formats/codec';
import { packBinary, unpackBinary } from '../formats/binary';
import { readPiece, shuffled } from './cloud-store';
import type { Features } from './features';
import type { Handle, PieceStore, Progress } from './handle';
import { room } from './room';
import { stepOf, type TimeStack } from './stack';
import { stackInfo, type StackInfo } from './stack-facts';
import { getWhole, putWhole } from './whole-store';

/** A time stack that is read by step or by series. */
export interface StackHandle extends Handle<TimeStack, StackInfo, 'stack'> {
  places(): Promise<Features>;
  /** Series of some places one behind the other, in the order of places. */
  series(variable: number, from: number, count: number): Promise<Float64Array>;
  /** A step, by place. */
  step(variable: number, step: number): Promise<Float64Array>;
}

/** Array of the steps of a variable, one piece each. */
export const stepsArray = (variable: number): string => `steps ${variable}`;
/** Array of its series, so many places a piece. */
export const seriesArray = (variable: number): string => `series ${variable}`;

/** Values of a piece of series, about. */
const PIECE = 2 ** 17;
/** Places whose series stand in one piece. */
export const placesAPiece = (steps: number): number => Math.max(1, Math.floor(PIECE / Math.max(1, steps)));

const wide = (values: ArrayLike<number>): Float64Array => Float64Array.from(values);

export class MemoryStack implements StackHandle {
  readonly kind = 'stack';
  private known: StackInfo | null = null;
  constructor(private readonly data: TimeStack) {}

  get info(): StackInfo {
    return (this.known ??= stackInfo(this.data));
  }
  get head(): StackInfo {
    return this.info;
  }
  load(): Promise<TimeStack> {
    return Promise.resolve(this.data);
  }
  places(): Promise<Features> {
    return Promise.resolve(this.data.places);
  }
  series(variable: number, from: number, count: number): Promise<Float64Array> {
    const t = this.data.steps.count;
    return Promise.resolve(this.data.variables[variable]!.values.subarray(from * t, (from + count) * t));
  }
  step(variable: number, step: number): Promise<Float64Array> {
    return Promise.resolve(stepOf(this.data, variable, step));
  }
}

/** A time stack in a store: it lies there twice, by step and by series, so that both are read as they are. */
export class StoredStack implements StackHandle {
  readonly kind = 'stack';
  readonly head: StackInfo;
  private last: { name: string; values: Float64Array } | null = null;

  constructor(
    readonly info: StackInfo,
    private readonly store: Pick<PieceStore, 'get'>,
  ) {
    this.head = info;
  }

  private async piece(variable: number, array: string, key: number, count: number): Promise<Float64Array> {
    const name = `${array} ${key}`;
    if (this.last?.name === name) return this.last.values;
    const bytes = await this.store.get(array, 0, key);
    if (!bytes) throw new HelkError('file.damaged', 'Values of the time stack are missing in the project file.');
    const values = wide(await readPiece(bytes, this.info.variables[variable]!.type, count));
    this.last = { name, values };
    return values;
  }

  async places(): Promise<Features> {
    return { ...readPlaces(await getWhole(this.store)), crs: this.info.crs };
  }

  step(variable: number, step: number): Promise<Float64Array> {
    return this.piece(variable, stepsArray(variable), step, this.info.count);
  }

  async series(variable: number, from: number, count: number): Promise<Float64Array> {
    const t = this.info.steps.count;
    const each = placesAPiece(t);
    const out = room(Float64Array, count * t);
    for (let k = Math.floor(from / each); k * each < from + count; k++) {
      const first = k * each;
      const values = await this.piece(variable, seriesArray(variable), k, Math.min(each, this.info.count - first) * t);
      const begin = Math.max(from, first);
      const end = Math.min(from + count, first + each);
      out.set(values.subarray((begin - first) * t, (end - first) * t), (begin - from) * t);
    }
    return out;
  }

  async load(progress?: Progress): Promise<TimeStack> {
    const { info } = this;
    const variables = [];
    for (const [j, v] of info.variables.entries()) {
      progress?.(j / info.variables.length, 'reading series');
      variables.push({ name: v.name, unit: v.unit, values: await this.series(j, 0, info.count) });
    }
    return {
      kind: 'stack',
      places: await this.places(),
      key: info.key,
      steps: info.steps,
      variables,
      grid: info.grid,
      made: info.made,
    };
  }
}

export const readPlaces = (bytes: Uint8Array): Features => unpackBinary(bytes, 'features') as Features;

/** Pieces that are packed beside each other. */
const BESIDE = 8;

export async function packStack(s: TimeStack, info: StackInfo, store: PieceStore, progress: Progress): Promise<void> {
  await putWhole(store, packBinary(s.places), progress);
  const [n, t] = [info.count, info.steps.count];
  const each = placesAPiece(t);
  const total = info.variables.length * (t + Math.ceil(n / each));
  let done = 0;
  const put = async (
    array: string,
    type: 'float32' | 'float64',
    from: number,
    parts: Float64Array[],
  ): Promise<void> => {
    progress(done / total, 'storing');
    const packed = await Promise.all(
      parts.map((p) => codec().deflateLater(shuffled(type, type === 'float32' ? Float32Array.from(p) : p), 1)),
    );
    for (const [k, bytes] of packed.entries()) await store.put(array, 0, from + k, bytes);
    done += parts.length;
  };
  for (const [j, { type }] of info.variables.entries()) {
    const { values } = s.variables[j]!;
    for (let k = 0; k < t; k += BESIDE)
      await put(
        stepsArray(j),
        type,
        k,
        Array.from({ length: Math.min(BESIDE, t - k) }, (_, b) => stepOf(s, j, k + b)),
      );
    const pieces = Math.ceil(n / each);
    for (let k = 0; k < pieces; k += BESIDE)
      await put(
        seriesArray(j),
        type,
        k,
        Array.from({ length: Math.min(BESIDE, pieces - k) }, (_, b) =>
          values.subarray((k + b) * each * t, Math.min(n, (k + b + 1) * each) * t),
        ),
      );
  }
}

/** Looks at every piece that should be there. @throws HelkError `file.damaged` */
export async function verifyStack(
  info: StackInfo,
  store: Pick<PieceStore, 'get'>,
  progress: Progress,
): Promise<TimeStack> {
  const handle = new StoredStack(info, store);
  const s = await handle.load();
  for (let j = 0; j < info.variables.length; j++)
    for (let k = 0; k < info.steps.count; k++) {
      if (k % 16 === 0) progress(k / info.steps.count, 'checking');
      const [a, b] = [await handle.step(j, k), stepOf(s, j, k)];
      if (a.some((v, i) => v !== b[i] && (v === v || b[i] === b[i])))
        throw new HelkError('file.damaged', 'Its steps and its series say different things.');
    }
  return s;
}
