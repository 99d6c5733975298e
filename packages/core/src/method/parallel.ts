/**
 * A piece of work that any thread can do: a plain function of what all blocks share and of one block. What it is given and what it gives
 * are plain data and typed arrays. It must not depend on anything else, so that the result is the same however the blocks are spread.
 */
export interface Kernel<S, B, R> {
  readonly id: string;
  run(this: void, shared: S, block: B): R | Promise<R>;
}

const KERNELS = new Map<string, Kernel<never, never, unknown>>();

/** @param id unlike that of any other kernel; threads find it by that */
export function defineKernel<S, B, R>(id: string, run: (shared: S, block: B) => R | Promise<R>): Kernel<S, B, R> {
  if (KERNELS.has(id)) throw new Error(`There are two kernels called "${id}".`);
  const kernel: Kernel<S, B, R> = { id, run };
  KERNELS.set(id, kernel as Kernel<never, never, unknown>);
  return kernel;
}

/** A kernel by its id; of those whose modules have been loaded. */
export function kernelOf(id: string): Kernel<unknown, unknown, unknown> {
  const k = KERNELS.get(id);
  if (!k) throw new Error(`There is no kernel "${id}".`);
  return k as unknown as Kernel<unknown, unknown, unknown>;
}

export const kernelIds = (): string[] => [...KERNELS.keys()];

type Blocks<B> = Iterable<B> | AsyncIterable<B>;

/** Several threads of a surface. */
export interface Threads {
  /** As many as are worth using. */
  readonly count: number;
  /**
   * Runs a kernel over blocks on so many threads; `each` gets the results in the order of the blocks, one after the other. What it throws
   * ends the work, and so does a kernel that throws.
   */
  run<S, B, R>(
    threads: number,
    kernel: Kernel<S, B, R>,
    shared: S,
    blocks: AsyncIterator<B>,
    each: (result: R, i: number) => void | Promise<void>,
    first: number,
  ): Promise<void>;
}

let threads: Threads | null = null;
export function useThreads(t: Threads | null): void {
  threads = t;
}
export const threadsThere = (): number => threads?.count ?? 1;

/** Milliseconds of work that are done before threads are asked: below that they only cost. */
const PATIENCE = 20;

/**
 * Runs a kernel over blocks and gives the results in their order. The first blocks are done here; when there is more to do than that is
 * worth, threads do the others.
 *
 * @param count threads to use; given, they are used from the first block on
 */
export async function overBlocks<S, B, R>(
  kernel: Kernel<S, B, R>,
  shared: S,
  blocks: Blocks<B>,
  each: (result: R, i: number) => void | Promise<void>,
  count: number | undefined,
): Promise<void> {
  const it = iterate(blocks);
  const several = (count ?? threadsThere()) > 1 && threads !== null;
  const start = Date.now();
  for (let i = 0; ; i++) {
    if (several && (count !== undefined || Date.now() - start > PATIENCE))
      return threads!.run(count ?? threads!.count, kernel, shared, it, each, i);
    const b = await it.next();
    if (b.done) return;
    await each(await kernel.run(shared, b.value), i);
  }
}

async function* iterate<B>(blocks: Blocks<B>): AsyncGenerator<B, undefined> {
  yield* blocks;
  return undefined;
}
