import { parentPort } from 'node:worker_threads';
import { HelkError, toProblem } from '@helk/core';
import { setupNode } from '@helk/node';
import { openDatabase } from '../store/database';
import { adopt } from './jobs/adopt';
import { fetchIn } from './jobs/fetch-in';
import { glance } from './jobs/glance';
import type { Hands } from './jobs/hands';
import { look, take } from './jobs/read';
import { run } from './jobs/run';
import { pack } from './jobs/pack';
import { makeSample } from './jobs/sample';
import { save, write } from './jobs/write';
import type { Task, TaskResult, Threaded } from './tasks';

setupNode();

type Done = Omit<Extract<TaskResult, { ok: true }>, 'ok'>;
type Doing = { [K in Task['kind']]: (task: Extract<Task, { kind: K }>, hands: Hands) => Promise<Done> };

const DOING: Doing = {
  run,
  import: take,
  review: look,
  export: write,
  save,
  pack,
  adopt,
  service: fetchIn,
  sample: makeSample,
  glance,
};

/** One task. It opens the project itself and leaves it as it was unless it ends well. */
async function work(task: Task, { cancel, port }: Threaded): Promise<TaskResult> {
  const flag = new Int32Array(cancel);
  let last = 0;
  const isCancelled = (): boolean => Atomics.load(flag, 0) === 1;
  const db = 'file' in task ? openDatabase(task.file) : null;
  const hands: Hands = {
    get db() {
      if (!db) throw new Error(`A task of the kind ${task.kind} has no project.`);
      return db;
    },
    isCancelled,
    progress: (share, stage) => {
      if (isCancelled()) throw new HelkError('run.cancelled', 'It was cancelled; nothing was changed.');
      const t = Date.now();
      if (t - last < 80) return;
      last = t;
      port.postMessage({ progress: { share, stage } });
    },
  };
  try {
    return { ok: true, ...(await (DOING[task.kind] as (t: Task, h: Hands) => Promise<Done>)(task, hands)) };
  } catch (e) {
    return { ok: false, problem: toProblem(e) };
  } finally {
    await db?.destroy();
  }
}

parentPort!.on('message', ({ task, ...threaded }: { task: Task } & Threaded) => {
  threaded.port.postMessage({ begun: true });
  void work(task, threaded).then((result) => threaded.port.postMessage({ result }));
});
