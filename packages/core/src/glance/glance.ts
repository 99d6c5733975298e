import type * as z from 'zod';
import type { AnyHandle, DatasetKind, Kinds } from '../data/kinds';
import { HelkError } from '../errors';
import type { Job } from '../method/job';

/** What a glance looks at. */
export interface Seen<N extends DatasetKind = DatasetKind> {
  kind: N;
  /** It can do without. */
  optional?: true;
}

type Given<I extends Record<string, Seen>> = {
  [K in keyof I]: Kinds[I[K]['kind']]['handle'] | (I[K] extends { optional: true } ? null : never);
};

/**
 * A small question to data that somebody is looking at, answered at once from what is stored; nothing is made, nothing is kept. What is
 * worth keeping is a method's business.
 */
export interface Glance<
  I extends Record<string, Seen> = Record<string, Seen>,
  P extends z.ZodObject = z.ZodObject,
  A extends z.ZodType = z.ZodType,
> {
  id: string;
  question: string;
  inputs: I;
  params: P;
  answer: A;
  run(inputs: Given<I>, params: z.output<P>, job: Job): Promise<z.output<A>>;
}

export const defineGlance = <const I extends Record<string, Seen>, P extends z.ZodObject, A extends z.ZodType>(
  g: Glance<I, P, A>,
): Glance<I, P, A> => g;

/**
 * Answers a glance.
 *
 * @throws HelkError `method.input` for an input that is missing or of another kind, `method.parameter` for a parameter
 */
export async function glanceAt(
  g: Glance,
  handles: Record<string, AnyHandle>,
  params: Record<string, unknown>,
  job: Job,
): Promise<unknown> {
  const given: Record<string, AnyHandle | null> = {};
  for (const [role, seen] of Object.entries(g.inputs)) {
    const h = handles[role];
    if (!h && !seen.optional) throw new HelkError('method.input', `${role}: nothing is given.`, role);
    if (h && h.kind !== seen.kind)
      throw new HelkError('method.input', `${role}: a ${seen.kind} is wanted, this is a ${h.kind}.`, role);
    given[role] = h ?? null;
  }
  const p = g.params.safeParse(params);
  if (!p.success) {
    const issue = p.error.issues[0]!;
    const at = issue.path.join('.');
    throw new HelkError('method.parameter', `${at || 'parameters'}: ${issue.message}`, at || null);
  }
  return g.run(given as never, p.data as never, job);
}
