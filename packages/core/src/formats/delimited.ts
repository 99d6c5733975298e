import Papa from 'papaparse';
import { HelkError } from '../errors';
import { featureCount, valueOf, type Column, type Features } from '../data/features';
import { coordinateColumns, namedLongitude, pointsOfColumns } from '../data/point-columns';
import { tableRows, type Table } from '../data/table';
import type { Note } from '../method/job';
import { baseName, headText, readsAsNumber, wholeText, type FileFormat } from './reader';

/**
 * Delimited text with a header line: comma, semicolon or tab, decimal point or comma, quotes, byte-order mark. With a pair of
 * coordinate columns it becomes points, without one a table. Coordinates that fit longitude and latitude under such names
 * are taken as WGS 84; others need a system to be given.
 */
export const delimited: FileFormat = {
  id: 'delimited',
  title: 'Delimited text',
  extensions: ['csv', 'tsv', 'txt'],
  sniff: (b, name) => {
    const head = headText(b);
    return head !== null && /\.(csv|tsv|txt)$/i.test(name) && /[,;\t]/.test(head.split(/\r?\n/)[0] ?? '');
  },
  read: (bytes, name, options) => {
    const notes: Note[] = [];
    const text = wholeText(bytes, notes);
    const first = text.slice(0, text.search(/\r?\n|$/));
    const delimiter = [';', '\t', ','].map((d) => ({ d, n: first.split(d).length })).sort((a, b) => b.n - a.n)[0]!.d;
    const parsed = Papa.parse<string[]>(text, { delimiter, skipEmptyLines: 'greedy' });
    const quote = parsed.errors.find((e) => e.type === 'Quotes');
    if (quote)
      throw new HelkError(
        'file.damaged',
        `"${name}": a quotation mark in line ${(quote.row ?? 0) + 1} is never closed.`,
        name,
      );
    const [header, ...rows] = parsed.data;
    if (!header || rows.length === 0)
      throw new HelkError('file.content', `"${name}" has a header line but no rows.`, name);
    const names = uniqueNames(header);
    const ragged = rows.findIndex((r) => r.length !== header.length);
    if (ragged >= 0) {
      const n = rows.filter((r) => r.length !== header.length).length;
      notes.push({
        level: 'look',
        code: 'rows.ragged',
        message: `${n} of ${rows.length} rows have another number of fields than the header (the first is row ${ragged + 2}); absent fields are missing.`,
      });
    }
    const decimalComma = delimiter !== ',' && looksDecimalComma(rows);
    const columns = names.map((n, i) => columnOf(n, rows, i, decimalComma));
    const at = coordinateColumns(columns);
    if (!at) {
      notes.push({
        level: 'info',
        code: 'table.noCoordinates',
        message:
          'No pair of coordinate columns (like x and y, or longitude and latitude) was found; it is taken as a table. Points from a table (features.fromTable) places rows by columns named otherwise.',
      });
      return Promise.resolve([{ name: baseName(name), data: { kind: 'table', columns }, notes }]);
    }
    const { points, placeless } = pointsOfColumns(columns, at, options.crs ?? null);
    if (placeless)
      notes.push({
        level: 'look',
        code: 'rows.noPlace',
        message: `${placeless} rows have no coordinates; they are kept without a place.`,
      });
    if (namedLongitude(at.x) && !points.crs)
      notes.push({
        level: 'look',
        code: 'crs.names',
        message: 'The columns are named like longitude and latitude, but their values are not degrees.',
      });
    return Promise.resolve([{ name: baseName(name), data: points, notes }]);
  },
};

function uniqueNames(header: string[]): string[] {
  const used = new Set<string>();
  return header.map((h, i) => {
    const base = h.trim() || `column ${i + 1}`;
    let n = base;
    for (let k = 2; used.has(n); k++) n = `${base} ${k}`;
    used.add(n);
    return n;
  });
}

function looksDecimalComma(rows: string[][]): boolean {
  let comma = 0;
  let point = 0;
  for (const r of rows.slice(0, 200)) {
    for (const f of r) {
      if (/^\s*[+-]?\d+,\d+\s*$/.test(f)) comma++;
      else if (/^\s*[+-]?\d+\.\d+\s*$/.test(f)) point++;
    }
  }
  return comma > point;
}

function columnOf(name: string, rows: string[][], i: number, decimalComma: boolean): Column {
  const unit = /[([]\s*([^()[\]]{1,12}?)\s*[)\]]\s*$/.exec(name)?.[1] ?? null;
  const raw = rows.map((r) => (r[i] ?? '').trim());
  const missing = Uint8Array.from(raw, (v) => (v === '' || /^(na|nan|null|n\/a)$/i.test(v) ? 1 : 0));
  const anyMissing = missing.includes(1);
  const numbers = new Float64Array(raw.length);
  let numeric = missing.includes(0);
  for (let k = 0; k < raw.length && numeric; k++) {
    if (missing[k]) {
      numbers[k] = NaN;
      continue;
    }
    const t = decimalComma ? raw[k]!.replace(',', '.') : raw[k]!;
    if (!readsAsNumber(t)) numeric = false;
    else numbers[k] = Number(t);
  }
  const extra = anyMissing ? { missing } : {};
  return numeric
    ? { name, type: 'number', unit, values: numbers, ...extra }
    : { name, type: 'text', unit: null, values: raw, ...extra };
}

/** Cells that a spreadsheet would run as a formula are kept as text by an apostrophe; plain numbers are not touched. */
export function safeCell(v: string): string {
  return /^[=+\-@\t\r]/.test(v) && !/^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(v) ? `'${v}` : v;
}

/** A table, or features with their coordinates (points) as x and y columns in front, as delimited text (RFC 4180). */
export function writeDelimited(d: Table | Features, delimiter = ','): string {
  const n = d.kind === 'table' ? tableRows(d) : featureCount(d);
  const points = d.kind === 'features' && d.geometry === 'point' ? d : null;
  const head = [...(points ? ['x', 'y'] : []), ...d.columns.map((c) => c.name)];
  const rows: string[][] = [];
  for (let i = 0; i < n; i++) {
    const row: string[] = [];
    if (points) {
      const part = points.featureOffsets[i]!;
      const has = points.featureOffsets[i + 1]! > part;
      const c = has ? points.ringOffsets[points.partOffsets[part]!]! : 0;
      row.push(has ? String(points.xy[2 * c]) : '', has ? String(points.xy[2 * c + 1]) : '');
    }
    for (const c of d.columns) {
      const v = valueOf(c, i);
      row.push(v === null || v !== v ? '' : typeof v === 'string' ? safeCell(v) : String(v));
    }
    rows.push(row);
  }
  return Papa.unparse({ fields: head.map(safeCell), data: rows }, { delimiter, newline: '\r\n' }) + '\r\n';
}
