import { HelkError } from '../../errors';
import { readDate, type Precision, type ReadDate } from '../../data/dates';
import type { ColumnInfo } from '../../data/features';

/** Columns of one variable, in the order of their moments. */
export interface ColumnSeries {
  variable: string;
  columns: { name: string; seconds: number }[];
  precision: Precision;
}

const TOKENS: Record<string, string> = {
  year: String.raw`(?<year>\d{4})`,
  month: String.raw`(?<month>\d{1,2})`,
  day: String.raw`(?<day>\d{1,2})`,
  quarter: String.raw`(?<quarter>[1-4])`,
  date: String.raw`(?<date>\d{4}[\dA-Za-z._:T -]*)`,
  name: '(?<name>.+?)',
};

/** A pattern as an expression. @throws HelkError `method.parameter` where it names no time */
function expression(pattern: string): RegExp {
  let seen = '';
  const source = pattern.replace(/\{(\w+)\}|[^{}]+|[{}]/g, (part, token?: string) => {
    if (token === undefined) return part.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
    const t = Object.hasOwn(TOKENS, token) ? TOKENS[token] : undefined;
    if (!t || seen.includes(`{${token}}`))
      throw new HelkError(
        'method.parameter',
        `columns: "${part}" ${t ? 'stands there twice' : 'is not known'}; a pattern has {year}, {month}, {day}, {quarter}, {date} and {name}.`,
        'columns',
      );
    seen += part;
    return t;
  });
  if (!/\{(year|date)\}/.test(seen))
    throw new HelkError(
      'method.parameter',
      `columns: "${pattern}" says nowhere which part is the time; write it like solar_{year} or count_{date}.`,
      'columns',
    );
  return new RegExp(`^${source}$`);
}

function dateOf(g: Record<string, string | undefined>): ReadDate | null {
  if (g['date'] !== undefined) return readDate(g['date']) ?? readDate(g['date'].replace(/[._ ]/g, '-'));
  if (g['quarter']) return readDate(`${g['year']}-Q${g['quarter']}`);
  return readDate([g['year'], g['month'], g['day']].filter((v) => v !== undefined).join('-'));
}

/**
 * Columns of numbers that fit patterns (apart by commas), by variable: `solar_{year}`, `{name}_{date}`.
 *
 * @throws HelkError `method.parameter` for a pattern that is none, or that nothing or too little fits
 */
export function columnSeries(columns: readonly Pick<ColumnInfo, 'name' | 'type'>[], patterns: string): ColumnSeries[] {
  const out = new Map<string, ColumnSeries>();
  const refuse = (message: string): never => {
    throw new HelkError('method.parameter', `columns: ${message}`, 'columns');
  };
  for (const pattern of patterns.split(',').map((p) => p.trim())) {
    if (!pattern) continue;
    const e = expression(pattern);
    let fits = 0;
    const odd: string[] = [];
    for (const c of columns) {
      const m = e.exec(c.name);
      if (!m) continue;
      const g = m.groups!;
      const d = dateOf(g);
      if (!d || c.type !== 'number') {
        odd.push(c.name);
        continue;
      }
      fits++;
      const name = g['name'] ?? (pattern.replace(/\{\w+\}/g, '').replace(/^[\s_.-]+|[\s_.-]+$/g, '') || 'value');
      const series = out.get(name) ?? { variable: name, columns: [], precision: 'second' as Precision };
      if (series.columns.some((o) => o.seconds === d.seconds))
        refuse(`two columns stand for the same time, "${c.name}" and another.`);
      series.columns.push({ name: c.name, seconds: d.seconds });
      series.precision = d.precision;
      out.set(name, series);
    }
    if (!fits)
      refuse(
        odd.length
          ? `"${pattern}" fits ${odd
              .slice(0, 3)
              .map((o) => `"${o}"`)
              .join(', ')}, but ${odd.length === 1 ? 'that has' : 'those have'} no numbers or no date.`
          : `no column fits "${pattern}"; there is ${columns
              .map((c) => c.name)
              .slice(0, 12)
              .join(', ')}${columns.length > 12 ? ' …' : ''}.`,
      );
  }
  const all = [...out.values()];
  if (!all.length) refuse('give a pattern, like solar_{year}.');
  for (const s of all) s.columns.sort((a, b) => a.seconds - b.seconds);
  if (all.every((s) => s.columns.length < 2))
    refuse(`one step only, "${all[0]!.columns[0]!.name}"; a history has two at least.`);
  return all;
}

/** A pattern that several columns of numbers fit, or null. */
export function guessPattern(columns: readonly Pick<ColumnInfo, 'name' | 'type'>[]): string | null {
  const patterns = new Map<string, number>();
  for (const { name, type } of columns) {
    if (type !== 'number') continue;
    const m =
      /^(.*?)(?<!\d)((?:1[6-9]|2[01])\d\d)([-_.]?)(0[1-9]|1[0-2])\3(0[1-9]|[12]\d|3[01])(?!\d)(.*)$/.exec(name) ??
      /^(.*?)(?<!\d)((?:1[6-9]|2[01])\d\d)([-_.])(0[1-9]|1[0-2])(?!\d)(.*)$/.exec(name) ??
      /^(.*?)(?<!\d)((?:1[6-9]|2[01])\d\d)(?!\d)(.*)$/.exec(name);
    if (!m) continue;
    const pattern =
      m.length === 7
        ? `${m[1]}{year}${m[3]}{month}${m[3]}{day}${m[6]}`
        : m.length === 6
          ? `${m[1]}{year}${m[3]}{month}${m[5]}`
          : `${m[1]}{year}${m[3]}`;
    patterns.set(pattern, (patterns.get(pattern) ?? 0) + 1);
  }
  const [best] = [...patterns].sort((a, b) => b[1] - a[1]);
  return best && best[1] > 1 ? best[0] : null;
}
