import { fileURLToPath } from 'node:url';
import { MessageChannel } from 'node:worker_threads';
import { Piscina } from 'piscina';
import type { Problem } from '@helk/core';
import type { ProgressMessage, Task, TaskResult } from './tasks';

/** How long a cancelled task may take to stop by itself before its thread is ended. */
const GRACE = 1000;

/** The bundled worker; when the server itself runs from its sources, the one that `scripts/build.mjs node` made. */
const WORKER = fileURLToPath(
  new URL(import.meta.url.endsWith('.ts') ? '../../../../dist/server/worker.js' : './worker.js', import.meta.url),
);

type Bare<T> = T extends Task ? Omit<T, 'cancel' | 'port'> : never;
export type BareTask = Task extends infer T ? Bare<T> : never;

export interface Handle {
  done: Promise<TaskResult>;
  cancel(): void;
}

/** The worker threads. A task is stopped by a flag in shared memory, since a busy thread hears no message. */
export class WorkerPool {
  private readonly pool: Piscina;

  constructor(threads: number) {
    this.pool = new Piscina({
      filename: WORKER,
      minThreads: 1,
      maxThreads: threads,
      idleTimeout: 60_000,
    });
    // A worker's death is told to its task; the server goes on.
    this.pool.on('error', (e: Error) => process.stderr.write(`A worker stopped: ${e.message}\n`));
  }

  start(task: BareTask, onProgress: (m: ProgressMessage) => void): Handle {
    const cancel = new SharedArrayBuffer(4);
    const flag = new Int32Array(cancel);
    const { port1, port2 } = new MessageChannel();
    port1.on('message', onProgress);
    const abort = new AbortController();
    const stopped: Problem = { code: 'run.cancelled', message: 'It was cancelled; nothing was changed.', path: null };
    const done = (
      this.pool.run(
        { ...task, cancel, port: port2 },
        { transferList: [port2], signal: abort.signal },
      ) as Promise<TaskResult>
    )
      .catch((e: unknown): TaskResult => {
        if (Atomics.load(flag, 0) === 1) return { ok: false, problem: stopped };
        const why = e instanceof Error ? e.message : String(e);
        const problem: Problem = /memory|heap/i.test(why)
          ? { code: 'method.memory', message: 'The worker ran out of memory; nothing was changed.', path: null }
          : {
              code: 'run.failed',
              message: `The worker stopped unexpectedly (${why.slice(0, 200)}); nothing was changed.`,
              path: null,
            };
        return { ok: false, problem };
      })
      .finally(() => port1.close());
    let ended = false;
    void done.then(() => (ended = true));
    return {
      done,
      cancel: () => {
        Atomics.store(flag, 0, 1);
        setTimeout(() => {
          if (!ended) abort.abort();
        }, GRACE).unref();
      },
    };
  }

  close(): Promise<void> {
    return this.pool.destroy();
  }
}
