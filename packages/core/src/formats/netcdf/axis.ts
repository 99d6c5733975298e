import { HelkError } from '../../errors';
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
  if (since && span && /^(standard|gregorian|proleptic_gregorian)$/.test(calendar)) {
    const origin = new Date(0);
    origin.setUTCFullYear(Number(since[2]), Number(since[3]) - 1, Number(since[4]));
    origin.setUTCHours(Number(since[5] ?? 0), Number(since[6] ?? 0), Number(since[7] ?? 0));
    return Array.from(values, (n) => {
      const d = new Date(origin.getTime() + Number(n) * span);
      if (Number.isNaN(d.getTime())) return `${v.name} ${Number(n)}`;
      const text = d.toISOString();
      return text.slice(11, 19) === '00:00:00' ? text.slice(0, 10) : text.slice(0, 16).replace('T', ' ');
    });
  }
  return Array.from(values, (n) => `${v.name.split('/').pop()} ${Number(n)}${unit ? ` ${unit}` : ''}`);
}
