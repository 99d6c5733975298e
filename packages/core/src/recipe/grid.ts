import Papa from 'papaparse';
import { HelkError } from '../errors';
import { delimitedRows } from '../formats/delimited-rows';
import { encodingOf } from '../formats/reader';

/** Bytes of a run table. */
const MOST_BYTES = 2 ** 25;

/**
 * The cells of a run table in a file, as they are written: delimited text or a spreadsheet (its first sheet).
 *
 * @throws HelkError `table.invalid`, or `file.damaged`
 */
export async function gridIn(bytes: Uint8Array, name: string): Promise<string[][]> {
  if (bytes.length > MOST_BYTES)
    throw new HelkError(
      'table.invalid',
      `"${name}" is too large for a run table; at most ${MOST_BYTES / 2 ** 20} MiB.`,
      name,
    );
  if (bytes[0] === 0x50 && bytes[1] === 0x4b) return sheetIn(bytes, name);
  const rows: string[][] = [];
  for (const p of delimitedRows(bytes, encodingOf(bytes, []), name).pieces()) rows.push(...p.rows);
  if (rows[0]?.[0]) rows[0][0] = rows[0][0].replace(/^\uFEFF/, '');
  if (rows.some((r) => r.some((c) => c.includes('\0'))))
    throw new HelkError('table.invalid', `"${name}" is no text; a run table is CSV or xlsx.`, name);
  return rows;
}

async function sheetIn(bytes: Uint8Array, name: string): Promise<string[][]> {
  const { readSheet } = await import('read-excel-file/universal');
  let rows: unknown[][];
  try {
    rows = await readSheet(new Blob([bytes.slice()]) as never);
  } catch {
    throw new HelkError('table.invalid', `"${name}" cannot be read as a spreadsheet.`, name);
  }
  const text = (v: unknown): string =>
    v === null || v === undefined
      ? ''
      : v instanceof Date
        ? v.toISOString().slice(0, 10)
        : String(v as string | number);
  return rows.map((r) => r.map(text));
}

/** Rows of cells as delimited text; what a spreadsheet would take for a formula is told as text. */
export const csvOf = (rows: readonly (readonly string[])[]): string =>
  Papa.unparse(rows as string[][], { newline: '\n', escapeFormulae: /^[=@\t\r]|^[+-](?![\d.])/ }) + '\n';
