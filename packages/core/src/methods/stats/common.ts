import { HelkError } from '../../errors';
import type { Column } from '../../data/features';
import type { Check } from '../../data/check';
import type { ColumnInfo } from '../../data/features';

/**
 * Columns of numbers by their names, all of them where none is named.
 *
 * @throws HelkError `method.parameter` for one that is not there or has no numbers
 */
export function numberColumns(
  columns: readonly Column[],
  names: readonly string[] | undefined,
  param: string,
): Column[] {
  if (!names?.length) return columns.filter((c) => c.type === 'number');
  return names.map((name) => {
    const c = columns.find((o) => o.name === name);
    if (!c) throw new HelkError('method.parameter', `${param}: there is no column "${name}".`, param);
    if (c.type !== 'number')
      throw new HelkError(
        'method.parameter',
        `${param}: "${name}" has no numbers but ${c.type === 'text' ? 'text' : 'yes and no'}.`,
        param,
      );
    return c;
  });
}

/** The same before the run, as checks. @param least columns that are wanted */
export function numberChecks(
  columns: readonly ColumnInfo[],
  names: readonly string[] | undefined,
  param: string,
  least: number,
): Check[] {
  const refused = (code: string, message: string): Check => ({ level: 'refused', code, about: param, message });
  const numeric = columns.filter((c) => c.type === 'number');
  for (const name of names ?? []) {
    const c = columns.find((o) => o.name === name);
    if (!c) return [refused('column.none', `There is no column "${name}".`)];
    if (c.type !== 'number') return [refused('column.text', `"${name}" has no numbers.`)];
  }
  const n = names?.length ? new Set(names).size : numeric.length;
  return n < least
    ? [
        refused(
          'column.few',
          least === 1
            ? 'None of the columns has numbers.'
            : `${least} columns of numbers are wanted; there ${n === 1 ? 'is one' : `are ${n}`}.`,
        ),
      ]
    : [];
}
