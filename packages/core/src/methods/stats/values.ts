import { HelkError } from '../../errors';
import type { Check } from '../../data/check';
import type { Column, ColumnInfo, Features } from '../../data/features';
import type { Table } from '../../data/table';
import { compile } from '../../formula/compile';
import { evaluateOver, namesOfColumns } from '../../formula/over-features';
import { FormulaError, parseFormula } from '../../formula/parse';
import { column, columns } from '../../method/params';

interface Asked {
  label: string;
  of: string;
  help?: string;
}

/** A column of numbers, or a formula over columns: `log(income)`, `cases / people * 1000`. */
export const valueParam = (o: Asked) => column({ ...o, numeric: true, formula: true });
/** Several of them; commas within brackets belong to a formula. */
export const valuesParam = (o: Asked) => columns({ ...o, numeric: true, formula: true });

/** One number a row, missing ones not numbers, with the unit where it is known. */
export interface Values {
  name: string;
  unit: string | null;
  values: Float64Array;
}

const numeric = (c: Pick<Column, 'type'>): boolean => c.type !== 'text';

/**
 * What a column or a formula gives for every row. Infinite results are missing.
 *
 * @throws HelkError `method.parameter` where there is no such column, or the formula is none or gives a text
 */
export function valuesOf(d: Features | Table, text: string, param: string): Values {
  const c = d.columns.find((o) => o.name === text);
  if (c) {
    if (!numeric(c)) throw new HelkError('method.parameter', `${param}: "${text}" has no numbers but text.`, param);
    const v = c.values as Float64Array;
    return {
      name: text,
      unit: c.unit,
      values: v.map((x, i) => (c.missing?.[i] || !Number.isFinite(x) ? NaN : x)),
    };
  }
  const v = worked(text, param, () => evaluateOver(d, text));
  if (!(v instanceof Float64Array))
    throw new HelkError('method.parameter', `${param}: "${text}" gives a text, not a number.`, param);
  return { name: text, unit: null, values: v.map((x) => (Number.isFinite(x) ? x : NaN)) };
}

function worked<T>(text: string, param: string, work: () => T): T {
  try {
    return work();
  } catch (e) {
    if (e instanceof FormulaError)
      throw new HelkError(
        'method.parameter',
        `${param}: "${text}" is neither a column of numbers nor a formula over them: ${e.message}`,
        param,
      );
    throw e;
  }
}

/** The same before the run, as checks. @param geometry whether formulas may ask for areas and places */
export function valueChecks(
  columns: readonly ColumnInfo[],
  texts: readonly (string | undefined)[],
  param: string,
  geometry = true,
): Check[] {
  const refused = (code: string, message: string): Check[] => [{ level: 'refused', code, about: param, message }];
  for (const text of texts) {
    if (text === undefined) continue;
    const c = columns.find((o) => o.name === text);
    if (c && !numeric(c)) return refused('column.text', `"${text}" has no numbers but text.`);
    if (c) continue;
    try {
      if (worked(text, param, () => compile(parseFormula(text), namesOfColumns(columns, geometry))).type !== 'number')
        return refused('column.text', `"${text}" gives a text, not a number.`);
    } catch (e) {
      if (!(e instanceof HelkError)) throw e;
      return refused('column.none', e.message.replace(`${param}: `, ''));
    }
  }
  return [];
}
