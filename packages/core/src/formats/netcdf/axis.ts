import { HelkError } from '../../errors';
import { dayNumber } from '../../data/dates';
import { own } from '../../data/own';
import { findUnit } from '../../data/quantity';
import { textOf, type NcFile, type NcVariable } from './container';

/** A horizontal axis of a grid: cell centres, evenly spaced. */
export interface Axis {
  count: number;
  /** Centre of the first cell as stored. */
  first: number;
  /** Signed distance from one centre to the next. */
  step: number;
  /** Degrees of longitude or latitude; otherwise lengths, already in metres. */
  degrees: boolean;
}

export type Direction = 'x' | 'y';

/** Which way a coordinate variable runs, by the CF conventions (section 4): axis, standard name, unit, then usual names. */
export function directionOf(v: NcVariable): Direction | null {
  const axis = textOf(v.attributes['axis']).toUpperCase();
  if (axis === 'X' || axis === 'Y') return axis === 'X' ? 'x' : 'y';
  const standard = textOf(v.attributes['standard_name']);
  if (/^(longitude|grid_longitude|projection_x_coordinate)$/.test(standard)) return 'x';
  if (/^(latitude|grid_latitude|projection_y_coordinate)$/.test(standard)) return 'y';
  const unit = textOf(v.attributes['units']);
  if (/^degrees?_?(east|e)$/i.test(unit)) return 'x';
  if (/^degrees?_?(north|n)$/i.test(unit)) return 'y';
  const short = v.name.split('/').pop()!;
  if (/^(x|lon|long|longitude|easting)$/i.test(short)) return 'x';
  if (/^(y|lat|latitude|northing)$/i.test(short)) return 'y';
  return null;
}

export const isTime = (v: NcVariable): boolean =>
  textOf(v.attributes['axis']).toUpperCase() === 'T' ||
  textOf(v.attributes['standard_name']) === 'time' ||
  /\bsince\b/.test(textOf(v.attributes['units']));

/** The one-dimensional variable that holds a dimension's coordinates. */
export function coordinateOf(file: NcFile, dimension: string): NcVariable | undefined {
  return file.variables.find(
    (v) => v.name === dimension && v.shape.length === 1 && v.type !== 'text' && v.type !== null,
  );
}

/**
 * Reads an axis and makes sure that it is even: centres may stray by a hundredth of a cell, as much as single precision does.
 *
 * @throws HelkError `file.unsupported` when it is not.
 */
export function axisOf(v: NcVariable, file: string): Axis {
  let axis = AXES.get(v);
  if (!axis) AXES.set(v, (axis = readAxis(v, file)));
  return axis;
}

/** Many variables lie on one axis; it is read once. */
const AXES = new WeakMap<NcVariable, Axis>();

function readAxis(v: NcVariable, file: string): Axis {
  if (v.refused) throw new HelkError('file.unsupported', `"${file}": ${v.name} ${v.refused}`, file);
  const values = v.read();
  const n = values.length;
  const unit = textOf(v.attributes['units']);
  const degrees =
    /^degree/i.test(unit) || (unit === '' && /^(lat|lon|long|latitude|longitude)$/i.test(v.name.split('/').pop()!));
  const metres = degrees ? 1 : (findUnit(unit)?.factor ?? 1);
  if (n < 2)
    throw new HelkError('file.unsupported', `"${file}": ${v.name} has ${n} value; a grid needs two or more.`, file);
  const first = Number(values[0]) * metres;
  const last = Number(values[n - 1]) * metres;
  const step = (last - first) / (n - 1);
  if (!Number.isFinite(step))
    throw new HelkError('file.unsupported', `"${file}": places in ${v.name} are no numbers; that is no axis.`, file);
  if (step === 0)
    throw new HelkError('file.unsupported', `"${file}": all places in ${v.name} are the same; that is no axis.`, file);
  let worst = 0;
  for (let i = 0; i < n; i++) {
    const off = Math.abs(Number(values[i]) * metres - (first + step * i));
    if (!(off <= worst)) worst = Number.isFinite(off) ? off : Infinity;
  }
  if (!(worst <= 0.01 * Math.abs(step)))
    throw new HelkError(
      'file.unsupported',
      `"${file}": the places in ${v.name} are not evenly spaced (off by up to ${Number.isFinite(worst) ? Number(worst.toPrecision(2)) : 'no number'} at a step of ${Number(Math.abs(step).toPrecision(4))}); such a grid cannot be taken in as cells.`,
      file,
    );
  return { count: n, first, step: settled(first, last, n), degrees };
}

/** A step that single precision has frayed is taken at its round value (of degrees, minutes or seconds) when that fits as well. */
function settled(first: number, last: number, n: number): number {
  const step = (last - first) / (n - 1);
  const round = [1, 60, 3600]
    .map((per) => Number((step * per).toPrecision(6)) / per)
    .reduce((a, b) => (Math.abs(b - step) < Math.abs(a - step) ? b : a));
  return Math.abs(round - step) * (n - 1) < Math.abs(step) * 0.005 ? round : step;
}

const SPAN: Record<string, number> = {
  day: 864e5,
  hour: 36e5,
  minute: 6e4,
  min: 6e4,
  second: 1e3,
  sec: 1e3,
  s: 1e3,
  h: 36e5,
  d: 864e5,
};

const BEFORE = [0, 31, 59, 90, 120, 151, 181, 212, 243, 273, 304, 334, 365];

/** Milliseconds since 1970 of the date that so many of a calendar without leap days lead to. */
function withoutLeapDays(year: number, month: number, day: number, ms: number): number {
  const days = year * 365 + BEFORE[month - 1]! + day - 1 + Math.floor(ms / 864e5);
  const y = Math.floor(days / 365);
  const rest = days - 365 * y;
  const m = BEFORE.findIndex((b) => b > rest);
  return dayNumber(y, m, rest - BEFORE[m - 1]! + 1) * 864e5 + (ms - Math.floor(ms / 864e5) * 864e5);
}

/** Values of a leading dimension in words: dates for a time axis in a real calendar, else the number with its unit. */
export function stepLabels(v: NcVariable | undefined, count: number): string[] {
  if (!v) return Array.from({ length: count }, (_, i) => `step ${i + 1}`);
  const values = v.type === 'text' || v.type === null ? null : v.read();
  if (!values) return Array.from({ length: count }, (_, i) => `step ${i + 1}`);
  const unit = textOf(v.attributes['units']);
  const calendar = textOf(v.attributes['calendar']) || 'standard';
  const since =
    /^\s*(\w+?)s?\s+since\s+(\d{1,4})-(\d{1,2})-(\d{1,2})(?:[T\s]+(\d{1,2}):(\d{1,2})(?::(\d{1,2}))?)?/i.exec(unit);
  const span = since ? own(SPAN, since[1]!.toLowerCase()) : undefined;
  const origin = since && [since[2], since[3], since[4]].map(Number);
  const clock = since ? Number(since[5] ?? 0) * 36e5 + Number(since[6] ?? 0) * 6e4 + Number(since[7] ?? 0) * 1e3 : 0;
  const [y, m, d] = origin ?? [];
  const whole = since && /^(standard|gregorian|proleptic_gregorian|noleap|365_day)$/.test(calendar);
  const label = (ms: number): string | null => {
    const at = new Date(ms);
    if (Number.isNaN(at.getTime())) return null;
    const text = at.toISOString();
    return text.slice(11, 19) === '00:00:00' ? text.slice(0, 10) : text.slice(0, 16).replace('T', ' ');
  };
  const other = (n: number): string => `${v.name} ${n}`;
  if (whole && span) {
    const noLeap = /^(noleap|365_day)$/.test(calendar);
    return Array.from(values, (n) => {
      const ms = Number(n) * span + clock;
      return label(noLeap ? withoutLeapDays(y!, m!, d!, ms) : dayNumber(y!, m!, d!) * 864e5 + ms) ?? other(Number(n));
    });
  }
  // Months and years of the calendar, as files that are no climate model's have them.
  const months = since && (/^month$/i.test(since[1]!) ? 1 : /^(year|yr)$/i.test(since[1]!) ? 12 : 0);
  if (whole && months)
    return Array.from(
      values,
      (n) => label(dayNumber(y!, m! + Math.floor(Number(n) * months), d!) * 864e5) ?? other(Number(n)),
    );
  return Array.from(values, (n) => `${v.name.split('/').pop()} ${Number(n)}${unit ? ` ${unit}` : ''}`);
}
