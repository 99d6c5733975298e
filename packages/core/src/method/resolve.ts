import * as z from 'zod';
import { HelkError } from '../errors';
import { own } from '../data/own';
import type { Estimate, Method, Suggestion } from './define';
import { misfit } from './misfit';
import { paramSpecs, plainParam } from './params';
import type { Check } from '../data/check';
import { kindOf, type DatasetInfo } from '../data/kinds';

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

/**
 * Inputs as the method works on them: where it takes one band, that of those which have several and none was chosen is the first, and that
 * is said.
 */
export function narrowed(m: Method, infos: Infos): { infos: Infos; checks: Check[] } {
  const out: Infos = {};
  const checks: Check[] = [];
  for (const [role, list] of Object.entries(infos)) {
    out[role] = list.map((info) => {
      const kind = kindOf(info);
      const bands = kind.bands?.(info) ?? [];
      if (own(m.inputs, role)?.bands === 'all' || bands.length < 2) return info;
      checks.push({
        level: 'look',
        code: 'band.first',
        about: role,
        message: `It has ${bands.length} bands and none is chosen; the first is taken, ${bands[0]!}.`,
      });
      return kind.pickInfo!(info, 0);
    });
  }
  return { infos: out, checks };
}

/**
 * What was said of the data on their arrival and bears on what is computed from them; of an input of many once for all that it is true of.
 * A method that mends it has nothing to say of it.
 */
function doubts(m: Method, infos: Infos): Check[] {
  const all: Check[] = [];
  for (const [role, list] of Object.entries(infos)) {
    const told = new Map<string, { check: Check; of: number[] }>();
    list.forEach((info, i) => {
      for (const check of kindOf(info).doubts?.(info) ?? []) {
        if (check.mend?.run?.method === m.id) continue;
        const key = check.mend?.label ?? check.message;
        const same = told.get(key);
        if (same) same.of.push(i);
        else told.set(key, { check, of: [i] });
      }
    });
    for (const { check, of } of told.values()) {
      const which =
        list.length < 2 ? '' : of.length < 2 ? `Number ${of[0]! + 1}: ` : `In ${of.length} of ${list.length}: `;
      const run = check.mend?.run;
      all.push({
        ...check,
        about: role,
        message: which + check.message,
        ...(run
          ? { mend: { ...check.mend!, run: { ...run, input: role, ...(list.length > 1 ? { each: of } : {}) } } }
          : {}),
      });
    }
  }
  return all;
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
  /** Of what is still being written, why it cannot run yet. */
  refused?: { message: string; path: string | null };
}

/** Memory a run needs, its inputs included where they are loaded whole. */
function needOf(m: Method, need: Estimate | null, infos: Infos): number {
  let bytes = need?.bytes ?? 0;
  for (const [role, list] of Object.entries(infos))
    if (!own(m.inputs, role)?.parts) for (const i of list) bytes += kindOf(i).heldBytes(i);
  return bytes;
}

/**
 * Refuses a run whose inputs and work would not fit together, before anything is loaded.
 *
 * @param limit bytes that may be used
 * @throws HelkError `method.memory` with both figures
 */
export function refuseMemory(m: Method, need: Estimate | null, infos: Infos, limit: number): void {
  const bytes = needOf(m, need, infos);
  if (bytes <= limit) return;
  const gib = (b: number): string => (b / 2 ** 30).toFixed(1);
  throw new HelkError(
    'method.memory',
    `${m.title} would need about ${gib(bytes)} GiB of memory here, its inputs included, and ${gib(limit)} GiB may be used; clip the data or take larger cells.`,
  );
}

/** Checks, suggestions and cost of a run, before it. Throws as `checkInputs` and `resolveParams` do. */
export function forecast(m: Method, infos: Infos, params: Record<string, unknown>): Forecast {
  const { resolved: _, ...told } = foresee(m, infos, params);
  return told;
}

/** The same with the values that the run itself takes. */
export function foresee(m: Method, given: Infos, params: Record<string, unknown>): Forecast & { resolved: Resolved } {
  const { infos, checks } = narrowed(m, given);
  checkInputs(m, infos);
  const resolved = resolveParams(m, infos, params);
  const inputs = byRole(m, infos) as never;
  return {
    checks: [...checks, ...doubts(m, infos), ...(m.checks?.(inputs, resolved.values as never) ?? [])],
    suggestions: resolved.suggestions,
    estimate: m.estimate?.(inputs, resolved.values as never) ?? null,
    plain: resolved.plain,
    resolved,
  };
}
