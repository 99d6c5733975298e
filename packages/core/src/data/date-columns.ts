import { HelkError } from '../errors';
import { numberDate, PRECISIONS, readDate, type DateOrder, type Precision, type ReadDate } from './dates';
import type { Column } from './features';

/** What the dates of a column are. */
export interface DatesRead {
  /** Beginning of each, seconds since 1970; not a number where there is none that can be read. */
  at: Float64Array;
  /** Rows without anything. */
  missing: number;
  /** Rows with something that is no date, and the first of them as they stand. */
  unreadable: number;
  examples: string[];
  /** How they are written, the most frequent first. */
  formats: { format: string; count: number }[];
  /** The coarsest of them: nothing finer can be told from all. */
  precision: Precision;
  /** Day and month could stand either way in all of them: the day was taken first. */
  ambiguous: boolean;
}

/** What opens a date whose day and month may stand either way. */
const EITHER = /^\s*(\d{1,2})[/-](\d{1,2})[/-]\d{4}/;

/**
 * Reads a column of dates. Whether `03/04/2020` is in March or April is told from the whole column, where any of them can only be the one.
 *
 * @throws HelkError `method.parameter` where some can only be the one and some only the other, or none is a date
 */
export function datesOf(c: Column, order: DateOrder, param: string): DatesRead {
  const n = c.values.length;
  const out: DatesRead = {
    at: new Float64Array(n).fill(NaN),
    missing: 0,
    unreadable: 0,
    examples: [],
    formats: [],
    precision: 'second',
    ambiguous: false,
  };
  const texts = c.type === 'text' ? (c.values as string[]) : null;
  const monthFirst = texts ? monthsFirst(texts, order, c.name, param, out) : false;
  const formats = new Map<string, number>();
  let coarsest = PRECISIONS.length - 1;
  // The same date stands in many rows.
  const known = new Map<string, ReadDate | null>();
  for (let i = 0; i < n; i++) {
    const text = texts ? texts[i]! : '';
    if (c.missing?.[i] || (texts ? text.trim() === '' : c.values[i] !== c.values[i])) {
      out.missing++;
      continue;
    }
    let d: ReadDate | null | undefined;
    if (texts) {
      d = known.get(text);
      if (d === undefined) {
        d = readDate(text, monthFirst) ?? numberText(text);
        if (known.size < MOST_KNOWN) known.set(text, d);
      }
    } else d = c.type === 'boolean' ? null : numberDate(c.values[i] as number);
    if (!d) {
      out.unreadable++;
      const shown = texts ? text.trim().slice(0, 40) : String(c.values[i]);
      if (out.examples.length < 3 && !out.examples.includes(shown)) out.examples.push(shown);
      continue;
    }
    out.at[i] = d.seconds;
    formats.set(d.format, (formats.get(d.format) ?? 0) + 1);
    coarsest = Math.min(coarsest, PRECISIONS.indexOf(d.precision));
  }
  out.precision = PRECISIONS[coarsest]!;
  out.formats = [...formats].map(([format, count]) => ({ format, count })).sort((a, b) => b.count - a.count);
  if (!out.formats.length && n > out.missing)
    throw new HelkError(
      'method.parameter',
      `${param}: none of "${c.name}" is a date, such as ${out.examples.map((e) => `"${e}"`).join(', ')}; write dates like 2024-03-31, 2024-03 or 2024.`,
      param,
    );
  return out;
}

const MOST_KNOWN = 100_000;

/** Numbers that came as text, but for years, which are read as such. */
function numberText(text: string): ReadDate | null {
  return /^\d+(\.\d+)?$/.test(text.trim()) ? numberDate(Number(text)) : null;
}

function monthsFirst(
  texts: readonly string[],
  order: DateOrder,
  column: string,
  param: string,
  out: DatesRead,
): boolean {
  let [either, dayFirst, monthFirst] = [0, '', ''];
  for (const t of texts) {
    const m = EITHER.exec(t);
    if (!m) continue;
    either++;
    if (Number(m[1]) > 12) dayFirst ||= t.trim();
    if (Number(m[2]) > 12) monthFirst ||= t.trim();
  }
  if (order !== 'auto') return order === 'monthFirst';
  if (dayFirst && monthFirst)
    throw new HelkError(
      'method.parameter',
      `${param}: in "${column}" some dates have the day first ("${dayFirst.slice(0, 40)}") and some the month ("${monthFirst.slice(0, 40)}"); say which of the two is meant, the others cannot be read.`,
      param,
    );
  out.ambiguous = either > 0 && !dayFirst && !monthFirst;
  return monthFirst !== '';
}
