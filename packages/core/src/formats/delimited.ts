import Papa from 'papaparse';
import { HelkError } from '../errors';
import { featureCount, valueOf, type Column, type Features } from '../data/features';
import { coordinateColumns, namedLongitude, pointsOfColumns } from '../data/point-columns';
import { FreeNames } from '../data/names';
import { tableRows, type Table } from '../data/table';
import { growingBytes, growingFloats, type Growing } from '../numeric/growing';
import { delimitedRows, type DelimitedRows } from './delimited-rows';
import {
  baseName,
  encodingOf,
  headText,
  MOST_COLUMNS,
  NUMBER,
  readsAsNumber,
  type FileFormat,
  type ReadOptions,
} from './reader';
import type { Note } from '../data/check';

/**
 * Delimited text with a header line: comma, semicolon or tab, decimal point or comma, quotes, byte-order mark. With a pair of
 * coordinate columns it becomes points, without one a table. Coordinates that fit longitude and latitude under such names
 * are taken as WGS 84; others need a system to be given. Rows are read a piece at a time, so that a file may be larger than the longest
 * text there can be.
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
    const rows = delimitedRows(bytes, encodingOf(bytes, notes), name);
    const { columns, ragged, count, width } = columnsOf(rows, name, options);
    if (ragged.count)
      notes.push({
        level: 'look',
        code: 'rows.ragged',
        message: `${ragged.count} of ${count} rows have another number of fields than the header (the first is row ${ragged.first}); absent fields are missing${ragged.most > width ? ', those beyond it are dropped' : ''}.`,
      });
    const at = coordinateColumns(columns);
    if (!at) {
      notes.push({
        level: 'info',
        code: 'table.noCoordinates',
        message:
          'No pair of coordinate columns (like x and y, or longitude and latitude) was found; it is taken as a table. “Points from a table” places rows by columns named otherwise.',
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

/** Rows that are looked at before the columns have types. */
const LOOKED_AT = 1000;
const DECIMALS_LOOKED_AT = 200;

interface Read {
  columns: Column[];
  count: number;
  width: number;
  ragged: { count: number; first: number; most: number };
}

/**
 * Columns of typed values from rows of texts. Types are guessed from the first rows; where a later row does not fit a number column, that
 * column is read once more, as text.
 */
function columnsOf(text: DelimitedRows, name: string, options: ReadOptions): Read {
  const first: string[][] = [];
  for (const { rows } of text.pieces()) {
    for (const r of rows) if (first.length <= LOOKED_AT) first.push(r);
    if (first.length > LOOKED_AT) break;
  }
  const [header, ...sample] = first;
  if (!header || sample.length === 0)
    throw new HelkError('file.content', `"${name}" has a header line but no rows.`, name);
  if (header.length > MOST_COLUMNS)
    throw new HelkError(
      'file.tooLarge',
      `"${name}" has ${header.length} columns; at most ${MOST_COLUMNS} are taken in. Is it written with columns and rows changed about?`,
      name,
    );
  const free = new FreeNames();
  const names = header.map((h, i) => free.take(h.trim() || `column ${i + 1}`));
  const comma = text.delimiter !== ',' && looksDecimalComma(sample.slice(0, DECIMALS_LOOKED_AT));
  let columns = names.map((n, i) => {
    const numeric = sample.every((r) => isMissing((r[i] ?? '').trim()) || !Number.isNaN(numberOf(r[i]!.trim(), comma)));
    return numeric ? new NumberColumn(n, comma) : new TextColumn(n);
  });
  const ragged = { count: 0, first: 0, most: 0 };
  let count = 0;
  for (let again: (NumberColumn | TextColumn)[] = columns; ;) {
    const wanted = again.map((c) => columns.indexOf(c));
    const counting = again === columns;
    let line = 0;
    for (const { rows, share } of text.pieces()) {
      for (const r of rows) {
        if (line++ === 0) continue;
        if (counting) {
          count++;
          if (r.length !== header.length) {
            if (!ragged.count++) ragged.first = line;
            ragged.most = Math.max(ragged.most, r.length);
          }
        }
        for (let k = 0; k < again.length; k++) again[k]!.add((r[wanted[k]!] ?? '').trim());
      }
      options.progress?.(share, 'reading rows');
      if (columns.length * count > options.maxCells)
        throw new HelkError(
          'file.tooLarge',
          `"${name}" has ${columns.length} columns of more than ${count} rows; at most ${options.maxCells / 1e6} million values are taken in.`,
          name,
        );
    }
    // A column without any value is no column of numbers.
    columns = columns.map((c) => (c instanceof NumberColumn && (c.broken || !c.some) ? new TextColumn(c.name) : c));
    again = columns.filter((c) => c.length < count);
    if (!again.length) return { columns: columns.map((c) => c.column()), count, width: header.length, ragged };
  }
}

/** What stands for no value. */
const isMissing = (v: string): boolean => v === '' || (v.length <= 4 && /^(na|nan|null|n\/a)$/i.test(v));

function numberOf(v: string, decimalComma: boolean): number {
  const t = decimalComma ? v.replace(',', '.') : v;
  return readsAsNumber(t) ? Number(t) : NaN;
}

class NumberColumn {
  private readonly values = growingFloats();
  private missing: Growing<Uint8Array> | null = null;
  /** Whether there is a value at all. */
  some = false;
  /** Whether a value is none. */
  broken = false;

  constructor(
    readonly name: string,
    private readonly comma: boolean,
  ) {}

  get length(): number {
    return this.values.length;
  }

  add(v: string): void {
    if (this.broken) return;
    if (isMissing(v)) {
      if (!this.missing) {
        this.missing = growingBytes();
        this.missing.fill(0, this.values.length);
      }
      this.missing.push(1);
      this.values.push(NaN);
      return;
    }
    const n = numberOf(v, this.comma);
    if (n !== n) this.broken = true;
    this.some = true;
    this.values.push(n);
    this.missing?.push(0);
  }

  column(): Column {
    const unit = /[([]\s*([^()[\]]{1,12}?)\s*[)\]]\s*$/.exec(this.name.slice(-40))?.[1] ?? null;
    const extra = this.missing ? { missing: this.missing.done() } : {};
    return { name: this.name, type: 'number', unit, values: this.values.done(), ...extra };
  }
}

class TextColumn {
  private readonly values: string[] = [];
  private readonly missing = growingBytes();
  private some = false;

  constructor(readonly name: string) {}

  get length(): number {
    return this.values.length;
  }

  add(v: string): void {
    const gone = isMissing(v);
    this.some ||= gone;
    this.missing.push(gone ? 1 : 0);
    this.values.push(v);
  }

  column(): Column {
    const extra = this.some ? { missing: this.missing.done() } : {};
    return { name: this.name, type: 'text', unit: null, values: this.values, ...extra };
  }
}

function looksDecimalComma(rows: string[][]): boolean {
  let comma = 0;
  let point = 0;
  for (const r of rows) {
    for (const f of r) {
      if (f.length > 40) continue;
      if (/^\s*[+-]?\d+,\d+\s*$/.test(f)) comma++;
      else if (/^\s*[+-]?\d+\.\d+\s*$/.test(f)) point++;
    }
  }
  return comma > point;
}

/** Cells that a spreadsheet would run as a formula are kept as text by an apostrophe; plain numbers are not touched. */
export function safeCell(v: string): string {
  return /^[=+\-@\t\r]/.test(v) && !NUMBER.test(v) ? `'${v}` : v;
}

/** Where each feature of points lies, by row; not numbers where there is no place. */
function places(f: Features): { x: Float64Array; y: Float64Array } {
  const n = featureCount(f);
  const at = { x: new Float64Array(n).fill(NaN), y: new Float64Array(n).fill(NaN) };
  for (let i = 0; i < n; i++) {
    const part = f.featureOffsets[i]!;
    if (f.featureOffsets[i + 1] === part) continue;
    const c = f.ringOffsets[f.partOffsets[part]!]!;
    at.x[i] = f.xy[2 * c]!;
    at.y[i] = f.xy[2 * c + 1]!;
  }
  return at;
}

/**
 * A table, or features with their coordinates (points) as columns x and y in front, as delimited text (RFC 4180). Points whose own columns x and
 * y say where they lie get no others; own columns of those names that say something else (where they lay in another system) are written as
 * x_own and y_own, so that whoever reads the text finds the places.
 */
export function writeDelimited(d: Table | Features, delimiter = ','): string {
  const n = d.kind === 'table' ? tableRows(d) : featureCount(d);
  let columns = d.columns;
  if (d.kind === 'features' && d.geometry === 'point') {
    const at = places(d);
    const front: Column[] = [];
    for (const axis of ['x', 'y'] as const) {
      const own = columns.find((c) => c.name.toLowerCase() === axis);
      const says = own?.type === 'number' && at[axis].every((v, i) => Object.is(v, (own.values as Float64Array)[i]));
      if (says) continue;
      front.push({ name: axis, type: 'number', unit: null, values: at[axis] });
      columns = columns.map((c) => (c === own ? { ...c, name: `${c.name}_own` } : c));
    }
    columns = [...front, ...columns];
  }
  const rows = Array.from({ length: n }, (_, i) =>
    columns.map((c) => {
      const v = valueOf(c, i);
      return v === null || v !== v ? '' : typeof v === 'string' ? safeCell(v) : String(v);
    }),
  );
  const fields = columns.map((c) => safeCell(c.name));
  return Papa.unparse({ fields, data: rows }, { delimiter, newline: '\r\n' }) + '\r\n';
}
