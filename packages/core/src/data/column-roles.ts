import { namedCoordinate } from './point-columns';

/** Names of numbers that say which or where something is, and measure nothing; in the languages that files come in. */
const NAMES =
  /^(?:(?:.*[_\s.-])?(?:id|fid|gid|uid|oid|objectid|no|nr|num|number|nummer|numero|code|plz|zip|postcode)|id[_\s.-].*|row|column|col|line)$/i;

/** Whether a column of numbers only names or places what it stands beside: an id, a code, a coordinate. */
export const onlyNames = (column: { name: string }): boolean =>
  NAMES.test(column.name.trim()) || namedCoordinate(column.name);

/**
 * The column of numbers that is worked on when nobody says which, and why: measured ones before ids and coordinates, those with a unit before
 * those without. Null where there is none that measures anything.
 */
export function likelyValue<C extends { name: string; type: string; unit?: string | null }>(
  columns: readonly C[],
): { column: C; reason: string } | null {
  const numbers = columns.filter((c) => c.type === 'number');
  const measured = numbers.filter((c) => !onlyNames(c));
  const column = measured.find((c) => c.unit) ?? measured[0];
  if (!column) return null;
  if (numbers.length === 1) return { column, reason: 'the only column of numbers' };
  if (measured.length === 1) return { column, reason: 'the only column of numbers that is no id, code or coordinate' };
  return { column, reason: `the first column of numbers${column.unit ? ' with a unit' : ' that measures something'}` };
}
