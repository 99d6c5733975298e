import { createHash } from 'node:crypto';
import { handleOn, HelkError, kindOf, parseCrs } from '@helk/core';
import { columnsOfCollection, findCollection, openService } from '@helk/core/services/catalogue';
import { collect } from '@helk/core/services/collect';
import type { Get } from '@helk/core/services/get';
import { outgoing } from '@helk/node';
import { now } from '../../store/ids';
import { begin, publish, stageHandle } from '../../store/project-store';
import type { ServiceTask } from '../tasks';
import { slice, type Hands } from './hands';

/** Takes features from a service; nothing is stored before the last page has come. */
export async function fetchIn(task: ServiceTask, { db, progress, isCancelled }: Hands): Promise<{ outputs: string[] }> {
  await begin(db, task.runId);
  const abort = new AbortController();
  // Waiting for an answer hears no flag, so it is looked at beside.
  const watch = setInterval(() => isCancelled() && abort.abort(), 100);
  const hash = createHash('sha256');
  const ask = outgoing({ signal: abort.signal, token: task.token });
  const get: Get = async (url, accept) => {
    const a = await ask(url, accept);
    hash.update(a.text);
    return a;
  };
  try {
    progress(0, 'asking the service');
    const service = await openService(get, task.address);
    const collection = await findCollection(get, service, task.collection);
    const described = await columnsOfCollection(get, collection);
    const wish = { columns: task.columns, bbox: task.bbox, crs: task.crs ? parseCrs(task.crs) : null };
    const got = await collect(get, collection, described, wish, slice(progress, 0.02, 0.8));
    const source = {
      file: collection.items,
      format: 'OGC API - Features',
      bytes: got.size,
      sha256: hash.digest('hex'),
      service: service.title,
      collection: collection.id,
      askedIn: got.asked.code ?? 'CRS84',
      fetchedAt: now(),
      ...(task.columns ? { columns: task.columns } : {}),
      ...(task.bbox ? { bbox: task.bbox } : {}),
    };
    const staged: string[] = [];
    for (const [k, l] of got.layers.entries()) {
      const share = (i: number): number => 0.8 + (0.2 * i) / got.layers.length;
      const handle = handleOn(l.data);
      const notes = async () => [...l.notes, ...((await kindOf(handle).remarks?.(handle)) ?? [])];
      const name = task.name && got.layers.length === 1 ? task.name : l.name;
      const made = { name, runId: task.runId, role: null, batch: null, source };
      staged.push(await stageHandle(db, made, handle, slice(progress, share(k), share(k + 1)), notes));
    }
    if (isCancelled()) throw new HelkError('run.cancelled', 'It was cancelled; nothing was changed.');
    await publish(db, task.runId, staged, { params: {}, figures: {}, notes: [] });
    return { outputs: staged };
  } finally {
    clearInterval(watch);
  }
}
