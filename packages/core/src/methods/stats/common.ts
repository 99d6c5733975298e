import type { Check } from '../../data/check';
import type { Column, ColumnInfo, Features } from '../../data/features';
import { numberColumn, type Table } from '../../data/table';
import { valueChecks, valuesOf } from './values';

/**
 * Columns of numbers by their names, or worked out by formulas; all there are where none is named.
 *
 * @throws HelkError `method.parameter` for one that is not there or has no numbers
 */
export function numberColumns(d: Features | Table, names: readonly string[] | undefined, param: string): Column[] {
  if (!names?.length) return d.columns.filter((c) => c.type === 'number');
  return names.map((name) => {
    const { values, unit } = valuesOf(d, name, param);
    return numberColumn(name, values, unit);
  });
}

/** The same before the run, as checks. @param least columns that are wanted */
export function numberChecks(
  columns: readonly ColumnInfo[],
  names: readonly string[] | undefined,
  param: string,
  least: number,
): Check[] {
  const found = valueChecks(columns, names ?? [], param);
  if (found.length) return found;
  const n = names?.length ? new Set(names).size : columns.filter((c) => c.type === 'number').length;
  return n < least
    ? [
        {
          level: 'refused',
          code: 'column.few',
          about: param,
          message:
            least === 1
              ? 'None of the columns has numbers.'
              : `${least} columns of numbers are wanted; there ${n === 1 ? 'is one' : `are ${n}`}.`,
        },
      ]
    : [];
}
