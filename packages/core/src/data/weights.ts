import { HelkError } from '../errors';
import { elsewhere, middles } from '../numeric/middles';
import { rowCount, rowNumbers, rowsOf, type Rows } from '../numeric/sparse-rows';
import type { Crs } from './crs';
import { featureCount, FeaturesBuilder, type Features, type FeaturesInfo } from './features';
import { formatNumber } from './number-words';
import { numberColumn } from './table';
import type { WeightsInfo } from './weights-facts';

/** Who is near whom among some features, and how much each counts: sparse rows, one for each feature, tied to where those lie. */
export interface Weights {
  kind: 'weights';
  crs: Crs | null;
  rows: Rows;
  /** Middle of each feature, x, y; not numbers where it is not known, as for weights that come as rows of numbers only. */
  places: Float64Array;
  /** By which rule, in words: `corner or edge`. */
  made: string;
  /** They come from numbers only: there may be more features than the last one named here, all without neighbours. */
  open: boolean;
}

/** Columns of weights that are written as rows, as the catalogue has them. */
export const WEIGHT_COLUMNS = ['from', 'to', 'weight'] as const;

/**
 * Weights as lines from middle to middle with `from`, `to` (rows from 1) and `weight`: what they are stored and drawn as. One without any
 * neighbour has a line of no length, and no weight.
 */
export function weightLines(w: Weights): Features {
  const n = rowCount(w.rows);
  const b = new FeaturesBuilder();
  const [from, to, value]: [number[], number[], number[]] = [[], [], []];
  const known = (i: number): boolean => w.places[2 * i] === w.places[2 * i];
  const add = (i: number, j: number, v: number): void => {
    from.push(i + 1);
    to.push(j + 1);
    value.push(v);
    if (known(i) && known(j)) {
      b.coordinate(w.places[2 * i]!, w.places[2 * i + 1]!);
      b.coordinate(w.places[2 * j]!, w.places[2 * j + 1]!);
      b.endRing();
      b.endPart();
    }
    b.endFeature();
  };
  const { offsets, neighbours, values } = w.rows;
  for (let i = 0; i < n; i++) {
    if (offsets[i] === offsets[i + 1]) add(i, i, NaN);
    for (let k = offsets[i]!; k < offsets[i + 1]!; k++) add(i, neighbours[k]!, values[k]!);
  }
  return b.build('line', w.crs, [numberColumn('from', from), numberColumn('to', to), numberColumn('weight', value)]);
}

/** Weights out of the lines that they were stored as. */
export function weightsOf(lines: Features, info: Pick<WeightsInfo, 'places' | 'made' | 'open'>): Weights {
  const [from, to, weight] = WEIGHT_COLUMNS.map(
    (name) => lines.columns.find((c) => c.name === name)?.values as Float64Array | undefined,
  );
  if (!from || !to || !weight) throw new HelkError('file.damaged', 'The weights lack a column.');
  const n = info.places;
  const places = new Float64Array(2 * n).fill(NaN);
  const [f, t, v]: [number[], number[], number[]] = [[], [], []];
  for (let k = 0; k < from.length; k++) {
    const [i, j] = [from[k]! - 1, to[k]! - 1];
    if (!(i >= 0 && i < n && j >= 0 && j < n))
      throw new HelkError('file.damaged', 'Weights name rows that are not there.');
    const at = lines.ringOffsets[lines.partOffsets[lines.featureOffsets[k]!]!]!;
    if (lines.featureOffsets[k] !== lines.featureOffsets[k + 1]) {
      places[2 * i] = lines.xy[2 * at]!;
      places[2 * i + 1] = lines.xy[2 * at + 1]!;
    }
    if (weight[k] !== weight[k]) continue;
    f.push(i);
    t.push(j);
    v.push(weight[k]!);
  }
  return { kind: 'weights', crs: lines.crs, rows: rowsOf(n, f, t, v), places, made: info.made, open: info.open };
}

/** Rows as they stand in a file. */
export function weightRows(w: Weights): { from: Float64Array; to: Float64Array; weight: Float64Array } {
  return {
    from: Float64Array.from(rowNumbers(w.rows), (i) => i + 1),
    to: Float64Array.from(w.rows.neighbours, (i) => i + 1),
    weight: w.rows.values,
  };
}

/**
 * Weights from rows of a file, whose features are not known.
 *
 * @throws HelkError `file.content` where a row is none
 */
export function weightsFromRows(
  from: ArrayLike<number>,
  to: ArrayLike<number>,
  weight: ArrayLike<number>,
  where = 'the file',
): Weights {
  let n = 0;
  const seen = new Set<number>();
  for (let k = 0; k < from.length; k++) {
    const bad = (what: string): never => {
      throw new HelkError('file.content', `Row ${k + 1} of ${where}: ${what}`, where);
    };
    const [i, j] = [from[k]!, to[k]!];
    for (const [name, v] of [
      ['from', i],
      ['to', j],
    ] as const)
      if (!(Number.isInteger(v) && v >= 1 && v <= MOST_PLACES))
        bad(`"${name}" is ${v}; rows of features are counted from 1.`);
    if (!Number.isFinite(weight[k])) bad('there is no weight.');
    if (weight[k]! < 0) bad(`a weight is ${weight[k]}; weights are not below 0.`);
    n = Math.max(n, i, j);
    const key = i * MOST_PLACES * 2 + j;
    if (seen.has(key)) bad(`the link from ${i} to ${j} stands there twice.`);
    seen.add(key);
  }
  const less = (v: number): number => v - 1;
  return {
    kind: 'weights',
    crs: null,
    rows: rowsOf(n, Array.from(from, less), Array.from(to, less), weight),
    places: new Float64Array(2 * n).fill(NaN),
    made: 'read from a file',
    open: true,
  };
}

const MOST_PLACES = 20_000_000;
/** Why weights are not of these features, as far as descriptions tell; null where they may be. */
export function notOf(w: WeightsInfo, f: FeaturesInfo): string | null {
  const of = `${formatNumber(w.places)} features`;
  if (w.open)
    return w.places > f.count
      ? `The weights name feature ${formatNumber(w.places)}; there are only ${formatNumber(f.count)}.`
      : null;
  if (w.places !== f.count) return `The weights are of ${of}, not of these ${formatNumber(f.count)}.`;
  return null;
}

/**
 * The rows of weights for features, as many as there are features.
 *
 * @throws HelkError `method.input` where they were made from others: other in number, place or order
 */
export function rowsFor(w: Weights, f: Features): Rows {
  const n = featureCount(f);
  const refuse = (message: string): never => {
    throw new HelkError('method.input', message, 'weights');
  };
  const m = rowCount(w.rows);
  if (w.open) {
    if (m > n) refuse(`The weights name feature ${m}; there are only ${n}.`);
    const offsets = new Uint32Array(n + 1).fill(w.rows.offsets[m]!);
    offsets.set(w.rows.offsets);
    return { ...w.rows, offsets };
  }
  if (m !== n) refuse(`The weights are of ${m} features, not of these ${n}.`);
  const others = elsewhere(middles(f), w.places);
  if (others)
    refuse(
      `The weights were made from other features: ${others === n ? 'none' : `${n - others} of ${n}`} of these lie where those did, in that order. Make them anew from these.`,
    );
  return w.rows;
}
