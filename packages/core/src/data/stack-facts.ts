import { columnInfo } from './column-facts';
import type { Crs, Extent } from './crs-record';
import { featureCount, featuresExtent, type ColumnInfo, type GeometryType } from './features';
import type { Grid } from './raster';
import type { TimeStack } from './stack';
import type { TimeSteps } from './time-steps';

/** What there is to know of a variable without its values. */
export interface StackVariableInfo {
  name: string;
  unit: string | null;
  /** Values that are there, places × steps together. */
  count: number;
  missing: number;
  zeros: number;
  /** Null where there is no value. */
  min: number | null;
  max: number | null;
  mean: number | null;
  /** Values below which 0, 1, 2 … 100 of a hundred lie, over all steps (of a sample where there are many): one scale for every step. */
  spread: number[];
  /** How they are stored. */
  type: 'float32' | 'float64';
}

/** What there is to know of a time stack without its bulk. */
export interface StackInfo {
  kind: 'stack';
  crs: Crs | null;
  extent: Extent | null;
  geometry: GeometryType;
  /** Places. */
  count: number;
  /** Of the places. */
  columns: ColumnInfo[];
  key: string | null;
  steps: TimeSteps;
  variables: StackVariableInfo[];
  grid: Grid | null;
  made: string;
  /** Places without any value, of any variable. */
  empty: number;
  /** Steps at which no place has any. */
  emptySteps: number;
}

/** Values whose spread is told exactly; beyond, one of every so many. */
const MOST_SORTED = 2_000_000;

export function stackInfo(s: TimeStack): StackInfo {
  const [n, t] = [featureCount(s.places), s.steps.count];
  const placeHas = new Uint8Array(n);
  const stepHas = new Uint8Array(t);
  const variables = s.variables.map((v): StackVariableInfo => {
    const { values } = v;
    let [count, zeros, min, max, sum] = [0, 0, Infinity, -Infinity, 0];
    let single = true;
    for (let i = 0, k = 0; i < n; i++)
      for (let step = 0; step < t; step++, k++) {
        const x = values[k]!;
        if (x !== x) continue;
        count++;
        placeHas[i] = 1;
        stepHas[step] = 1;
        if (x === 0) zeros++;
        if (x < min) min = x;
        if (x > max) max = x;
        sum += x;
        if (single && Math.fround(x) !== x) single = false;
      }
    return {
      name: v.name,
      unit: v.unit,
      count,
      missing: n * t - count,
      zeros,
      min: count ? min : null,
      max: count ? max : null,
      mean: count ? sum / count : null,
      spread: spreadOf(values, count),
      type: single ? 'float32' : 'float64',
    };
  });
  const none = (has: Uint8Array): number => has.reduce((m, v) => m + (v ? 0 : 1), 0);
  return {
    kind: 'stack',
    crs: s.places.crs,
    extent: featuresExtent(s.places),
    geometry: s.places.geometry,
    count: n,
    columns: s.places.columns.map(columnInfo),
    key: s.key,
    steps: s.steps,
    variables,
    grid: s.grid,
    made: s.made,
    empty: none(placeHas),
    emptySteps: none(stepHas),
  };
}

function spreadOf(values: Float64Array, count: number): number[] {
  if (!count) return [];
  // A step that shares nothing with the number of steps of a series goes through all of its parts.
  const stride = count > MOST_SORTED ? Math.ceil(count / MOST_SORTED) * 2 + 1 : 1;
  const some = new Float64Array(Math.ceil(values.length / stride));
  let m = 0;
  for (let k = 0; k < values.length; k += stride) if (values[k] === values[k]) some[m++] = values[k]!;
  const sorted = some.subarray(0, m).sort();
  return m ? Array.from({ length: 101 }, (_, k) => sorted[Math.round((k * (m - 1)) / 100)]!) : [];
}
