import { HelkError } from '../errors';

/** A quantity, its unit behind it (`15 min`, `2 km2`); else the last number in a name (`tile-07`). */
const QUANTITY = /^()([+-]?\d+(?:[.,]\d+)?)(\s*[^\d\s.,:;/-][^\s]*)?$/;
const NAME = /^(.*?)(\d+)(\D*)$/;

interface Part {
  before: string;
  value: number;
  digits: number;
  width: number;
  after: string;
}

function partOf(text: string): Part | null {
  const m = QUANTITY.exec(text.trim()) ?? NAME.exec(text.trim());
  if (!m) return null;
  const number = m[2]!.replace(',', '.');
  const [whole, decimals] = number.split('.') as [string, string?];
  return {
    before: m[1]!,
    value: Number(number),
    digits: decimals?.length ?? 0,
    // Leading zeros are part of a name.
    width: /^[+-]?0\d/.test(whole) ? whole.length : 0,
    after: m[3] ?? '',
  };
}

/**
 * Goes on with a series: `15, 30` becomes `15, 30, 45, …`, `1 km2, 2 km2, 4 km2` (three of one ratio) `8 km2`, `tile-07` `tile-08`; a lone value
 * grows by one, a text without a number is repeated.
 *
 * @param begun what stands already, one at least
 * @param count how many there are to be in all
 */
export function series(begun: readonly string[], count: number): string[] {
  if (!begun.length) throw new HelkError('table.invalid', 'A series needs a value to begin with.');
  const parts = begun.map(partOf);
  const out = [...begun].slice(0, count);
  const last = parts.at(-1);
  const same = parts.every((p) => p && p.before === parts[0]!.before && p.after === parts[0]!.after);
  if (!last || !same) {
    for (let k = out.length; k < count; k++) out.push(begun[k % begun.length]!);
    return out;
  }
  const values = parts.map((p) => p!.value);
  const [a, b] = values.slice(-2) as [number, number?];
  const ratio = b === undefined ? NaN : b / a;
  const grows =
    values.length > 2 && ratio !== 1 && values.slice(1).every((v, k) => Math.abs(v / values[k]! - ratio) < 1e-9);
  const step = b === undefined ? 1 : b - a;
  const digits = Math.max(...parts.map((p) => p!.digits));
  for (let k = out.length; k < count; k++) {
    const n = k - values.length + 1;
    const v = grows ? last.value * ratio ** n : last.value + step * n;
    const text = grows ? String(Number(v.toPrecision(12))) : v.toFixed(digits);
    out.push(`${last.before}${last.width ? text.padStart(last.width, '0') : text}${last.after}`);
  }
  return out;
}

/** Each of some rows with each of some values in a column: six limits and two modes are twelve rows. */
export function crossed(rows: readonly (readonly string[])[], column: number, values: readonly string[]): string[][] {
  return values.flatMap((v) => rows.map((r) => r.map((cell, k) => (k === column ? v : cell))));
}

/** Cells that were copied from a spreadsheet, or a list: rows by lines, cells by tabs. Quotes that a spreadsheet puts around cells go. */
export function pastedCells(text: string): string[][] {
  const lines = text.replace(/\r\n?/g, '\n').replace(/\n+$/, '').split('\n');
  return lines.map((l) =>
    l.split('\t').map((c) => (/^".*"$/.test(c) ? c.slice(1, -1).replaceAll('""', '"') : c).trim()),
  );
}
