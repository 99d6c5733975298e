import { HelkError } from '../errors';

/** What is needed of an SQLite library; Node surfaces hand one in. */
export interface SqliteFile {
  all(sql: string, ...values: unknown[]): Record<string, unknown>[];
  each(sql: string): IterableIterator<unknown[]>;
  run(sql: string, rows?: Iterable<unknown[]>): void;
  bytes(): Uint8Array;
  close(): void;
}

let opener: ((bytes: Uint8Array | null) => SqliteFile) | null = null;

/** Brings the SQLite library. */
export function useSqlite(open: (bytes: Uint8Array | null) => SqliteFile): void {
  opener = open;
}

export function openSqlite(bytes: Uint8Array | null, name: string): SqliteFile {
  if (!opener) throw new HelkError('file.unsupported', `"${name}" is a GeoPackage, which is not read here.`, name);
  return opener(bytes);
}

export const quoted = (s: string): string => `"${s.replace(/"/g, '""')}"`;

/** What stands before the unit of a column in its description. */
export const UNIT = 'unit: ';
