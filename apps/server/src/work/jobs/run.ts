import { HelkError, kindOf, runOn, type AnyHandle, type DatasetInfo, type OpenSink } from '@helk/core';
import { refOf } from '@helk/core/api/refs';
import {
  begin,
  describe,
  discardStaged,
  freeName,
  getDatasetRow,
  getRun,
  openDataset,
  publish,
  stage,
  stageHandle,
  wholeInfo,
} from '../../store/project-store';
import { methodIn } from '../../store/recipes';
import { piecesOf } from '../../store/pieces';
import { variantName } from '../names';
import type { RunTask } from '../tasks';
import { slice, type Hands } from './hands';

export async function run(task: RunTask, { db, progress, isCancelled }: Hands): Promise<{ outputs: string[] }> {
  const record = await getRun(db, task.runId);
  await begin(db, task.runId);
  const method = await methodIn(db, record.method, record.version, record.params);
  const { naming } = (await db('runs').where({ id: task.runId }).first('naming')) as { naming: string | null };
  const kept = new Set(
    Object.entries(method.outputs).flatMap(([role, o]) =>
      record.params['keep'] === 'all' || !o.optional ? [role] : [],
    ),
  );
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
  const made = (full: string, name: string) => {
    const [step, role] = full.includes('.') ? (full.split('.') as [string, string]) : [null, full];
    return { name, runId: task.runId, role, step, batch: record.table?.id ?? null, source: null };
  };
  /** What a result is to be called: as the run table says, else by itself. */
  const called = (name: string): string => {
    if (naming === null) return name;
    return kept.size > 1 ? `${naming}, ${name}` : naming;
  };
  /** A name that is in nobody's way, of what nobody sees yet or ever. */
  const hidden = (role: string): string => `${task.runId} ${role}`;
  // Results that come part by part go straight into the project, staged.
  const begun = new Map<string, Promise<string>>();
  const openSink: OpenSink = (role, kind, head) => {
    const name = method.chain ? hidden(role) : called(nameOf(role, record.params));
    const id = stage(db, { ...made(role, name), kind });
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
  /** What the steps of a recipe make lies in the project, staged, so that no chain is too long for the memory. */
  const settled = new Map<string, string>();
  const settle = async (role: string, name: string, handle: AnyHandle): Promise<AnyHandle> => {
    const own = sibling ? variantName(method, name, sibling.params, record.params) : name;
    const wanted = kept.has(role) ? called(own) : hidden(role);
    const at = await begun.get(role);
    if (at)
      await db('datasets')
        .where({ id: at })
        .update({ name: await freeName(db, wanted, at) });
    const id = at ?? (await stageHandle(db, made(role, wanted), handle, quiet));
    settled.set(role, id);
    const info = await wholeInfo(db, await getDatasetRow(db, id, 'staged'));
    return kindOf(info).open(info, piecesOf(db, id));
  };
  const outcome = await runOn(method, handles, record.params, {
    infos,
    names,
    seed: record.seed,
    memoryLimit: task.memoryLimit,
    isCancelled,
    openSink,
    ...(method.chain ? { settle } : {}),
    onProgress: slice(progress, 0, method.chain ? 1 : 0.8),
  });
  const staged: string[] = [];
  for (const [k, o] of outcome.outputs.entries()) {
    const share = (i: number): number => 0.8 + (0.2 * i) / outcome.outputs.length;
    const ready = settled.get(o.role) ?? (await begun.get(o.role));
    const name = called(nameOf(o.role, outcome.params));
    staged.push(
      ready ?? (await stageHandle(db, made(o.role, name), o.handle, slice(progress, share(k), share(k + 1)))),
    );
  }
  if (isCancelled()) throw new HelkError('run.cancelled', 'It was cancelled; nothing was changed.');
  await publish(db, task.runId, staged, outcome);
  // What was only on the way goes.
  if (method.chain) await discardStaged(db, task.runId);
  return { outputs: staged };
}

const quiet = (): void => undefined;

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
