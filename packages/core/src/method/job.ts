import type { Note } from '../data/check';
import type { RasterHead, RasterSink } from '../data/handle';
import { handleOn, KINDS, type AnyHandle, type Dataset } from '../data/kinds';
import type { Collector } from '../data/kinds/kind';
import { HelkError } from '../errors';
import { overBlocks, threadsThere, type Kernel } from './parallel';
import { Random } from '../numeric/random';

/** What a running method may use of the world: progress, cancel, notes, randomness, and where its results go. */
export interface Job {
  /** Says how far the run is; throws `run.cancelled` when it has been cancelled. Cheap: call it once a row block. */
  progress(share: number, stage: string): void;
  note(level: Note['level'], code: string, message: string): void;
  readonly cancelled: boolean;
  readonly random: Random;
  /** Names of the inputs by role, where they have any. */
  readonly names: Readonly<Record<string, readonly string[]>>;
  /**
   * Begins a raster that is written row by row; it is given back as the result of that role. Where it goes (memory, a file, a project)
   * is not the method's business.
   */
  raster(role: string, head: RasterHead): RasterSink;
  /** Threads that work on it. */
  readonly threads: number;
  /**
   * Runs a kernel over blocks, on several threads where that pays, and hands the results over in the order of the blocks. The same comes
   * out whatever the number of threads. Throws `run.cancelled` between two blocks when the run has been cancelled.
   */
  parallel<S, B, R>(
    kernel: Kernel<S, B, R>,
    shared: S,
    blocks: Iterable<B> | AsyncIterable<B>,
    each: (result: R, i: number) => void | Promise<void>,
  ): Promise<void>;
}

/** Opens the place where a result goes that comes part by part; null for memory. */
export type OpenSink = (role: string, kind: 'raster', head: RasterHead) => Collector<RasterSink, AnyHandle> | null;

export interface JobHooks {
  names?: Record<string, string[]>;
  onProgress?: (share: number, stage: string) => void;
  isCancelled?: () => boolean;
  seed?: number;
  /** Threads to use, from the first block on; as many as there are, where it pays, when not given. */
  threads?: number;
  /** Into memory when not given. */
  openSink?: OpenSink;
}

const intoMemory = (kind: 'raster', head: RasterHead): Collector<RasterSink, AnyHandle> => {
  const { sink, end } = KINDS[kind].collect!(head);
  return { sink, end: async (p) => KINDS[kind].wrap(await end(p)) };
};

/** A job that keeps its notes and forwards progress. */
export class LocalJob implements Job {
  readonly notes: Note[] = [];
  readonly random: Random;
  readonly names: Readonly<Record<string, readonly string[]>>;
  private readonly begun = new Map<RasterSink, Collector<RasterSink, AnyHandle>>();

  constructor(private readonly hooks: JobHooks = {}) {
    this.random = new Random(hooks.seed ?? 1);
    this.names = hooks.names ?? {};
  }

  get threads(): number {
    return this.hooks.threads ?? threadsThere();
  }

  parallel<S, B, R>(
    kernel: Kernel<S, B, R>,
    shared: S,
    blocks: Iterable<B> | AsyncIterable<B>,
    each: (result: R, i: number) => void | Promise<void>,
  ): Promise<void> {
    const and = (r: R, i: number): void | Promise<void> => {
      this.heed();
      return each(r, i);
    };
    return overBlocks(kernel, shared, blocks, and, this.hooks.threads);
  }

  /** @throws HelkError `run.cancelled` when it has been */
  private heed(): void {
    if (this.cancelled) throw new HelkError('run.cancelled', 'The run was cancelled; nothing was changed.');
  }

  get cancelled(): boolean {
    return this.hooks.isCancelled?.() ?? false;
  }

  progress(share: number, stage: string): void {
    this.heed();
    this.hooks.onProgress?.(share, stage);
  }

  note(level: Note['level'], code: string, message: string): void {
    this.notes.push({ level, code, message });
  }

  raster(role: string, head: RasterHead): RasterSink {
    const c = this.hooks.openSink?.(role, 'raster', head) ?? intoMemory('raster', head);
    this.begun.set(c.sink, c);
    return c.sink;
  }

  /** A result as a handle, whether it was written part by part or is in memory. */
  async result(made: RasterSink | Dataset): Promise<AnyHandle> {
    const c = this.begun.get(made as RasterSink);
    return c ? c.end((s, stage) => this.progress(s, stage)) : handleOn(made as Dataset);
  }
}

/**
 * Names that tell apart what came from which input: those given (apart by commas), else the inputs' own, else `usual`; equal ones
 * are numbered.
 *
 * @throws HelkError `method.parameter` when there are not as many names as inputs
 */
export function sourceNames(given: string, own: readonly string[] | undefined, usual: readonly string[]): string[] {
  const list = given
    .split(',')
    .map((s) => s.trim())
    .filter(Boolean);
  if (list.length && list.length !== usual.length)
    throw new HelkError(
      'method.parameter',
      `names: ${list.length} names are given for ${usual.length} inputs.`,
      'names',
    );
  const names = list.length ? list : own?.length === usual.length ? own : usual;
  return names.map((n, k) => (names.filter((x) => x === n).length > 1 ? `${n} ${k + 1}` : n));
}
