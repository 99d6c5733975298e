import { z } from 'zod';
import { HelkError } from '../errors';
import { infoOf } from '../data/facts';
import type { Dataset, DatasetInfo } from '../data/dataset';
import { own } from '../data/own';
import { heldBytes } from '../data/size';
import type { Check, Estimate, Figures, InputSpec, Method, Suggestion } from './define';
import { LocalJob, type JobHooks, type Note } from './job';
import { paramSpecs, plainParam } from './params';

/** One entry a role: what stands there, several when the role takes several. */
export type Infos = Record<string, DatasetInfo[]>;

export interface Resolved {
  /** As the method's `run` wants them. */
  values: Record<string, unknown>;
  /** The same in plain form, every default and suggestion written out: what the lineage keeps. */
  plain: Record<string, unknown>;
  suggestions: Record<string, Suggestion>;
}

/** Inputs as a method's functions see them: one, several, or undefined. */
export function byRole<T>(m: Method, held: Record<string, T[]>): Record<string, T | T[] | undefined> {
  const out: Record<string, T | T[] | undefined> = {};
  for (const [role, spec] of Object.entries(m.inputs)) {
    const list = own(held, role) ?? [];
    out[role] = spec.many ? list : list[0];
  }
  return out;
}

/** @throws HelkError `method.input` when a role is unknown, empty, overfull or of the wrong kind. */
export function checkInputs(m: Method, infos: Infos): void {
  for (const role of Object.keys(infos)) {
    if (!Object.hasOwn(m.inputs, role)) {
      throw new HelkError(
        'method.input',
        `${m.id} has no input "${role}"; it takes ${Object.keys(m.inputs).join(', ')}.`,
        role,
      );
    }
  }
  for (const [role, spec] of Object.entries(m.inputs)) {
    const list = own(infos, role) ?? [];
    if (list.length < spec.least) {
      throw new HelkError(
        'method.input',
        list.length === 0
          ? `${m.title} needs ${spec.label.toLowerCase()} (${role}).`
          : `${m.title} needs at least ${spec.least} (${role}).`,
        role,
      );
    }
    if (!spec.many && list.length > 1)
      throw new HelkError('method.input', `${role} takes one dataset, not ${list.length}.`, role);
    for (const info of list) {
      const why = misfit(spec, info);
      if (why) throw new HelkError('method.input', `${role}: ${why}`, role);
    }
  }
}

/** Why a dataset cannot stand in a role, or null when it can. */
export function misfit(spec: InputSpec, info: DatasetInfo): string | null {
  if (info.kind !== spec.kind && !(spec.orFeatures && info.kind === 'features'))
    return `a ${spec.kind === 'features' ? 'feature set' : spec.kind} is wanted, this is a ${info.kind === 'features' ? 'feature set' : info.kind}.`;
  if (info.kind === 'features' && spec.geometry && info.geometry !== spec.geometry) {
    return `${spec.geometry}s are wanted, these are ${info.geometry}s.`;
  }
  if (
    info.kind === 'raster' &&
    spec.band === 'measure' &&
    info.bands[0]?.kind === 'category' &&
    info.bands[0].classes
  ) {
    return 'measured values are wanted, these are classes.';
  }
  return spec.refuses?.(info) ?? null;
}

/**
 * Parameters read, defaults put in, `auto` and absent ones that the data suggest filled with the suggestion.
 *
 * @throws HelkError `method.parameter`, naming the parameter and what was given.
 */
export function resolveParams(m: Method, infos: Infos, given: Record<string, unknown>): Resolved {
  const specs = paramSpecs(m.params);
  for (const name of Object.keys(given)) {
    if (!Object.hasOwn(specs, name)) {
      const names = Object.keys(specs);
      throw new HelkError(
        'method.parameter',
        `${m.id} has no parameter "${name}"; it has ${names.length ? names.join(', ') : 'none'}.`,
        name,
      );
    }
  }
  const inputs = byRole(m, infos) as never;
  const written = Object.create(null) as Record<string, unknown>;
  for (const [k, v] of Object.entries(given)) if (v !== undefined && v !== null && v !== '') written[k] = v;
  const partial: Record<string, unknown> = {};
  for (const name of Object.keys(specs)) {
    if (!(name in written)) continue;
    const one = (m.params.shape[name] as z.ZodType).safeParse(written[name]);
    if (!one.success) throw refusal(name, one.error);
    partial[name] = one.data;
  }
  const suggestions: Record<string, Suggestion> = {};
  for (const [name, s] of Object.entries(m.suggest?.(inputs, partial as never) ?? {})) if (s) suggestions[name] = s;
  for (const [name, s] of Object.entries(suggestions)) {
    if (!(name in written) || written[name] === 'auto') written[name] = s.value;
  }
  const parsed = m.params.safeParse(written);
  if (!parsed.success) {
    const issue = parsed.error.issues[0]!;
    const name = String(issue.path[0] ?? '');
    if (!(name in written))
      throw new HelkError(
        'method.parameter',
        `${m.title} needs ${specs[name]?.label.toLowerCase() ?? name} (${name}).`,
        name,
      );
    throw refusal(name, parsed.error);
  }
  const values = parsed.data as Record<string, unknown>;
  const plain: Record<string, unknown> = {};
  for (const [name, spec] of Object.entries(specs)) {
    if (values[name] !== undefined) plain[name] = plainParam(spec, values[name]);
  }
  return { values, plain, suggestions };
}

function refusal(name: string, error: z.ZodError): HelkError {
  return new HelkError('method.parameter', `${name}: ${error.issues[0]!.message}`, name);
}

export interface Forecast {
  checks: Check[];
  suggestions: Record<string, Suggestion>;
  estimate: Estimate | null;
  plain: Record<string, unknown>;
}

/**
 * Refuses a run whose inputs and work would not fit together, before anything is loaded.
 *
 * @param limit bytes that may be used
 * @throws HelkError `method.memory` with both figures
 */
export function refuseMemory(m: Method, need: Estimate | null, infos: Infos, limit: number): void {
  const bytes =
    (need?.bytes ?? 0) +
    Object.values(infos)
      .flat()
      .reduce((s, i) => s + heldBytes(i), 0);
  if (bytes <= limit) return;
  const gib = (b: number): string => (b / 2 ** 30).toFixed(1);
  throw new HelkError(
    'method.memory',
    `${m.title} would need about ${gib(bytes)} GiB of memory here, its inputs included, and ${gib(limit)} GiB may be used; clip the data or take larger cells.`,
  );
}

/** Checks, suggestions and cost of a run, before it. Throws as `checkInputs` and `resolveParams` do. */
export function forecast(m: Method, infos: Infos, given: Record<string, unknown>): Forecast {
  checkInputs(m, infos);
  const r = resolveParams(m, infos, given);
  const inputs = byRole(m, infos) as never;
  return {
    checks: m.checks?.(inputs, r.values as never) ?? [],
    suggestions: r.suggestions,
    estimate: m.estimate?.(inputs, r.values as never) ?? null,
    plain: r.plain,
  };
}

export interface Outcome {
  outputs: { role: string; name: string; data: Dataset }[];
  figures: Figures;
  notes: Note[];
  params: Record<string, unknown>;
}

/**
 * Runs a method on data in memory: inputs checked, parameters resolved, refusing checks obeyed.
 *
 * @param names names of the inputs by role, for naming the results
 */
export async function runMethod(
  m: Method,
  data: Record<string, Dataset[]>,
  given: Record<string, unknown>,
  hooks: JobHooks & { infos?: Infos; memoryLimit?: number } = {},
): Promise<Outcome> {
  const infos: Infos = hooks.infos ?? {};
  if (!hooks.infos) for (const [role, list] of Object.entries(data)) infos[role] = list.map(infoOf);
  checkInputs(m, infos);
  const r = resolveParams(m, infos, given);
  const checks = m.checks?.(byRole(m, infos) as never, r.values as never) ?? [];
  const no = checks.find((c) => c.level === 'refused');
  if (no) throw new HelkError('method.refused', no.message, no.about ?? null);
  const need = m.estimate?.(byRole(m, infos) as never, r.values as never);
  if (hooks.memoryLimit) refuseMemory(m, need ?? null, infos, hooks.memoryLimit);
  const job = new LocalJob(hooks);
  for (const c of checks) if (c.level === 'look') job.note('look', c.code, c.message);
  job.progress(0, 'starting');
  const result = (await m.run(byRole(m, data) as never, r.values as never, job)) as Record<string, unknown>;
  const base = Object.values(hooks.names ?? {})[0]?.[0];
  const outputs = Object.entries(m.outputs).flatMap(([role, spec]) =>
    spec.optional && !result[role]
      ? []
      : [
          {
            role,
            name:
              m.named && hooks.names
                ? m.named(hooks.names, r.values as never)
                : base && !spec.suffix.startsWith('=')
                  ? `${base} ${spec.suffix}`
                  : spec.label,
            data: result[role] as Dataset,
          },
        ],
  );
  return { outputs, figures: (result['figures'] ?? {}) as Figures, notes: job.notes, params: r.plain };
}
