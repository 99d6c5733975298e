import Papa from 'papaparse';
import { zipSync, type Zippable } from 'fflate';
import { HelkError } from '../errors';
import type { Note } from '../data/check';
import type { Column } from '../data/features';
import { own } from '../data/own';
import { dateOf, dayOf, GTFS, secondsOfTime, timeOfSeconds, type GtfsColumn, type GtfsFile } from '../data/gtfs-spec';
import { rowsIn, type Fault, type Timetable } from '../data/timetable';
import { inOrder, lackingFiles } from '../data/timetable-calls';
import { delimitedRows } from './delimited-rows';
import { encodingOf, MOST_COLUMNS, NUMBER, type ReadOptions } from './reader';

/** Ending of the feed that lies beside the lines of a network. */
export const FEED_BESIDE = 'gtfs.zip';
/** Name of a network's lines among the files of its feed. */
export const NETWORK_IN_FEED = 'network.geojson';

/** Faults that are kept one by one. */
export const MOST_FAULTS = 100_000;
/** Files of a feed; the specification has some thirty. */
const MOST_FILES = 200;
/** Of so many required files, this many make an archive a feed that lacks the others. */
const TELLING = 3;

const stem = (entry: string): string =>
  entry
    .split('/')
    .pop()!
    .replace(/\.txt$/i, '')
    .toLowerCase();

/** Whether the files of an archive are those of a timetable, complete or not. */
export function isFeed(entries: readonly string[]): boolean {
  const names = entries.filter((e) => /\.txt$/i.test(e)).map(stem);
  return (
    names.filter((n) => own(GTFS, n)?.required).length >= TELLING ||
    (names.includes('stop_times') && names.includes('trips'))
  );
}

/**
 * A feed out of the files of its archive (GTFS Schedule Reference, gtfs.org). What the specification does not allow is told by file and row; what
 * cannot be used is left out of searches, but kept.
 *
 * @throws HelkError `file.content` where required files or columns are missing
 */
export function readFeed(
  entries: readonly (readonly [string, Uint8Array])[],
  name: string,
  options: Pick<ReadOptions, 'progress'>,
): { timetable: Timetable; notes: Note[] } {
  const notes: Note[] = [];
  const faults: Fault[] = [];
  let untold = 0;
  // Names out of a file may be of any length; what is told of them is not.
  const tell = (f: Fault): void => {
    if (faults.length >= MOST_FAULTS) return void untold++;
    const { file, column, message } = f;
    faults.push({
      ...f,
      file: file.slice(0, 100),
      column: column?.slice(0, 100) ?? null,
      message: message.slice(0, 300),
    });
  };
  if (entries.length > MOST_FILES)
    throw new HelkError(
      'file.tooLarge',
      `"${name}" holds ${entries.length} files; a timetable (GTFS) of more than ${MOST_FILES} is not read.`,
      name,
    );
  // Some feeds lie in a folder of their archive.
  const folder = entries.find(([e]) => stem(e) === 'stops')?.[0].replace(/[^/]*$/, '') ?? '';
  const t: Timetable = { kind: 'timetable', files: {}, others: {}, faults };
  const lacking = lackingFiles(entries.filter(([e]) => e.startsWith(folder)).map(([e]) => stem(e)));
  if (lacking.length)
    throw new HelkError(
      'file.content',
      `"${name}" is a timetable (GTFS) without ${lacking.map((f) => (f === 'calendar' ? 'calendar.txt or calendar_dates.txt' : `${f}.txt`)).join(' and ')}. Get the whole feed from its source.`,
      name,
    );
  for (const [k, [entry, bytes]] of entries.entries()) {
    options.progress?.(k / entries.length, `reading ${entry.slice(-40)}`);
    if (/\.txt$/i.test(entry) && entry.startsWith(folder) && /^[a-z]\w*$/.test(stem(entry)))
      t.files[stem(entry)] = readFile(stem(entry), bytes, name, notes, tell);
    else if (entry.startsWith(folder) && /^[a-z0-9][\w. -]*$/i.test(entry.slice(folder.length)))
      t.others[entry.slice(folder.length)] = bytes;
  }
  for (const [file, spec] of Object.entries(GTFS)) references(t, file, spec, tell);
  inOrder(t, tell);
  if (untold)
    tell({ file: 'feed', row: null, column: null, message: `${untold} faults more are not listed`, level: 'warning' });
  return { timetable: t, notes };
}

/** A file as columns. Empty values are empty texts or missing numbers. */
function readFile(file: string, bytes: Uint8Array, feed: string, notes: Note[], tell: (f: Fault) => void): Column[] {
  const spec = own(GTFS, file);
  const rows = delimitedRows(bytes, encodingOf(bytes, notes), `${file}.txt in ${feed}`).pieces();
  let made: { spec: GtfsColumn | null; name: string; values: string[] | number[] }[] | null = null;
  // The same words again and again are held once.
  const words = new Map<string, string>();
  const word = (s: string): string => {
    const found = words.get(s);
    if (found !== undefined) return found;
    const own = ` ${s}`.slice(1);
    if (words.size < 2 ** 22) words.set(own, own);
    return own;
  };
  let n = 0;
  for (const { rows: some } of rows)
    for (const row of some) {
      if (!made) {
        made = headOf(row, file, feed, spec, tell);
        continue;
      }
      n++;
      made.forEach((c, k) => {
        const text = (row[k] ?? '').trim();
        const value = valueOf(text, c.spec, (message, level) =>
          tell({ file, row: n + 1, column: c.name, message, level }),
        );
        if (typeof value === 'number') (c.values as number[]).push(value);
        else (c.values as string[]).push(word(value));
      });
    }
  made ??= headOf([], file, feed, spec, tell);
  return made.map((c): Column => {
    const numeric = c.spec !== null && isNumeric(c.spec);
    return numeric
      ? {
          name: c.name,
          type: 'number',
          unit: c.spec!.type === 'time' ? 's' : null,
          values: Float64Array.from(c.values as number[]),
        }
      : { name: c.name, type: 'text', unit: null, values: c.values as string[] };
  });
}

const isNumeric = (c: GtfsColumn): boolean =>
  c.type === 'number' || c.type === 'count' || c.type === 'time' || c.type === 'date';

function headOf(
  row: readonly string[],
  file: string,
  feed: string,
  spec: GtfsFile | undefined,
  tell: (f: Fault) => void,
): { spec: GtfsColumn | null; name: string; values: string[] | number[] }[] {
  const names = row.map((c) => c.replace(/^\uFEFF/, '').trim());
  if (names.length > MOST_COLUMNS)
    throw new HelkError('file.tooLarge', `"${feed}": ${file}.txt has ${names.length} columns.`, feed);
  const lacking = (spec?.columns ?? []).filter((c) => c.required && !names.includes(c.name));
  // Without these nothing of the file can be used.
  if (lacking.length && spec?.required)
    throw new HelkError(
      'file.content',
      `"${feed}" is a timetable (GTFS), but its ${file}.txt has no column ${lacking.map((c) => c.name).join(' and ')}.`,
      feed,
    );
  for (const c of lacking)
    tell({ file, row: 1, column: c.name, message: `there is no column ${c.name}`, level: 'error' });
  const seen = new Set<string>();
  return names.map((given, k) => {
    const name = given === '' || seen.has(given) ? `column_${k + 1}` : given;
    seen.add(name);
    return { spec: spec?.columns.find((c) => c.name === name) ?? null, name, values: [] };
  });
}

function valueOf(
  text: string,
  spec: GtfsColumn | null,
  wrong: (message: string, level: Fault['level']) => void,
): string | number {
  if (!spec) return text;
  if (text === '') {
    if (spec.required) wrong(`${spec.name} is empty`, 'error');
    return isNumeric(spec) ? NaN : text;
  }
  const shown = text.slice(0, 40);
  switch (spec.type) {
    case 'time': {
      const s = secondsOfTime(text);
      if (s !== s) wrong(`"${shown}" is no time (like 08:10:00)`, 'error');
      return s;
    }
    case 'date': {
      const d = dayOf(text);
      if (d !== d) wrong(`"${shown}" is no date (like 20260908)`, 'error');
      return d;
    }
    case 'count':
    case 'number': {
      const v = NUMBER.test(text) ? Number(text) : NaN;
      if (v !== v || (spec.type === 'count' && !(Number.isInteger(v) && v >= 0))) {
        wrong(`"${shown}" is no ${spec.type === 'count' ? 'whole number from 0' : 'number'}`, 'error');
        return NaN;
      }
      return v;
    }
    case 'code':
      if (!(/^\d$/.test(text) && Number(text) <= spec.most!))
        wrong(`"${shown}" is none of 0 to ${spec.most}`, 'warning');
      return text;
    default:
      return text;
  }
}

/** What names something of another file has to be there, and keys have to be different. */
function references(t: Timetable, file: string, spec: GtfsFile, tell: (f: Fault) => void): void {
  const columns = t.files[file];
  if (!columns) return;
  const texts = (of: string, name: string): string[] => {
    const c = t.files[of]?.find((o) => o.name === name);
    return c && Array.isArray(c.values) ? c.values : [];
  };
  for (const c of spec.columns) {
    if (!c.of) continue;
    const [of, name] = c.of.split('.') as [string, string];
    const known = new Set(texts(of, name));
    texts(file, c.name).forEach((v, i) => {
      if (v !== '' && !known.has(v))
        tell({
          file,
          row: i + 2,
          column: c.name,
          message: `there is no "${v.slice(0, 60)}" in ${of}.txt`,
          level: 'error',
        });
    });
  }
  const key = spec.key.map((k) => columns.find((c) => c.name === k)?.values);
  if (!key.length || key.some((k) => !k)) return;
  const seen = new Set<string>();
  for (let i = 0; i < rowsIn(t, file); i++) {
    const v = key.map((k) => String(k![i])).join('\u0000');
    if (seen.has(v))
      tell({
        file,
        row: i + 2,
        column: spec.key[0]!,
        message: `it is there twice: ${v.replaceAll('\u0000', ', ').slice(0, 80)}`,
        level: 'error',
      });
    seen.add(v);
  }
}

/** The files of a feed, as they are packed. */
export function feedFiles(t: Timetable): Record<string, Uint8Array> {
  const out: Record<string, Uint8Array> = {};
  for (const [file, columns] of Object.entries(t.files)) {
    const spec = own(GTFS, file);
    const told = columns.map((c) => {
      const type = spec?.columns.find((o) => o.name === c.name)?.type;
      if (Array.isArray(c.values)) return c.values;
      const text =
        type === 'time'
          ? timeOfSeconds
          : type === 'date'
            ? (d: number): string => dateOf(d).replaceAll('-', '')
            : String;
      return Array.from(c.values, (v) => (v === v ? text(v) : ''));
    });
    const rows = Array.from({ length: rowsIn(t, file) }, (_, i) => told.map((c) => c[i]!));
    const csv = Papa.unparse({ fields: columns.map((c) => c.name), data: rows }, { newline: '\r\n' });
    out[`${file}.txt`] = new TextEncoder().encode(`${csv}\r\n`);
  }
  for (const [file, bytes] of Object.entries(t.others)) out[file] = bytes;
  return out;
}

/** A feed as one archive. Its entries have the date of nothing, so that the same feed is the same bytes. */
export const writeFeed = (t: Timetable, more: Record<string, Uint8Array> = {}): Uint8Array => {
  const files: Zippable = {};
  for (const [file, bytes] of Object.entries({ ...feedFiles(t), ...more }))
    files[file] = [bytes, { mtime: '1980-01-01' }];
  return zipSync(files, { level: 6 });
};
