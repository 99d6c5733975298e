import { HelkError } from '../errors';
import type { Note } from '../data/check';
import { handleOn, kindOf, type AnyHandle, type Dataset } from '../data/kinds';
import { own } from '../data/own';
import type { StepDone } from './chain';
import type { Figures, Method } from './define';
import { LocalJob, type JobHooks } from './job';
import { byRole, foresee, refuseMemory, type Infos } from './resolve';

export interface RunHooks extends JobHooks {
  /** Descriptions of the inputs, where they are known already; else they are worked out. */
  infos?: Infos;
  /** Bytes a run may need. */
  memoryLimit?: number;
  /** Of a method that is made of others: takes what a step has made to where it is kept; the next steps read it from there. In memory where not given. */
  settle?: (role: string, name: string, handle: AnyHandle) => Promise<AnyHandle>;
}

export interface Made<T> {
  outputs: (T & { role: string; name: string })[];
  figures: Figures;
  notes: Note[];
  params: Record<string, unknown>;
  /** Of a method that is made of others. */
  steps?: StepDone[];
}
export type Outcome = Made<{ data: Dataset }>;

/**
 * Runs a method on handles: inputs checked, parameters resolved, refusing checks obeyed, memory counted before anything is loaded.
 *
 * @param hooks.names names of the inputs by role, for naming the results
 */
export async function runOn(
  m: Method,
  handles: Record<string, AnyHandle[]>,
  given: Record<string, unknown>,
  hooks: RunHooks = {},
): Promise<Made<{ handle: AnyHandle }>> {
  const infos = hooks.infos ?? (await studied(handles));
  const f = foresee(m, infos, given);
  const no = f.checks.find((c) => c.level === 'refused');
  if (no) throw new HelkError('method.refused', no.message, no.about ?? null);
  if (hooks.memoryLimit) refuseMemory(m, f.estimate, infos, hooks.memoryLimit);
  if (m.chain) return m.chain(handles, f.plain, { ...hooks, infos });
  const job = new LocalJob(hooks);
  for (const c of f.checks) if (c.level === 'look') job.note('look', c.code, c.message);
  job.progress(0, 'starting');
  const inputs = await inputsOf(m, handles);
  const result = (await m.run(byRole(m, inputs) as never, f.resolved.values as never, job)) as Record<string, unknown>;
  const base = Object.values(hooks.names ?? {})[0]?.[0];
  const outputs: { role: string; name: string; handle: AnyHandle }[] = [];
  for (const [role, spec] of Object.entries(m.outputs)) {
    if (spec.optional && !result[role]) continue;
    const name =
      m.named && hooks.names
        ? m.named(hooks.names, f.resolved.values as never, role)
        : base && !spec.suffix.startsWith('=')
          ? `${base} ${spec.suffix}`
          : spec.label;
    outputs.push({ role, name, handle: await job.result(result[role] as Dataset) });
  }
  return { outputs, figures: told((result['figures'] ?? {}) as Figures), notes: job.notes, params: f.plain };
}

/** Figures as they can be quoted: what is no number, as the mean of nothing, is not told. */
const told = (figures: Figures): Figures =>
  Object.fromEntries(
    Object.entries(figures).map(([name, v]) => [name, typeof v === 'number' && !Number.isFinite(v) ? null : v]),
  );

/** Descriptions of all inputs. */
export async function studied(handles: Record<string, AnyHandle[]>): Promise<Infos> {
  const infos: Infos = {};
  for (const [role, list] of Object.entries(handles)) {
    infos[role] = [];
    for (const h of list) infos[role].push(await kindOf(h).study(h));
  }
  return infos;
}

/** What the method is given: handles where it reads in parts, else what they hold; one band where it works on one. */
async function inputsOf(m: Method, handles: Record<string, AnyHandle[]>): Promise<Record<string, unknown[]>> {
  const out: Record<string, unknown[]> = {};
  for (const [role, list] of Object.entries(handles)) {
    const spec = own(m.inputs, role)!;
    const given: unknown[] = [];
    for (const h of list) {
      const kind = kindOf(h);
      const handle = spec.bands !== 'all' && kind.pick ? kind.pick(h, 0) : h;
      given.push(spec.parts ? handle : await handle.load());
    }
    out[role] = given;
  }
  return out;
}

/** The same on data in memory, into memory. */
export async function runMethod(
  m: Method,
  data: Record<string, Dataset[]>,
  given: Record<string, unknown>,
  hooks: RunHooks = {},
): Promise<Outcome> {
  const handles = Object.fromEntries(Object.entries(data).map(([role, list]) => [role, list.map(handleOn)]));
  const made = await runOn(m, handles, given, hooks);
  const outputs: Outcome['outputs'] = [];
  for (const { handle, ...o } of made.outputs) outputs.push({ ...o, data: await handle.load() });
  return { ...made, outputs };
}
