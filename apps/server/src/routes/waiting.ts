import type { Response } from 'express';
import { fromProblem } from '@helk/core';
import type { Handle } from '../work/pool';
import type { TaskResult } from '../work/tasks';

/** Aborts when whoever asked goes away before the answer is complete. */
export function leaving(res: Response): AbortSignal {
  const gone = new AbortController();
  res.once('close', () => {
    if (!res.writableFinished) gone.abort();
  });
  return gone.signal;
}

/** What a task came to; it is ended when nobody waits for it any more. Throws what it failed with. */
export async function resultOf(handle: Handle, res: Response): Promise<Extract<TaskResult, { ok: true }>> {
  leaving(res).addEventListener('abort', () => handle.cancel(), { once: true });
  const r = await handle.done;
  if (!r.ok) throw fromProblem(r.problem);
  return r;
}
