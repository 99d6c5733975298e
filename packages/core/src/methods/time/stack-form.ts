import { columnsOf, kindOf, type DatasetInfo } from '../../data/kinds';
import type { DateOrder } from '../../data/dates';
import type { FeaturesInfo } from '../../data/features';
import { plural, type Check } from '../../data/check';
import { columnChecks, placeChecks } from '../features/common';
import { columnSeries, guessPattern } from './column-series';
import { checking } from './common';
import type { Aggregate } from './gather';

/** Settings of a time stack. */
export interface Params {
  from: 'columns' | 'events' | 'table';
  columns?: string | undefined;
  dateColumn?: string | undefined;
  keyColumn?: string | undefined;
  tableKey?: string | undefined;
  step: string;
  start?: string | undefined;
  end?: string | undefined;
  variable?: string[] | undefined;
  aggregate: Aggregate;
  partial: 'keep' | 'drop';
  dateOrder: DateOrder;
}

/** Rows of a dataset. */
export const countOf = (info: DatasetInfo | undefined): number | undefined => info && kindOf(info).rows?.(info).count;

/** What is wrong with the columns that are named, before the run. */
export function wideChecks(locations: FeaturesInfo, p: Params): Check[] {
  if (!p.columns)
    return [
      {
        level: 'refused',
        code: 'stack.pattern',
        about: 'columns',
        message: 'Which columns make the history? Write a pattern, like solar_{year}.',
      },
    ];
  const out = checking(() => columnSeries(locations.columns, p.columns!));
  if (out.length) return out;
  const found = columnSeries(locations.columns, p.columns);
  return [
    ...(p.keyColumn ? columnChecks(locations, [p.keyColumn], 'keyColumn') : []),
    {
      level: 'fine',
      code: 'stack.columns',
      message: found
        .map(
          (s) =>
            `${s.variable}: ${s.columns[0]!.name} to ${s.columns.at(-1)!.name}, ${plural(s.columns.length, 'column')}`,
        )
        .join('; '),
    },
  ];
}

/** What is wrong with events, or a table, before the run. */
export function rowChecks(locations: FeaturesInfo, rows: DatasetInfo | undefined, p: Params): Check[] {
  const role = p.from === 'events' ? 'events' : 'table';
  const no = (code: string, about: string, message: string): Check[] => [{ level: 'refused', code, about, message }];
  if (!rows)
    return no('stack.rows', role, p.from === 'events' ? 'Which events? Choose them.' : 'Which table? Choose it.');
  if (!p.dateColumn) return no('stack.date', 'dateColumn', 'Which column says when?');
  const keyed = joinsByKey(columnsOf(rows), p);
  const columns = [
    ...columnChecks(rows, [p.dateColumn], 'dateColumn'),
    ...(p.keyColumn ? columnChecks(locations, [p.keyColumn], 'keyColumn') : []),
    ...(keyed ? columnChecks(rows, [p.tableKey ?? p.keyColumn!], p.tableKey ? 'tableKey' : 'keyColumn') : []),
    ...columnChecks(rows, p.variable ?? [], 'variable', true),
  ];
  if (columns.length) return columns;
  const points = rows.kind === 'features' && rows.geometry === 'point';
  if (!keyed) {
    if (p.from === 'table') return no('stack.key', 'keyColumn', 'Which column names the place in both?');
    if (!points)
      return no('stack.points', 'events', 'Events without a key are points: how else would they lie in a place?');
    if (locations.geometry !== 'polygon')
      return no(
        'stack.areas',
        'locations',
        'Events are counted in areas; these places have none. Name a key, or make areas around them (Thiessen polygons).',
      );
  }
  if (p.aggregate !== 'count' && p.from === 'events' && !p.variable?.length)
    return no(
      'stack.values',
      'variable',
      `Which values of the events are ${p.aggregate === 'sum' ? 'summed' : 'averaged'}?`,
    );
  return rows.kind === 'features' && !keyed ? placeChecks(locations, rows) : [];
}

/** Whether rows name their place; else they lie in it, and the key only says what places are called. */
export const joinsByKey = (rows: readonly { name: string }[], p: Params): boolean =>
  p.keyColumn !== undefined &&
  (p.from === 'table' || p.tableKey !== undefined || rows.some((c) => c.name === p.keyColumn));

/** Columns that are named like a date. */
const DATES =
  /^(date|time|day|datum|datetime|timestamp|when|observed|seen|recorded|month|year|period|step)([_ ]?(on|at|of|time|date|utc))?$/i;

/** What the columns suggest. */
export function suggestions(
  locations: FeaturesInfo,
  events: FeaturesInfo | undefined,
  table: DatasetInfo | undefined,
  p: Partial<Params>,
) {
  const from = p.from ?? (events ? 'events' : table ? 'table' : 'columns');
  const rows = from === 'events' ? events : from === 'table' ? table : undefined;
  const own = columnsOf(rows);
  const pattern = guessPattern(locations.columns);
  const dated = own.find((c) => DATES.test(c.name)) ?? own.find((c) => /date|time/i.test(c.name));
  const shared = own.find((c) => locations.columns.some((l) => l.name.toLowerCase() === c.name.toLowerCase()));
  const here = shared && locations.columns.find((l) => l.name.toLowerCase() === shared.name.toLowerCase());
  const numbers = own.filter((c) => c.type === 'number' && c.name !== dated?.name && c.name !== shared?.name);
  return {
    from:
      p.from || !rows
        ? undefined
        : { value: from, reason: from === 'events' ? 'events are given' : 'a table is given' },
    columns: from === 'columns' && pattern ? { value: pattern, reason: 'several columns are named so' } : undefined,
    dateColumn: dated && { value: dated.name, reason: 'named like a date' },
    // Events that are points lie somewhere; a key is only needed where they do not.
    keyColumn: here && from === 'table' ? { value: here.name, reason: 'both have a column of this name' } : undefined,
    tableKey:
      here && shared && from === 'table' && (p.keyColumn ?? here.name) === here.name && shared.name !== here.name
        ? { value: shared.name, reason: 'named alike' }
        : undefined,
    variable:
      from === 'table' && numbers.length && p.aggregate !== 'count'
        ? {
            value: numbers.map((c) => c.name).join(','),
            reason: numbers.length === 1 ? 'the only numbers' : 'all numbers',
          }
        : undefined,
    aggregate: p.aggregate
      ? undefined
      : from === 'table'
        ? numbers.length
          ? { value: 'mean', reason: 'rows of one place and step are averaged' }
          : undefined
        : from === 'events' && p.variable?.length
          ? { value: 'sum', reason: 'values are added up' }
          : undefined,
  };
}
