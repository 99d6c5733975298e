import { featureArea, featureLength } from '../data/measure';
import { type Column, type ColumnInfo, type Features } from '../data/features';
import { findUnit } from '../data/quantity';
import type { Table } from '../data/table';
import { BLOCK, compile, type Compiled, type FormulaColumn, type FormulaNames } from './compile';
import { FormulaError, GEOMETRY_FUNCTIONS, parseFormula } from './parse';

/** A column as a formula sees it: numbers with NaN for missing, texts with null, truth as 1 and 0. */
function formulaColumn(c: Column): FormulaColumn {
  if (c.type === 'text')
    return c.missing ? (c.values as string[]).map((v, i) => (c.missing![i] ? null : v)) : (c.values as string[]);
  const v = c.values as Float64Array;
  return c.missing ? v.map((x, i) => (c.missing![i] ? NaN : x)) : v;
}

/** Names of a formula over the rows of features or a table. */
export function namesOver(d: Features | Table): FormulaNames {
  const held = new Map<string, FormulaColumn>();
  const by = new Map(d.columns.map((c) => [c.name, c]));
  return {
    known: d.columns.map((c) => c.name),
    isText: (n) => by.get(n)?.type === 'text',
    column: (n) => {
      const c = by.get(n);
      if (!c) return undefined;
      let v = held.get(n);
      if (!v) held.set(n, (v = formulaColumn(c)));
      return v;
    },
    ...(d.kind === 'features' ? { geometry: (fn: string, unit: string | null) => measured(d, fn, unit) } : {}),
  };
}

/** The same names without rows, for checking before anything is loaded. */
export function namesOfColumns(columns: readonly ColumnInfo[], geometry: boolean): FormulaNames {
  const by = new Map(columns.map((c) => [c.name, c]));
  return {
    known: columns.map((c) => c.name),
    isText: (n) => by.get(n)?.type === 'text',
    column: (n) => (by.has(n) ? [] : undefined),
    ...(geometry
      ? {
          geometry: (fn: string, unit: string | null) => {
            factorOf(fn, unit);
            return [];
          },
        }
      : {}),
  };
}

function factorOf(fn: string, unit: string | null): number {
  const dimension = GEOMETRY_FUNCTIONS[fn]![0];
  if (dimension === 'place' || unit === null) return 1;
  const u = findUnit(unit);
  if (u?.dimension !== dimension)
    throw new FormulaError(`"${unit}" is no unit of ${dimension}; write like ${fn}(${GEOMETRY_FUNCTIONS[fn]![1]}).`, 0);
  return 1 / u.factor;
}

function measured(f: Features, fn: string, unit: string | null): Float64Array {
  const k = factorOf(fn, unit);
  const n = f.featureOffsets.length - 1;
  const out = new Float64Array(n).fill(NaN);
  for (let i = 0; i < n; i++) {
    if (f.featureOffsets[i] === f.featureOffsets[i + 1]) continue;
    if (fn === 'area') out[i] = featureArea(f, i) * k;
    else if (fn === 'length') out[i] = featureLength(f, i) * k;
    else {
      // The middle of the corners' box; for a point the point itself.
      const a = f.ringOffsets[f.partOffsets[f.featureOffsets[i]!]!]!;
      const b = f.ringOffsets[f.partOffsets[f.featureOffsets[i + 1]!]!]!;
      let low = Infinity;
      let high = -Infinity;
      for (let c = a; c < b; c++) {
        const v = f.xy[2 * c + (fn === 'x' ? 0 : 1)]!;
        if (v < low) low = v;
        if (v > high) high = v;
      }
      out[i] = (low + high) / 2;
    }
  }
  return out;
}

/** All rows of a compiled formula: numbers with NaN for missing, or texts with null. O(rows). */
export function evaluate(c: Compiled, rows: number): Float64Array | (string | null)[] {
  if (c.type === 'number') {
    const out = new Float64Array(rows);
    const block = new Float64Array(BLOCK);
    for (let s = 0; s < rows; s += BLOCK) {
      const k = Math.min(BLOCK, rows - s);
      c.step(s, k, block);
      out.set(block.subarray(0, k), s);
    }
    return out;
  }
  const out: (string | null)[] = [];
  const block: (string | null)[] = [];
  for (let s = 0; s < rows; s += BLOCK) {
    const k = Math.min(BLOCK, rows - s);
    c.step(s, k, block);
    for (let i = 0; i < k; i++) out.push(block[i]!);
  }
  return out;
}

export const rowsOf = (d: Features | Table): number =>
  d.kind === 'features' ? d.featureOffsets.length - 1 : (d.columns[0]?.values.length ?? 0);

/**
 * A formula worked out for every row.
 *
 * @example evaluateOver(features, 'area(ha) > 20 && class == "moor"')
 * @throws FormulaError
 */
export const evaluateOver = (d: Features | Table, text: string): Float64Array | (string | null)[] =>
  evaluate(compile(parseFormula(text), namesOver(d)), rowsOf(d));

/** Rows for which a formula holds: 1, 0, or 0 where it is missing. @throws FormulaError when it gives a text. */
export function rowsWhere(d: Features | Table, text: string): Uint8Array {
  const v = evaluateOver(d, text);
  if (!(v instanceof Float64Array))
    throw new FormulaError('A choice of features needs a condition, like area(ha) > 20; this gives a text.', 0);
  return Uint8Array.from(v, (x) => (x !== 0 && x === x ? 1 : 0));
}

/** Labels of every feature by a formula; a name alone stands for the column. */
export function labelsOver(d: Features, text: string): (string | null)[] {
  const v = evaluateOver(d, text);
  return v instanceof Float64Array ? Array.from(v, (x) => (x === x ? String(Number(x.toPrecision(10))) : null)) : v;
}
