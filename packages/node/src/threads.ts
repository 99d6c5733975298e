import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import { fromProblem, type Kernel, type Problem, type Threads } from '@helk/core';

/** The bundled thread; when Helk itself runs from its sources, the one that `scripts/build.mjs node` made. */
const THREAD = fileURLToPath(
  new URL(import.meta.url.endsWith('.ts') ? '../../../dist/server/thread.js' : './thread.js', import.meta.url),
);
/** Blocks that wait in a thread, so that it need not wait for the next. */
const AHEAD = 2;

/** To a thread: what all blocks of a piece of work share, or a block of it. And back. */
export type ToThread = { work: number; kernel: string; shared: unknown } | { work: number; i: number; block: unknown };
export type FromThread = { work: number; i: number } & ({ result: unknown } | { problem: Problem });

interface Waiting {
  done: (r: unknown) => void;
  failed: (e: Error) => void;
}

class Thread {
  readonly waiting = new Map<string, Waiting>();
  private worker: Worker | null = null;

  post(m: ToThread): void {
    this.worker ??= this.start();
    this.worker.postMessage(m);
  }

  ask(work: number, i: number, block: unknown): Promise<unknown> {
    return new Promise((done, failed) => {
      this.waiting.set(`${work} ${i}`, { done, failed });
      this.post({ work, i, block });
    });
  }

  private start(): Worker {
    const w = new Worker(THREAD);
    w.on('message', (m: FromThread) => {
      const key = `${m.work} ${m.i}`;
      const held = this.waiting.get(key);
      this.waiting.delete(key);
      if ('problem' in m) held?.failed(fromProblem(m.problem));
      else held?.done(m.result);
    });
    w.on('error', (e: Error) => {
      this.worker = null;
      for (const h of this.waiting.values()) h.failed(e);
      this.waiting.clear();
    });
    // It does not keep the process: what waits for it does. (Listening would hold it again.)
    w.unref();
    return w;
  }
}

const THREADS: Thread[] = [];
let last = 0;

/** Threads of this process, started when they are first needed. */
export const nodeThreads: Threads = {
  count: availableParallelism(),
  run: async <S, B, R>(
    count: number,
    kernel: Kernel<S, B, R>,
    shared: S,
    blocks: AsyncIterator<B>,
    each: (result: R, i: number) => void | Promise<void>,
    first: number,
  ): Promise<void> => {
    while (THREADS.length < count) THREADS.push(new Thread());
    const mine = THREADS.slice(0, count);
    const work = ++last;
    for (const t of mine) t.post({ work, kernel: kernel.id, shared });
    const under: Promise<unknown>[] = [];
    const load = mine.map(() => 0);
    const send = (i: number, block: B): Promise<unknown> => {
      const k = load.indexOf(Math.min(...load));
      load[k]!++;
      const result = mine[k]!.ask(work, i, block).finally(() => load[k]!--);
      // What it fails with is thrown when its turn comes.
      result.catch(() => undefined);
      return result;
    };
    // A timer keeps the process while threads work.
    const awake = setInterval(() => undefined, 2 ** 30);
    let told = first;
    try {
      for (let i = first; ; i++) {
        const b = await blocks.next();
        if (b.done) break;
        under.push(send(i, b.value));
        if (under.length >= count * AHEAD) await each((await under.shift()) as R, told++);
      }
      while (under.length) await each((await under.shift()) as R, told++);
    } finally {
      clearInterval(awake);
    }
  },
};
