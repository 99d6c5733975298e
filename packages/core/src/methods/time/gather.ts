import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import type { DatesRead } from '../../data/date-columns';
import { isoText, type Precision } from '../../data/dates';
import { formatNumber } from '../../data/number-words';
import {
  stepAt,
  stepLabel,
  stepsOver,
  stepStart,
  stepText,
  type StepLength,
  type TimeSteps,
} from '../../data/time-steps';
import type { Job } from '../../method/job';
import { readDate } from '../../data/dates';
import { wholeOf } from './common';

export type Aggregate = 'count' | 'sum' | 'mean';

/** Rows that have a place and a date: where, when, and what they count for. */
export interface Dated {
  /** Number of the place, or below 0 for none. */
  place: Int32Array;
  /** Seconds since 1970, not a number without a date. */
  at: Float64Array;
  /** Values of each variable; none where rows are counted. */
  values: Float64Array[];
}

/** Adds rows up into places and steps. O(rows). */
export function gathered(d: Dated, places: number, steps: TimeSteps, how: Aggregate): Float64Array[] {
  const t = steps.count;
  const slots = new Int32Array(d.at.length).fill(-1);
  let last = NaN;
  let lastStep = -1;
  for (let r = 0; r < slots.length; r++) {
    const [i, at] = [d.place[r]!, d.at[r]!];
    if (i < 0 || at !== at) continue;
    // Rows of a day stand together more often than not.
    if (at !== last) [last, lastStep] = [at, stepAt(steps, at)];
    if (lastStep >= 0 && lastStep < t) slots[r] = i * t + lastStep;
  }
  if (how === 'count') {
    const out = new Float64Array(places * t);
    for (let r = 0; r < slots.length; r++) if (slots[r]! >= 0) out[slots[r]!]!++;
    return [out];
  }
  return d.values.map((v) => {
    const sum = new Float64Array(places * t);
    const n = new Uint32Array(places * t);
    for (let r = 0; r < slots.length; r++) {
      const k = slots[r]!;
      if (k < 0 || v[r] !== v[r]) continue;
      sum[k]! += v[r]!;
      n[k]!++;
    }
    if (how === 'mean') for (let k = 0; k < sum.length; k++) sum[k] = n[k] ? sum[k]! / n[k]! : NaN;
    return sum;
  });
}

/** Rows that say the same as an earlier one: place, moment and values alike. O(n) */
export function doubledRows(columns: readonly Float64Array[], n: number): number {
  const bits = columns.map((c) => new Uint32Array(c.buffer, c.byteOffset, 2 * n));
  let size = 16;
  while (size < 2 * n) size *= 2;
  const table = new Int32Array(size).fill(-1);
  const same = (a: number, b: number): boolean =>
    columns.every((c) => c[a] === c[b] || (c[a] !== c[a] && c[b] !== c[b]));
  let doubled = 0;
  for (let i = 0; i < n; i++) {
    let h = 0;
    for (const b of bits) for (let k = 2 * i; k < 2 * i + 2; k++) h = Math.imul(h ^ b[k]!, 0x9e3779b1) ^ (h >>> 15);
    let at = (h ^ (h >>> 13)) & (size - 1);
    while (table[at]! >= 0 && !same(table[at]!, i)) at = (at + 1) & (size - 1);
    if (table[at]! >= 0) doubled++;
    else table[at] = i;
  }
  return doubled;
}

interface Wished {
  step: StepLength;
  start: string | undefined;
  end: string | undefined;
  partial: 'keep' | 'drop';
}

/**
 * Steps that hold what lies between the first and the last moment, or between those that were asked for; first and last ones that are only
 * partly told by the data are said, and dropped on request.
 *
 * @throws HelkError `method.parameter`, `method.input` where there is no date at all
 */
export function stepsFor(at: Float64Array, wish: Wished, job: Job): TimeSteps {
  let [first, last, n] = [Infinity, -Infinity, 0];
  for (const v of at)
    if (v === v) {
      if (v < first) first = v;
      if (v > last) last = v;
      n++;
    }
  if (!n) throw new HelkError('method.input', 'No row has a date that can be read.', 'dateColumn');
  const from = wish.start === undefined ? first : readDate(wish.start)!.seconds;
  const to = wish.end === undefined ? last : readDate(wish.end)!.seconds + wholeOf(wish.end) - 1;
  if (to < from)
    throw new HelkError(
      'method.parameter',
      `end: ${wish.end ?? isoText(to, 'day')} lies before ${wish.start ?? isoText(from, 'day')}.`,
      'end',
    );
  let steps = stepsOver(from, to, wish.step, wish.start === undefined ? undefined : from);
  const gap = n > 1 ? (last - first) / (n - 1) : 0;
  const rhythm = rhythmOf(at);
  const length = (k: number): number => stepStart(steps, k + 1) - stepStart(steps, k);
  // With events at random as much of a gap before the first one, or behind the last, comes once in 150 times; what comes by a rhythm is whole
  // where its next moment would lie beyond.
  const lacks = (seconds: number, k: number): boolean => seconds > Math.max(5 * gap, 1.5 * rhythm, 0.02 * length(k));
  const end = steps.count - 1;
  const early = wish.start === undefined && lacks(first - stepStart(steps, 0), 0);
  const late =
    lacks(stepStart(steps, steps.count) - (wish.end === undefined ? last : to), end) &&
    stepStart(steps, steps.count) - to > 1;
  const partly = [
    ...(early ? [`the first (${stepLabel(steps, 0)}) from ${isoText(first, 'day')} on`] : []),
    ...(late
      ? [`the last (${stepLabel(steps, end)}) up to ${isoText(wish.end === undefined ? last : to, 'day')}`]
      : []),
  ];
  if (!partly.length) return steps;
  if (wish.partial === 'drop' && steps.count > partly.length) {
    steps = { ...steps, start: steps.start + (early ? steps.every : 0), count: steps.count - partly.length };
    job.note('info', 'stack.partialDropped', `Only told in part, and dropped: ${partly.join('; ')}.`);
  } else
    job.note(
      'look',
      'stack.partial',
      `Only told in part: ${partly.join('; ')}. What it adds up to is less than of a whole ${stepText(steps)}; such steps can be dropped.`,
    );
  return steps;
}

/** Moments that are looked at for a rhythm; more are so near each other that it does not matter. */
const MOST_MOMENTS = 1e6;

/** The usual distance from one moment to the next, seconds. O(n log n) */
function rhythmOf(at: Float64Array): number {
  if (at.length > MOST_MOMENTS) return 0;
  const sorted = at.filter((v) => v === v).sort();
  const gaps: number[] = [];
  for (let k = 1; k < sorted.length; k++) if (sorted[k]! > sorted[k - 1]!) gaps.push(sorted[k]! - sorted[k - 1]!);
  return gaps.length ? gaps.sort((a, b) => a - b)[gaps.length >> 1]! : 0;
}

const FINER: Record<Precision, number> = { year: 360, month: 28, day: 1, second: 0 };

/** Says what dates there are, and refuses steps that they cannot tell apart. @throws HelkError `method.parameter` */
export function noteDates(d: DatesRead, column: string, step: StepLength, job: Job): void {
  const days = step.unit === 'month' ? step.every * 30 : step.unit === 'day' ? step.every : step.every / 86_400;
  if (days < FINER[d.precision] && d.precision !== 'second')
    throw new HelkError(
      'method.parameter',
      `step: dates such as ${d.formats.at(-1)!.format} say no more than the ${d.precision}; a ${stepText(step)} cannot be told from them.`,
      'step',
    );
  if (d.unreadable)
    job.note(
      'look',
      'dates.unreadable',
      `${plural(d.unreadable, 'row')} of "${column}" ${d.unreadable === 1 ? 'has' : 'have'} no date that can be read and ${d.unreadable === 1 ? 'does' : 'do'} not count, such as ${d.examples.map((e) => `"${e}"`).join(', ')}.`,
    );
  if (d.missing)
    job.note(
      'look',
      'dates.missing',
      `${plural(d.missing, 'row')} without a date ${d.missing === 1 ? 'does' : 'do'} not count.`,
    );
  if (d.formats.length > 1)
    job.note(
      'look',
      'dates.mixed',
      `Dates are written in ${d.formats.length} ways: ${d.formats.map((f) => `${f.format} (${formatNumber(f.count)})`).join(', ')}.`,
    );
  if (d.ambiguous)
    job.note(
      'look',
      'dates.either',
      `In none of the dates of "${column}" it can be told whether the day or the month stands first; the day was taken. Say so if it is the month.`,
    );
}

export const stepsTold = (s: TimeSteps): { from: string; to: string } => ({
  from: stepLabel(s, 0),
  to: stepLabel(s, s.count - 1),
});
