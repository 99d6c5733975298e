import type { Column } from './features';

/** Something in a feed that the specification does not allow, or that cannot be. */
export interface Fault {
  /** Without its ending. */
  file: string;
  /** As a spreadsheet counts: the names of the columns are row 1. Null where it is about the file. */
  row: number | null;
  column: string | null;
  /** A clause: what is wrong, with the value. */
  message: string;
  /** What it is about cannot be used, or is only odd. */
  level: 'error' | 'warning';
}

/**
 * A public transport timetable: the files of a GTFS feed as columns. Times are seconds, latitudes, distances and counts numbers; everything else
 * is text as it was given. Files that nothing is known about are kept as they are.
 */
export interface Timetable {
  kind: 'timetable';
  /** By name without ending; rows in the order of the file. */
  files: Record<string, Column[]>;
  /** What stood in the feed beside them, by its whole name. */
  others: Record<string, Uint8Array>;
  /** What was found wrong while it was read. */
  faults: Fault[];
}

/** Rows of a file of a feed; 0 where there is none. */
export const rowsIn = (t: Pick<Timetable, 'files'>, file: string): number => t.files[file]?.[0]?.values.length ?? 0;

/** Texts of a column; empty ones where it is not there. */
export function textsOf(t: Pick<Timetable, 'files'>, file: string, column: string): readonly string[] {
  const c = t.files[file]?.find((o) => o.name === column);
  return c && Array.isArray(c.values) ? c.values : (new Array<string>(rowsIn(t, file)).fill('') as string[]);
}

/** Numbers of a column; NaN where there is none. */
export function numbersOf(t: Pick<Timetable, 'files'>, file: string, column: string): Float64Array {
  const c = t.files[file]?.find((o) => o.name === column);
  return c && !Array.isArray(c.values) ? c.values : new Float64Array(rowsIn(t, file)).fill(NaN);
}
