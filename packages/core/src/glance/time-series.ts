import * as z from 'zod';
import { HelkError } from '../errors';
import type { StackHandle } from '../data/stack-store';
import type { Features } from '../data/features';
import { bandOf } from '../numeric/series-groups';
import { variableAt } from '../methods/time/common';
import { inOrder } from '../render/meanings';
import { defineGlance } from './glance';

const value = z.number().nullable();
const told = (v: ArrayLike<number>): (number | null)[] => Array.from(v, (x) => (x === x ? x : null));

/** Places whose series are told one by one. */
export const MOST_SERIES = 24;
/** Values that are read whole to tell how all places went; of more, places at even distances. */
const MOST_VALUES = 1e7;

/** The group of each place by a column of features that lie row by row with the stack; empty for none. */
function groupsOf(by: Features, column: string, n: number): string[] {
  const c = by.columns.find((o) => o.name === column);
  if (!c || c.values.length !== n)
    throw new HelkError('method.parameter', `by: there is no column "${column}" of the places of this stack.`, 'by');
  return Array.from({ length: n }, (_, i) => (c.missing?.[i] ? '' : String(c.values[i])));
}

/** Series of some places, all of them where memory allows: one of every so many. */
export async function someSeries(
  stack: StackHandle,
  variable: number,
): Promise<{ rows: Uint32Array; series: Float64Array }> {
  const { count, steps } = stack.head;
  const stride = Math.max(1, Math.ceil((count * steps.count) / MOST_VALUES));
  if (stride === 1)
    return { rows: Uint32Array.from({ length: count }, (_, i) => i), series: await stack.series(variable, 0, count) };
  const rows = Uint32Array.from({ length: Math.ceil(count / stride) }, (_, i) => i * stride);
  const series = new Float64Array(rows.length * steps.count);
  for (const [k, i] of rows.entries()) series.set(await stack.series(variable, i, 1), k * steps.count);
  return { rows, series };
}

/** How some places went, and all of them, or each group, together. */
export const timeSeries = defineGlance({
  id: 'time.series',
  question: 'How did these places go, and all of them together?',
  inputs: { stack: { kind: 'stack' }, groups: { kind: 'features', optional: true } },
  params: z.object({
    variable: z.string().max(400).optional(),
    /** Places that are told one by one, from 0. */
    rows: z.array(z.number().int().min(0)).max(MOST_SERIES).default([]),
    /** Column of `groups`. */
    by: z.string().max(400).optional(),
    /** Whether all of them are told as well: that reads them all. */
    bands: z.boolean().default(true),
  }),
  answer: z.object({
    series: z.array(z.object({ row: z.number(), values: z.array(value) })),
    /** Mean, and the values below which one and nine of ten lie, by step: of each group, or of all; of very many, of as many as `count` says. */
    bands: z.array(
      z.object({ key: z.string(), count: z.number(), mean: z.array(value), low: z.array(value), high: z.array(value) }),
    ),
  }),
  run: async ({ stack, groups }, p) => {
    const { head } = stack;
    const variable = variableAt(head, p.variable);
    const series = [];
    for (const row of p.rows)
      if (row < head.count) series.push({ row, values: told(await stack.series(variable, row, 1)) });
    if (!p.bands) return { series, bands: [] };
    const some = await someSeries(stack, variable);
    const of = p.by && groups ? groupsOf(await groups.load(), p.by, head.count) : null;
    const members = new Map<string, number[]>();
    some.rows.forEach((row, k) => {
      const key = of ? of[row]! : '';
      if (of && !key) return;
      const own = members.get(key);
      if (own) own.push(k);
      else members.set(key, [k]);
    });
    const bands = [...members]
      .sort((a, b) => a[0].localeCompare(b[0], 'en', { numeric: true }))
      .map(([key, own]) => {
        const band = bandOf(some.series, head.steps.count, own);
        return { key, count: own.length, mean: told(band.mean), low: told(band.low), high: told(band.high) };
      });
    return { series, bands };
  },
});

/** Lines of a strip; more could not be told apart. */
const LINES = 300;

/** Places by time, one under the other, in an order that lets likeness be seen. */
export const timeStrip = defineGlance({
  id: 'time.strip',
  question: 'How do all places look through time, one under the other?',
  inputs: { stack: { kind: 'stack' }, groups: { kind: 'features', optional: true } },
  params: z.object({
    variable: z.string().max(400).optional(),
    /** By the mean of each place; by when it was highest; by a column of `groups`, then by the mean; or as they stand. */
    order: z.enum(['mean', 'peak', 'column', 'row']).default('mean'),
    by: z.string().max(400).optional(),
    /** Each place by its own range, so that its course is seen whatever its size. */
    own: z.boolean().default(false),
  }),
  answer: z.object({
    /** Places in the order of the lines, from 0. */
    order: z.array(z.number()),
    /** Where the places of each line begin in that order; one more than there are lines. */
    starts: z.array(z.number()),
    /** Mean of the places of a line by step, line by line. */
    values: z.array(value),
    /** What the places of a line are, where they were ordered by a column. */
    keys: z.array(z.string()),
  }),
  run: async ({ stack, groups }, p) => {
    const { head } = stack;
    const t = head.steps.count;
    const { rows, series: held } = await someSeries(stack, variableAt(head, p.variable));
    // A place by its own range is another series; what is held is not written into.
    const series = p.own ? held.slice() : held;
    const n = rows.length;
    const rank = new Float64Array(n);
    for (let k = 0; k < n; k++) {
      const own = series.subarray(k * t, (k + 1) * t);
      let [sum, m, high, at, low] = [0, 0, -Infinity, 0, Infinity];
      own.forEach((v, i) => {
        if (v !== v) return;
        sum += v;
        m++;
        if (v > high) [high, at] = [v, i];
        if (v < low) low = v;
      });
      rank[k] = p.order === 'row' ? k : p.order === 'peak' ? (m ? at : t) : m ? -sum / m : Infinity;
      if (p.own) for (let i = 0; i < t; i++) own[i] = high > low ? (own[i]! - low) / (high - low) : own[i]! - low;
    }
    // A column of a result, or of the places themselves.
    const places = p.order === 'column' && p.by ? await (groups ? groups.load() : stack.places()) : null;
    const of = places && groupsOf(places, p.by!, head.count);
    const keysInOrder =
      of &&
      inOrder(
        [...new Set(of)].sort((a, b) => a.localeCompare(b, 'en', { numeric: true })),
        (k) => k,
      );
    const place = new Map(keysInOrder?.map((k, i) => [k, i]));
    const order = Array.from({ length: n }, (_, k) => k).sort(
      (a, b) => (of ? place.get(of[rows[a]!]!)! - place.get(of[rows[b]!]!)! : 0) || rank[a]! - rank[b]! || a - b,
    );
    const lines = Math.min(LINES, n);
    const starts = Array.from({ length: lines + 1 }, (_, l) => Math.floor((l * n) / Math.max(1, lines)));
    const values: (number | null)[] = [];
    const keys: string[] = [];
    for (let l = 0; l < lines; l++) {
      const own = order.slice(starts[l], starts[l + 1]);
      keys.push(of ? of[rows[own[0]!]!]! : '');
      for (let i = 0; i < t; i++) {
        let [sum, m] = [0, 0];
        for (const k of own) {
          const v = series[k * t + i]!;
          if (v !== v) continue;
          sum += v;
          m++;
        }
        values.push(m ? sum / m : null);
      }
    }
    return { order: order.map((k) => rows[k]!), starts, values, keys };
  },
});
