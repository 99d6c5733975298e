import * as z from 'zod';
import { HelkError } from '../../errors';
import { type Column } from '../../data/features';
import { own } from '../../data/own';
import { textColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { LONG_TEXT, text } from '../../method/params';
import { readRows, writeRows } from './subset';
import { plural, type Check } from '../../data/check';

/** One value put into a column of some rows; null empties the cells. */
export interface Edit {
  column: string;
  /** Row numbers from 1, like `3, 7-12`. */
  rows: string;
  value: string | null;
}

const wrong = (message: string): HelkError => new HelkError('method.parameter', `edits: ${message}`, 'edits');

/** A name or value as it stands, or within double quotes as in JSON. Answers what was read and where it ended. */
function token(source: string, from: number, stop: string): { value: string; quoted: boolean; end: number } {
  let at = from;
  while (source[at] === ' ' || source[at] === '\n') at++;
  if (source[at] !== '"') {
    let end = at;
    while (end < source.length && !stop.includes(source[end]!)) end++;
    return { value: source.slice(at, end).trim(), quoted: false, end };
  }
  let end = at + 1;
  while (end < source.length && source[end] !== '"') end += source[end] === '\\' ? 2 : 1;
  let value: string;
  try {
    value = JSON.parse(source.slice(at, end + 1)) as string;
  } catch {
    throw wrong(`the quotes of ${source.slice(at, at + 20)} do not close.`);
  }
  end++;
  while (source[end] === ' ' || source[end] === '\n') end++;
  return { value, quoted: true, end };
}

/**
 * `class @ 3, 7-12 = moor; note @ 4 = "wet; to check"; depth @ 9 =` as single edits, later ones winning. Names and values
 * that hold one of `@ = ; "` stand in double quotes; nothing after the equals sign empties the cell.
 * @throws HelkError `method.parameter` naming the part that is wrong
 */
export function readEdits(source: string): Edit[] {
  const out: Edit[] = [];
  let at = 0;
  while (source.slice(at).trim()) {
    const name = token(source, at, '@;=');
    if (source[name.end] !== '@' || !name.value)
      throw wrong(`"${source.slice(at, at + 40).trim()}" is not of the form column @ rows = value.`);
    const equals = source.indexOf('=', name.end);
    const rows = equals < 0 ? '' : source.slice(name.end + 1, equals).trim();
    if (!rows) throw wrong(`after "${name.value} @" there are no rows, like 3, 7-12 = value.`);
    const value = token(source, equals + 1, ';');
    if (value.end < source.length && source[value.end] !== ';')
      throw wrong(`after "${value.value}" a ; is missing before the next one.`);
    out.push({ column: name.value, rows, value: value.value === '' && !value.quoted ? null : value.value });
    at = value.end + 1;
  }
  return out;
}

const word = (s: string): string => (s === '' || /[@=;"\n]|^\s|\s$/.test(s) ? JSON.stringify(s) : s);

/** The text that `readEdits` reads back. Row numbers of equal edits of one column are put together. */
export function writeEdits(
  cells: Iterable<{ column: string; row: number; value: string | null }>,
  count: number,
): string {
  const groups = new Map<string, { column: string; value: string | null; rows: Uint8Array }>();
  for (const { column, row, value } of cells) {
    const key = JSON.stringify([column, value]);
    let g = groups.get(key);
    if (!g) groups.set(key, (g = { column, value, rows: new Uint8Array(count) }));
    g.rows[row] = 1;
  }
  return [...groups.values()]
    .map((g) => `${word(g.column)} @ ${writeRows(g.rows)} =${g.value === null ? '' : ` ${word(g.value)}`}`)
    .join('; ');
}

const TRUTH: Record<string, number> = { yes: 1, true: 1, '1': 1, no: 0, false: 0, '0': 0 };

/** A typed value as a column holds it. @throws HelkError for a value of another type */
export function valueFor(c: Pick<Column, 'name' | 'type'>, value: string): number | string {
  if (c.type === 'text') return value;
  const t = value.trim().toLowerCase();
  const n =
    c.type === 'boolean' ? (own(TRUTH, t) ?? NaN) : t === '' ? NaN : Number(t.replace(',', '.').replace('−', '-'));
  if (!Number.isFinite(n))
    throw wrong(`"${value}" is no ${c.type === 'boolean' ? 'yes or no' : 'number'}, as column "${c.name}" holds.`);
  return n;
}

/** Columns by name and edits' rows are looked up; what cannot be is said. */
function column<C extends { name: string }>(columns: readonly C[], name: string): C {
  const c = columns.find((x) => x.name === name);
  if (!c) throw wrong(`there is no column "${name}"; there is ${columns.map((x) => x.name).join(', ') || 'none'}.`);
  return c;
}

/** Columns with the one that is added. @throws HelkError `method.parameter` for one that there is */
function withAdded(
  columns: readonly Pick<Column, 'name' | 'type'>[],
  add: string | undefined,
): Pick<Column, 'name' | 'type'>[] {
  if (!add) return [...columns];
  if (columns.some((c) => c.name === add))
    throw new HelkError('method.parameter', `add: there is a column "${add}" already.`, 'add');
  return [...columns, { name: add, type: 'text' }];
}

export const edit = defineMethod({
  id: 'features.edit',
  version: 1,
  title: 'Edit values',
  question: 'Which values are known better?',
  about:
    'Values of single features set by hand, as when a class is named or a slip is mended while a result is looked at. The features stay where they are and in their order, the original is not touched, and every value that was set stands in the settings of the run. Column, rows and value are written as class @ 3, 7-12 = moor; several are parted by semicolons and later ones win; nothing after the equals sign makes the value missing.',
  keywords: ['relabel', 'correct', 'attribute', 'type in', 'fix', 'interpret', 'rename class'],
  sources: ['ECMA-404 (texts in quotes)'],
  inputs: { features: input.features({ label: 'Features' }) },
  params: z.object({
    edits: text({
      label: 'Values to set',
      help: 'Like class @ 3, 7-12 = moor; note @ 4 = "wet; to check".',
      most: LONG_TEXT,
    }),
    add: text({
      label: 'Column to add',
      help: 'A new column of texts that values are set in, empty elsewhere.',
    }).optional(),
  }),
  serves: 'keep typed',
  outputs: { features: shown(output.features('Edited'), { like: 'features' }) },
  named: ({ features: [name] = ['Features'] }) => `${name} edited`,
  figures: { changed: { label: 'Values changed' }, emptied: { label: 'Made missing' } },
  checks: ({ features }, p): Check[] => {
    const all = readEdits(p.edits);
    if (!all.length) throw wrong('there is nothing to set.');
    const columns = withAdded(features.columns, p.add);
    for (const e of all) {
      const c = column(columns, e.column);
      readRows(e.rows, features.count);
      if (e.value !== null) valueFor(c, e.value);
    }
    return [];
  },
  estimate: ({ features }) => ({ cells: features.count, bytes: features.count * 64, seconds: features.count / 1e7 }),
  run: ({ features }, p, job) => {
    const n = features.featureOffsets.length - 1;
    const fresh = new Map<string, Column>();
    const empty: Column[] = p.add
      ? [{ ...textColumn(p.add, new Array<string>(n).fill('')), missing: new Uint8Array(n).fill(1) }]
      : [];
    const held = [...features.columns, ...empty];
    const touched = new Map<string, Uint8Array>();
    for (const e of readEdits(p.edits)) {
      const from = column(held, e.column);
      let c = fresh.get(e.column);
      if (!c) {
        c = { ...from, values: from.values.slice(), missing: from.missing?.slice() ?? new Uint8Array(n) } as Column;
        fresh.set(e.column, c);
        touched.set(e.column, new Uint8Array(n));
      }
      const rows = readRows(e.rows, n)!;
      const v = e.value === null ? (c.type === 'text' ? '' : c.type === 'number' ? NaN : 0) : valueFor(c, e.value);
      for (let i = 0; i < n; i++) {
        if (!rows[i]) continue;
        (c.values as (string | number)[])[i] = v;
        c.missing![i] = e.value === null ? 1 : 0;
        touched.get(e.column)![i] = 1;
      }
    }
    let changed = 0;
    let emptied = 0;
    for (const [name, rows] of touched) {
      const [was, is] = [column(held, name), fresh.get(name)!];
      for (let i = 0; i < n; i++) {
        if (!rows[i]) continue;
        const gone = (was.missing?.[i] ?? 0) === 1;
        if (gone ? !is.missing![i] : is.missing![i] || was.values[i] !== is.values[i]) {
          changed++;
          emptied += is.missing![i]!;
        }
      }
      if (!is.missing!.includes(1)) delete is.missing;
    }
    if (!changed)
      job.note(
        'look',
        'edit.same',
        `No value differs from what stood there (${plural(touched.size, 'column')} looked at).`,
      );
    const columns = held.map((c) => fresh.get(c.name) ?? c);
    return { features: { ...features, columns }, figures: { changed, emptied } };
  },
});
