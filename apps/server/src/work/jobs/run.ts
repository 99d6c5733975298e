import { HelkError, kindOf, methodOf, runOn, type AnyHandle, type DatasetInfo, type OpenSink } from '@helk/core';
import { refOf } from '@helk/core/api/refs';
import { describe, begin, getRun, openDataset, publish, stage, stageHandle } from '../../store/project-store';
import { piecesOf } from '../../store/pieces';
import { variantName } from '../names';
import type { RunTask } from '../tasks';
import { slice, type Hands } from './hands';

export async function run(task: RunTask, { db, progress, isCancelled }: Hands): Promise<{ outputs: string[] }> {
  const record = await getRun(db, task.runId);
  await begin(db, task.runId);
  const method = methodOf(record.method);
  const handles: Record<string, AnyHandle[]> = {};
  const infos: Record<string, DatasetInfo[]> = {};
  const names: Record<string, string[]> = {};
  for (const [role, refs] of Object.entries(record.inputs)) {
    for (const ref of refs) {
      const { dataset, band } = refOf(ref);
      const d = await openDataset(db, dataset);
      const kind = kindOf(d.info);
      (handles[role] ??= []).push(band === null ? d.handle : kind.pick!(d.handle, band));
      (infos[role] ??= []).push(band === null ? d.info : kind.pickInfo!(d.info, band));
      (names[role] ??= []).push(band === null ? d.row.name : `${d.row.name} ${kind.bands!(d.info)[band]!}`);
    }
  }
  const sibling = record.variantOf ? await getRun(db, record.variantOf) : null;
  const nameOf = (role: string, params: Record<string, unknown>): string => {
    const name = method.named?.(names, record.params as never, role).slice(0, 200) ?? method.outputs[role]!.label;
    return sibling ? variantName(method, name, sibling.params, params) : name;
  };
  const made = (role: string, params: Record<string, unknown>) => ({
    name: nameOf(role, params),
    runId: task.runId,
    role,
    batch: null,
    source: null,
  });
  // Results that come part by part go straight into the project, staged.
  const begun = new Map<string, Promise<string>>();
  const openSink: OpenSink = (role, kind, head) => {
    const id = stage(db, { ...made(role, record.params), kind });
    begun.set(role, id);
    return later(async () => {
      const store = piecesOf(db, await id);
      const { sink, end } = kindOf({ kind }).collectInto!(head, store);
      return {
        sink,
        end: async (p) => {
          const info = await end(p);
          await describe(db, await id, info);
          return kindOf(info).open(info, store);
        },
      };
    });
  };
  const outcome = await runOn(method, handles, record.params, {
    infos,
    names,
    seed: record.seed,
    memoryLimit: task.memoryLimit,
    isCancelled,
    openSink,
    onProgress: slice(progress, 0, 0.8),
  });
  const staged: string[] = [];
  for (const [k, o] of outcome.outputs.entries()) {
    const share = (i: number): number => 0.8 + (0.2 * i) / outcome.outputs.length;
    staged.push(
      await (begun.get(o.role) ??
        stageHandle(db, made(o.role, outcome.params), o.handle, slice(progress, share(k), share(k + 1)))),
    );
  }
  if (isCancelled()) throw new HelkError('run.cancelled', 'It was cancelled; nothing was changed.');
  await publish(db, task.runId, staged, outcome);
  return { outputs: staged };
}

type Collector = NonNullable<ReturnType<OpenSink>>;

/** A sink that is ready at once, though the place it writes to is still being made. */
function later(open: () => Promise<Collector>): Collector {
  const opened = open();
  // What it fails with is thrown where it is first used.
  opened.catch(() => undefined);
  return {
    sink: { write: async (band, rows) => (await opened).sink.write(band, rows) },
    end: async (progress) => (await opened).end(progress),
  };
}
