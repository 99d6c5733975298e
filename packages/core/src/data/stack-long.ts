import { HelkError } from '../errors';
import { datesOf } from './date-columns';
import { isKey, LOCATION, TIME, type TimeStack } from './stack';
import { featureCount, type Column, type ColumnInfo, type Features } from './features';
import { commonStep, stepAt, stepLabel, stepsOver } from './time-steps';

/** Whether columns are those of a time stack in long form. */
export const isLong = (columns: readonly Pick<ColumnInfo, 'name' | 'type'>[]): boolean =>
  columns.length > 2 &&
  columns[0]!.name === LOCATION &&
  columns[1]!.name === TIME &&
  columns.slice(2).every((c) => c.type === 'number');

/** The head of a file of such rows. */
export const LONG_HEAD = /^\uFEFF?"?location"?,"?time"?,/;

const text = (c: Column, i: number): string => (c.missing?.[i] ? '' : String(c.values[i]).trim());

/**
 * A time stack from its long form and its places. The key is the column of the places that has every location of the rows; without one
 * locations are rows from 1.
 *
 * @throws HelkError `file.content` where a row is none: no place or date, or one that stood there before
 */
export function stackOfLong(columns: readonly Column[], places: Features, where: string): TimeStack {
  const refuse = (message: string): never => {
    throw new HelkError('file.content', `"${where}": ${message}`, where);
  };
  const [location, time, ...rest] = columns as [Column, Column, ...Column[]];
  const n = featureCount(places);
  const rows = location.values.length;
  if (!rows) refuse('there is no row.');
  const names = new Map<string, number>();
  for (let r = 0; r < rows; r++) {
    const name = text(location, r);
    if (!names.has(name)) names.set(name, r);
  }
  // Written by row or by a column: that which has them in the order of the rows, else that which has them all.
  const order = [...names.keys()];
  const byRow = Array.from({ length: n }, (_, i) => String(i + 1));
  const keys = places.columns
    .filter(isKey)
    .map((column): Named => ({ column, own: Array.from({ length: n }, (_, i) => text(column, i)) }));
  const ways: Named[] = [...keys, { column: null, own: byRow }];
  const has = (w: Named): boolean => {
    const all = new Set(w.own);
    return order.every((name) => all.has(name));
  };
  const way = ways.find((w) => order.every((name, i) => w.own[i] === name)) ?? ways.find(has) ?? ways.at(-1)!;
  const placeOf = new Map<string, number>(way.own.map((name, i) => [name, i]));
  for (const [name, r] of names)
    if (!placeOf.has(name))
      refuse(`row ${r + 1}: there is no place "${name.slice(0, 40)}" among the ${n} that lie beside.`);
  const dates = datesOf(time, 'auto', TIME);
  const odd = dates.at.findIndex((v) => v !== v);
  if (odd >= 0) refuse(`row ${odd + 1}: "${text(time, odd).slice(0, 40)}" is no date.`);
  const moments = new Set(dates.at);
  const [first, last] = [dates.at.reduce((a, b) => Math.min(a, b)), dates.at.reduce((a, b) => Math.max(a, b))];
  const steps = stepsOver(first, last, commonStep(moments, dates.precision), first);
  if (n * steps.count * rest.length > MOST_VALUES)
    refuse(`${n} places by ${steps.count} steps are more than can be held; are the dates even?`);
  const variables = rest.map((c) => ({
    name: c.name,
    unit: c.unit,
    values: new Float64Array(n * steps.count).fill(NaN),
  }));
  const seen = new Uint8Array(n * steps.count);
  for (let r = 0; r < rows; r++) {
    const at = placeOf.get(text(location, r))! * steps.count + stepAt(steps, dates.at[r]!);
    if (seen[at]++)
      refuse(
        `row ${r + 1}: "${text(location, r).slice(0, 40)}" stands there twice at ${stepLabel(steps, stepAt(steps, dates.at[r]!))}.`,
      );
    rest.forEach((c, j) => {
      if (!c.missing?.[r]) variables[j]!.values[at] = c.values[r] as number;
    });
  }
  return {
    kind: 'stack',
    places,
    key: way.column?.name ?? null,
    steps,
    variables,
    grid: null,
    made: 'read from a file',
  };
}

const MOST_VALUES = 5e8;

/** A way in which places are named: by a column, or by row. */
interface Named {
  column: Column | null;
  own: string[];
}
