import { HelkError } from '../errors';
import { own } from './own';
import { DAY, dateParts, dayNumber, FIRST_MONDAY, isoText, readDate, type Precision } from './dates';

/** A length of a step: months of the calendar, days, or seconds of a clock. */
export interface StepLength {
  unit: 'month' | 'day' | 'second';
  every: number;
}

/** Equal steps, one after the other. */
export interface TimeSteps extends StepLength {
  /** Beginning of the first: months, days or seconds since 1970. */
  start: number;
  count: number;
}

/** Steps of one stack. */
export const MOST_STEPS = 100_000;

const WORDS: Record<string, StepLength> = {
  s: { unit: 'second', every: 1 },
  sec: { unit: 'second', every: 1 },
  second: { unit: 'second', every: 1 },
  min: { unit: 'second', every: 60 },
  minute: { unit: 'second', every: 60 },
  h: { unit: 'second', every: 3600 },
  hour: { unit: 'second', every: 3600 },
  d: { unit: 'day', every: 1 },
  day: { unit: 'day', every: 1 },
  week: { unit: 'day', every: 7 },
  month: { unit: 'month', every: 1 },
  quarter: { unit: 'month', every: 3 },
  year: { unit: 'month', every: 12 },
  decade: { unit: 'month', every: 120 },
};
const NUMBERS: Record<string, number> = { one: 1, two: 2, three: 3, four: 4, five: 5, six: 6, ten: 10 };

/**
 * A step as it is written: `month`, `3 months`, `four weeks`, `15 min`.
 *
 * @throws HelkError `method.parameter`
 */
export function stepOfText(text: string): StepLength {
  const m = /^\s*(\d+|[a-z]+(?=\s))?\s*([a-z]+)\s*$/i.exec(text);
  const word = m?.[2]!.toLowerCase();
  const unit = word ? (own(WORDS, word) ?? own(WORDS, word.replace(/s$/, ''))) : undefined;
  const count = m?.[1] === undefined ? 1 : (own(NUMBERS, m[1].toLowerCase()) ?? Number(m[1]));
  if (!unit || !(Number.isInteger(count) && count > 0 && count < 1e6))
    throw new HelkError(
      'method.parameter',
      `"${text.slice(0, 60)}" is no step of time; write day, week, 4 weeks, month, quarter, year, 10 years, 6 h or 15 min.`,
    );
  return { unit: unit.unit, every: unit.every * count };
}

/** A step in words that read back as the same: `month`, `4 weeks`. */
export function stepText({ unit, every }: StepLength): string {
  const named = (size: number, word: string): string | null =>
    every % size === 0 ? (every === size ? word : `${every / size} ${word}s`) : null;
  if (unit === 'month')
    return (every === 3 ? 'quarter' : null) ?? (every % 12 ? null : named(12, 'year')) ?? named(1, 'month')!;
  if (unit === 'day') return named(7, 'week') ?? named(1, 'day')!;
  if (every % 3600 === 0) return every === 3600 ? 'hour' : `${every / 3600} h`;
  return every % 60 === 0 ? `${every / 60} min` : `${every} s`;
}

/** Months since 1970, days since then, or seconds, of a moment; parts of months and days are dropped. */
function place(seconds: number, unit: StepLength['unit']): number {
  if (unit === 'second') return seconds;
  const day = Math.floor(seconds / DAY);
  if (unit === 'day') return day;
  const p = dateParts(day);
  return (p.year - 1970) * 12 + p.month - 1;
}

/** Seconds since 1970 of the beginning of a place. */
function momentAt(at: number, unit: StepLength['unit']): number {
  if (unit === 'second') return at;
  return (unit === 'day' ? at : dayNumber(1970, at + 1, 1)) * DAY;
}

/** Where the step that holds a moment begins: years in January, quarters with the year, weeks on a Monday, others counted from 1970. */
export function alignedStart(seconds: number, { unit, every }: StepLength): number {
  const at = place(seconds, unit);
  // Several weeks or days have no place of their own in the calendar: they begin with what is there, weeks on a Monday.
  if (unit === 'day') return every % 7 === 0 ? at - mod(at - FIRST_MONDAY, 7) : at;
  // The beginning of 1970 is that of a month, a quarter, a year and a decade.
  return at - mod(at, every);
}
const mod = (a: number, b: number): number => ((a % b) + b) % b;

/** Steps that hold all from one moment to another, both within. @param start where the first begins; aligned with the calendar when not given */
export function stepsOver(from: number, to: number, length: StepLength, start?: number): TimeSteps {
  const first = start === undefined ? alignedStart(from, length) : place(start, length.unit);
  const count = Math.floor((place(to, length.unit) - first) / length.every) + 1;
  if (!(count >= 1)) throw new HelkError('method.parameter', 'The end lies before the start.', 'end');
  if (count > MOST_STEPS)
    throw new HelkError(
      'method.parameter',
      `From ${isoText(from, 'day')} to ${isoText(to, 'day')} by ${stepText(length)} are ${count} steps; at most ${MOST_STEPS} are taken.`,
      'step',
    );
  return { ...length, start: first, count };
}

/** The step that a moment lies in; below 0 or beyond the last where in none. */
export const stepAt = (s: TimeSteps, seconds: number): number =>
  Math.floor((place(seconds, s.unit) - s.start) / s.every);

/** Seconds since 1970 at which a step begins; `count` for the end of the last. */
export const stepStart = (s: TimeSteps, step: number): number => momentAt(s.start + step * s.every, s.unit);

/** As much of a date as the beginning of each step needs. */
export function stepPrecision(s: TimeSteps): Precision {
  if (s.unit === 'month') return s.every % 12 === 0 && mod(s.start, 12) === 0 ? 'year' : 'month';
  return s.unit === 'day' ? 'day' : 'second';
}

/** A step by its beginning, as long as it takes: `1982`, `1999-01`, `1999-01-31`. */
export const stepLabel = (s: TimeSteps, step: number): string => isoText(stepStart(s, step), stepPrecision(s));
export const stepLabels = (s: TimeSteps): string[] => Array.from({ length: s.count }, (_, k) => stepLabel(s, k));

/**
 * The step that is meant by a text: a date that lies in it, or one of its own length.
 *
 * @throws HelkError `method.parameter` where there is none
 */
export function stepMeant(s: TimeSteps, text: string, param: string): number {
  const d = readDate(text);
  const step = d ? stepAt(s, d.seconds) : NaN;
  if (step >= 0 && step < s.count) return step;
  throw new HelkError(
    'method.parameter',
    `${param}: ${d ? `${text.trim()} lies in none of the steps` : `"${text.slice(0, 40)}" is no date`}; they run from ${stepLabel(s, 0)} to ${stepLabel(s, s.count - 1)}.`,
    param,
  );
}

/** How many steps make a year; 0 where no whole number does. */
export function stepsAYear({ unit, every }: StepLength): number {
  if (unit === 'month') return 12 % every === 0 ? 12 / every : 0;
  if (unit === 'day') return every === 1 ? 365 : every === 7 ? 52 : every === 28 ? 13 : 0;
  return 0;
}

const gcd = (a: number, b: number): number => (b ? gcd(b, a % b) : a);

/**
 * The longest equal steps that tell some moments apart: of years, months, days or seconds by their precision. Moments of one a month, or
 * a year, on whatever day make steps of months; those at one time of day steps of days. A single moment is a step of its precision.
 */
export function commonStep(moments: Iterable<number>, precision: Precision): StepLength {
  const all = [...new Set(moments)].sort((a, b) => a - b);
  const of = (unit: StepLength['unit'], least = 1): StepLength => {
    let every = 0;
    for (let k = 1; k < all.length; k++) every = gcd(place(all[k]!, unit) - place(all[k - 1]!, unit), every);
    return { unit, every: every || least };
  };
  if (precision === 'year') return of('month', 12);
  const finest = of(precision === 'month' ? 'month' : precision === 'day' ? 'day' : 'second');
  const coarser: StepLength['unit'][] =
    finest.unit === 'second' ? ['day', 'month'] : finest.unit === 'day' ? ['month'] : [];
  let best = finest;
  for (const unit of coarser) {
    const places = all.map((m) => place(m, unit));
    if (all.length < 2 || new Set(places).size < all.length) break;
    const c = of(unit);
    const count = (s: StepLength): number => (place(all.at(-1)!, s.unit) - place(all[0]!, s.unit)) / s.every + 1;
    // Coarser ones are what is meant where finer ones would mostly be empty, or all begin together.
    const together = all.every((m) => momentAt(place(m, unit), unit) === m);
    const days = aboutDays(best);
    const meant =
      unit === 'day' ? best.unit === 'second' && best.every % DAY === 0 : days > 28.5 && days < 31.5 && c.every === 1;
    if (together || meant || count(best) > 1.5 * count(c)) best = c;
  }
  return best;
}

/** The step that gives a history of dated events enough of both: not more than about 120 steps, not fewer than a dozen where there can be. */
export function stepForEvents(from: number, to: number, precision: Precision): StepLength {
  const days = (to - from) / DAY;
  const fits: [number, string][] = [
    [3, '3 h'],
    [20, 'day'],
    [200, 'week'],
    [365 * 12, 'month'],
    [365 * 30, 'quarter'],
    [Infinity, 'year'],
  ];
  const wish = stepOfText(fits.find(([most]) => days <= most)![1]);
  const least: Record<Precision, StepLength> = {
    year: { unit: 'month', every: 12 },
    month: { unit: 'month', every: 1 },
    day: { unit: 'day', every: 1 },
    second: wish,
  };
  return aboutDays(wish) < aboutDays(least[precision]) ? least[precision] : wish;
}

/** Length of a step in days, about. */
export const aboutDays = ({ unit, every }: StepLength): number =>
  unit === 'month' ? every * 30.44 : unit === 'day' ? every : every / DAY;

/** Some steps with a short date each, at even distances, for an axis: beginnings of years where there are several. */
export function markedSteps(s: TimeSteps, most: number): { step: number; text: string }[] {
  const years: number[] = [];
  let year = NaN;
  for (let k = 0; k < s.count; k++) {
    const y = dateParts(Math.floor(stepStart(s, k) / DAY)).year;
    if (y !== year) years.push(k);
    year = y;
  }
  const byYear = years.length > 2 && s.count > years.length;
  const all = byYear ? years : Array.from({ length: s.count }, (_, k) => k);
  const every = Math.max(1, Math.ceil(all.length / Math.max(1, most)));
  return all
    .filter((_, i) => i % every === 0)
    .map((step) => ({ step, text: byYear ? stepLabel(s, step).slice(0, 4) : stepLabel(s, step) }));
}
