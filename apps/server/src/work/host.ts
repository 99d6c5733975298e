import { fileURLToPath } from 'node:url';
import { MessageChannel, Worker } from 'node:worker_threads';
import { toProblem } from '@helk/core/errors';
import type { FromHost, ProgressMessage, TaskResult, ToHost } from './tasks';

/**
 * A process of the pool. Its first thread only listens, so that a cancel is heard and the end of the server is noticed whatever the
 * working thread is doing; the work is done in a worker thread. The memory of the whole process is limited by the system.
 */
const end = (): void => void process.kill(process.pid, 'SIGKILL');
const tell = (m: FromHost, then?: () => void): void => {
  process.send?.(m, undefined, {}, (e) => (e ? end() : then?.()));
};
const WORKER = fileURLToPath(new URL('./worker.js', import.meta.url));
const heap = Number(process.argv[2]);

let worker: Worker | null = null;
let cancel: Int32Array | null = null;

function working(): Worker {
  worker ??= new Worker(WORKER, { resourceLimits: { maxOldGenerationSizeMb: heap } }).on('error', (e: Error) => {
    // What the thread had opened is not known to be closed: the process ends with it.
    finish({ ok: false, problem: toProblem(e) }, end);
  });
  return worker;
}

let finish: (r: TaskResult, then?: () => void) => void = (_r, then) => then?.();

process.on('message', (m: ToHost) => {
  if (m.say === 'cancel') {
    if (cancel) Atomics.store(cancel, 0, 1);
    return;
  }
  const flag = new SharedArrayBuffer(4);
  cancel = new Int32Array(flag);
  const { port1, port2 } = new MessageChannel();
  finish = (result, then) => {
    finish = (_r, last) => last?.();
    cancel = null;
    port1.close();
    tell({ say: 'done', result, resident: process.memoryUsage.rss() }, then);
  };
  port1.on('message', (said: { begun: true } | { progress: ProgressMessage } | { result: TaskResult }) => {
    if ('result' in said) finish(said.result);
    else if ('begun' in said) tell({ say: 'begun' });
    else tell({ say: 'progress', message: said.progress });
  });
  working().postMessage({ task: m.task, cancel: flag, port: port2 }, [port2]);
});

// The server is gone: nobody waits for the result, and a busy thread would keep the process for ever.
process.on('disconnect', end);
// It may have gone while this process was starting, before anybody listened.
if (!process.connected) end();

working();
