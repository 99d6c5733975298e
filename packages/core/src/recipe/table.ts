import { FreeNames } from '../data/names';
import { own } from '../data/own';
import { HelkError } from '../errors';
import type { Figures, Method } from '../method/define';
import { paramSpecs } from '../method/params';

/** Most that a run table can have. */
export const MOST_ROWS = 10_000;
export const MOST_TABLE_COLUMNS = 200;

/** What a column of a run table gives to each run. */
export interface TableColumn {
  /** As it is written: `in:NAME`, `NAME`, `STEP.NAME`, `seed`. */
  head: string;
  gives: 'input' | 'setting' | 'seed';
  /** Of the input, or the setting in full. */
  name: string;
}

/** What one row asks for. */
export interface TableRow {
  /** Counted from 1, the header not among them. */
  row: number;
  /** By input: what is written, apart by `;` where there are several. */
  inputs: Record<string, string[]>;
  params: Record<string, string>;
  seed: number | null;
}

export interface RunTable {
  columns: TableColumn[];
  rows: TableRow[];
}

/** The column that gives a run its seed, where no setting is called so. */
const SEED = 'seed';
const INPUT = 'in:';

/**
 * What a heading means for a method.
 *
 * @throws HelkError `table.invalid` for what is neither an input nor a setting
 */
export function columnOf(head: string, m: Method): TableColumn {
  const text = head.trim();
  const inputs = Object.keys(m.inputs);
  const settings = Object.keys(paramSpecs(m.params));
  if (text.startsWith(INPUT)) {
    const name = text.slice(INPUT.length).trim();
    if (!Object.hasOwn(m.inputs, name))
      throw new HelkError(
        'table.invalid',
        `The column "${cut(text)}": ${m.title} has no input "${cut(name)}"; it takes ${inputs.join(', ') || 'none'}.`,
        text,
      );
    return { head: text, gives: 'input', name };
  }
  if (settings.includes(text)) return { head: text, gives: 'setting', name: text };
  // A setting of a recipe without its step, where only one is called so; an offered one before those that are fixed.
  const all = settings.filter((s) => s.endsWith(`.${text}`));
  const specs = paramSpecs(m.params);
  const offered = all.filter((s) => !specs[s]!.fixed);
  const meant = offered.length ? offered : all;
  if (meant.length === 1) return { head: text, gives: 'setting', name: meant[0]! };
  if (meant.length > 1)
    throw new HelkError('table.invalid', `The column "${cut(text)}" may be ${meant.join(' or ')}; write which.`, text);
  if (text === SEED) return { head: text, gives: 'seed', name: SEED };
  const hint = Object.hasOwn(m.inputs, text) ? ` An input is written as ${INPUT}${text}.` : '';
  throw new HelkError(
    'table.invalid',
    `The column "${cut(text)}" is neither an input nor a setting of ${m.title}.${hint || ` Inputs are ${inputs.map((i) => INPUT + i).join(', ') || 'none'}; settings ${settings.filter((s) => !specs[s]!.fixed).join(', ') || 'none'}.`}`,
    text,
  );
}

const cut = (s: string): string => (s.length > 60 ? `${s.slice(0, 60)}…` : s);

/**
 * Reads a run table from rows of cells, the first of them the heads. Empty rows are left out, empty cells say nothing.
 *
 * @throws HelkError `table.invalid`
 */
export function readRunTable(grid: readonly (readonly string[])[], m: Method): RunTable {
  const [head, ...body] = grid;
  if (!head?.some((h) => h.trim()))
    throw new HelkError('table.invalid', 'The run table is empty: its first row names inputs (in:NAME) and settings.');
  if (head.length > MOST_TABLE_COLUMNS)
    throw new HelkError(
      'table.invalid',
      `A run table has at most ${MOST_TABLE_COLUMNS} columns, this one has ${head.length}.`,
    );
  const columns = head.map((h, k) => {
    if (!h.trim()) {
      if (body.some((r) => r[k]?.trim()))
        throw new HelkError('table.invalid', `Column ${k + 1} of the run table has values and no heading.`);
      return null;
    }
    return columnOf(h, m);
  });
  const seen = new Set<string>();
  for (const c of columns) {
    if (!c) continue;
    const key = `${c.gives} ${c.name}`;
    if (seen.has(key)) throw new HelkError('table.invalid', `The column "${cut(c.head)}" is there twice.`, c.head);
    seen.add(key);
  }
  const rows: TableRow[] = [];
  for (const [k, cells] of body.entries()) {
    if (!cells.some((c) => c.trim())) continue;
    const extra = cells.findIndex((c, i) => i >= columns.length && c.trim());
    if (extra >= 0)
      throw new HelkError('table.invalid', `Row ${k + 1} of the run table has more cells than there are headings.`);
    rows.push(rowOf(columns, cells, k + 1));
  }
  if (!rows.length) throw new HelkError('table.invalid', 'The run table has a heading and no rows.');
  if (rows.length > MOST_ROWS)
    throw new HelkError('table.invalid', `A run table has at most ${MOST_ROWS} rows, this one has ${rows.length}.`);
  return { columns: columns.filter((c) => c !== null), rows };
}

function rowOf(columns: (TableColumn | null)[], cells: readonly string[], row: number): TableRow {
  const out: TableRow = { row, inputs: {}, params: {}, seed: null };
  for (const [i, c] of columns.entries()) {
    const text = (cells[i] ?? '').trim();
    if (!c || !text) continue;
    if (c.gives === 'input')
      out.inputs[c.name] = text
        .split(';')
        .map((s) => s.trim())
        .filter(Boolean);
    else if (c.gives === 'setting') out.params[c.name] = text;
    else {
      const seed = Number(text);
      if (!Number.isInteger(seed) || seed < 0 || seed > 4294967295)
        throw new HelkError(
          'table.invalid',
          `Row ${row}: a seed is a whole number from 0 to 4294967295, not "${cut(text)}".`,
        );
      out.seed = seed;
    }
  }
  return out;
}

/** What is known of a row when its results are named. */
export interface Named {
  row: number;
  /** By input: names of what stands there. */
  inputs: Readonly<Record<string, readonly string[]>>;
  params: Readonly<Record<string, unknown>>;
}

/** The pattern where none is given: what differs from row to row. */
export function usualPattern(table: RunTable, title: string): string {
  const differs = table.columns.filter((c) => {
    const values = table.rows.map((r) => (c.gives === 'input' ? r.inputs[c.name]?.join(';') : r.params[c.name]));
    return c.gives !== 'seed' && new Set(values).size > 1;
  });
  return [
    title,
    ...(differs.length ? differs.map((c) => `{${c.gives === 'input' ? c.name : c.head}}`) : ['{row}']),
  ].join(', ');
}

/**
 * Names of the results of each row, all different: `{NAME}` in the pattern stands for what the row gives as that input or setting, `{row}`
 * for its number.
 *
 * @throws HelkError `table.invalid` for a name in the pattern that nothing has
 */
export function namesByPattern(pattern: string, rows: readonly Named[], m: Method): string[] {
  const free = new FreeNames();
  return rows.map((r) => {
    const name = pattern
      .replace(/\{([^{}]*)\}/g, (_, inner: string) => valueFor(inner.trim(), r, m))
      .replace(/\s+/g, ' ')
      .trim()
      .slice(0, 180);
    return free.take(name || `row ${r.row}`);
  });
}

function valueFor(name: string, r: Named, m: Method): string {
  if (name === 'row') return String(r.row);
  const plain = name.startsWith(INPUT) ? name.slice(INPUT.length) : name;
  if (Object.hasOwn(m.inputs, plain)) return (own(r.inputs, plain) ?? []).join(' + ');
  if (name !== plain)
    throw new HelkError('table.invalid', `The names ask for {${cut(name)}}, and there is no such input.`);
  const c = columnOf(name, m);
  const value = c.gives === 'setting' ? own(r.params, c.name) : undefined;
  return value === undefined || value === null ? '' : String(value as string);
}

/** How a row ended. */
export interface RowDone {
  row: number;
  name: string;
  state: string;
  reason: string;
  seconds: number | null;
  given: Record<string, string>;
  figures: Figures;
}

/** The report of a table as rows of cells, the first of them the heads: row, state, reason, seconds, figures, then name and what was given. */
export function reportRows(all: readonly RowDone[]): string[][] {
  const figures = [...new Set(all.flatMap((r) => Object.keys(r.figures)))];
  const given = [...new Set(all.flatMap((r) => Object.keys(r.given)))];
  return [
    ['row', 'state', 'reason', 'seconds', ...figures, 'name', ...given],
    ...all.map((r) => [
      String(r.row),
      r.state,
      r.reason,
      r.seconds === null ? '' : r.seconds.toFixed(3),
      ...figures.map((f) => (r.figures[f] ?? '') + ''),
      r.name,
      ...given.map((g) => r.given[g] ?? ''),
    ]),
  ];
}
