import type { Grid } from './raster';
import { featureCount, type Column, type Features } from './features';
import { stepLabels, type TimeSteps } from './time-steps';

/** What is known of every place at every step. */
export interface StackVariable {
  name: string;
  /** Unit symbol; null when not known, empty for a pure number. */
  unit: string | null;
  /** Series one behind the other: `place × steps.count + step`. Not a number where there is none. */
  values: Float64Array;
}

/** Places × equal steps × variables. */
export interface TimeStack {
  kind: 'stack';
  /** Where the places lie, and what else is known of each. */
  places: Features;
  /** The column that names a place; null where places are told by their row, from 1. */
  key: string | null;
  steps: TimeSteps;
  variables: StackVariable[];
  /** Of places that are cells: their grid. Each is told by the column `cell`, row by row from 1. */
  grid: Grid | null;
  /** How it was put together, in words. */
  made: string;
}

/** The column of places that are cells of a grid. */
export const CELL = 'cell';

export const placeCount = (s: TimeStack): number => featureCount(s.places);

/** Names of places as they are written: values of the key, or rows from 1. */
export function placeNames(places: Pick<Features, 'columns' | 'featureOffsets'>, key: string | null): string[] {
  const n = places.featureOffsets.length - 1;
  const c = key === null ? undefined : places.columns.find((o) => o.name === key);
  return Array.from({ length: n }, (_, i) => (c && !c.missing?.[i] ? String(c.values[i]) : String(i + 1)));
}

/** One step of a variable, by place. O(places). */
export function stepOf(s: TimeStack, variable: number, step: number): Float64Array {
  const { values } = s.variables[variable]!;
  const t = s.steps.count;
  const out = new Float64Array(placeCount(s));
  for (let i = 0, k = step; i < out.length; i++, k += t) out[i] = values[k]!;
  return out;
}

/** A column that tells features apart: no value missing, and none twice. */
export function isKey(c: Column): boolean {
  if (c.type === 'boolean' || c.missing?.some((m) => m === 1)) return false;
  const seen = new Set<string | number>();
  for (let i = 0; i < c.values.length; i++) {
    const v = typeof c.values[i] === 'string' ? (c.values[i] as string).trim() : c.values[i]!;
    if (v === '' || v !== v || seen.has(v)) return false;
    seen.add(v);
  }
  return true;
}

/** The stack in long form: a row for each place and step. O(values). */
export function longColumns(s: TimeStack): Column[] {
  const [n, t] = [placeCount(s), s.steps.count];
  const names = placeNames(s.places, s.key);
  const labels = stepLabels(s.steps);
  const location = new Array<string>(n * t);
  const time = new Array<string>(n * t);
  for (let i = 0, r = 0; i < n; i++)
    for (let k = 0; k < t; k++, r++) {
      location[r] = names[i]!;
      time[r] = labels[k]!;
    }
  return [
    { name: LOCATION, type: 'text', unit: null, values: location },
    { name: TIME, type: 'text', unit: null, values: time },
    ...s.variables.map((v) => withMissing({ name: v.name, type: 'number', unit: v.unit, values: v.values })),
  ];
}
export const LOCATION = 'location';
export const TIME = 'time';

/** The places with a column for each variable and step. O(values). */
export function wideColumns(s: TimeStack): Column[] {
  const labels = stepLabels(s.steps);
  return s.variables.flatMap((v, j) =>
    labels.map((label, k) =>
      withMissing({
        name: s.variables.length > 1 || /^\d+$/.test(label) ? `${v.name}_${label}` : label,
        type: 'number',
        unit: v.unit,
        values: stepOf(s, j, k),
      }),
    ),
  );
}

function withMissing(c: Column): Column {
  const values = c.values as Float64Array;
  let missing: Uint8Array | undefined;
  for (let i = 0; i < values.length; i++)
    if (values[i] !== values[i]) (missing ??= new Uint8Array(values.length))[i] = 1;
  return missing ? { ...c, missing } : c;
}
