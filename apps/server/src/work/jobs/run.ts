import { HelkError, methodOf, runMethod, type Dataset, type DatasetInfo } from '@helk/core';
import { begin, getRun, loadDataset, publish, stageDataset } from '../../store/project-store';
import { variantName } from '../names';
import type { RunTask } from '../tasks';
import { slice, type Hands } from './hands';

export async function run(task: RunTask, { db, progress, isCancelled }: Hands): Promise<{ outputs: string[] }> {
  const record = await getRun(db, task.runId);
  await begin(db, task.runId);
  const method = methodOf(record.method);
  const data: Record<string, Dataset[]> = {};
  const infos: Record<string, DatasetInfo[]> = {};
  const names: Record<string, string[]> = {};
  const all = Object.values(record.inputs).flat().length;
  let done = 0;
  for (const [role, ids] of Object.entries(record.inputs)) {
    for (const id of ids) {
      const d = await loadDataset(db, id, slice(progress, (0.12 * done) / all, (0.12 * ++done) / all));
      (data[role] ??= []).push(d.data);
      (infos[role] ??= []).push(d.info);
      (names[role] ??= []).push(d.row.name);
    }
  }
  const outcome = await runMethod(method, data, record.params, {
    infos,
    names,
    seed: record.seed,
    memoryLimit: task.memoryLimit,
    isCancelled,
    onProgress: slice(progress, 0.12, 0.75),
  });
  const sibling = record.variantOf ? await getRun(db, record.variantOf) : null;
  const staged: string[] = [];
  for (const [k, o] of outcome.outputs.entries()) {
    const share = (i: number): number => 0.75 + (0.25 * i) / outcome.outputs.length;
    const label = method.outputs[o.role]!.label;
    const own = method.named?.(names, record.params as never).slice(0, 200) ?? label;
    const name = sibling ? variantName(method, own, sibling.params, outcome.params) : own;
    const made = { name, data: o.data, runId: task.runId, role: o.role, batch: null, source: null, notes: [] };
    staged.push(await stageDataset(db, made, slice(progress, share(k), share(k + 1))));
  }
  if (isCancelled()) throw new HelkError('run.cancelled', 'It was cancelled; nothing was changed.');
  await publish(db, task.runId, staged, outcome);
  return { outputs: staged };
}
