import { HelkError } from '../errors';
import type { Note } from '../data/check';
import { growingFloats, type Growing } from '../numeric/growing';
import { cloudOfColumns } from './point-columns-cloud';
import { baseName, headText, MOST_COLUMNS, type FileFormat } from './reader';

/**
 * Points as lines of numbers, apart by blanks, commas, semicolons or tabs: x, y, z, and what stands behind, named by a first line of words
 * or, without one, by the usual orders (intensity; red, green, blue; both). Lines that begin with # or // are passed over.
 */
export const xyz: FileFormat = {
  id: 'xyz',
  title: 'Points as text (xyz)',
  extensions: ['xyz', 'pts'],
  sniff: (b, name) => /\.(xyz|pts)$/i.test(name) && headText(b) !== null,
  read: (bytes, name, options) => {
    const notes: Note[] = [];
    const lines = new NumberLines(bytes);
    const names = lines.head();
    const values: Growing<Float64Array>[] = [];
    const digits: number[] = [0, 0, 0];
    let width = 0;
    let count = 0;
    let odd = 0;
    let firstOdd = 0;
    for (let row = lines.next(); row; row = lines.next()) {
      if (!width) {
        // The number of points alone on the first line, as some write it.
        if (row.length === 1) continue;
        width = row.length;
        if (width < 3 || width > MOST_COLUMNS)
          throw new HelkError(
            'file.content',
            `"${name}" has ${width} ${width === 1 ? 'number' : 'numbers'} in line ${lines.line}; x, y and z are wanted.`,
            name,
          );
        for (let k = 0; k < width; k++) values.push(growingFloats());
      }
      if (row.length !== width) {
        if (!odd++) firstOdd = lines.line;
        continue;
      }
      for (let k = 0; k < width; k++) values[k]!.push(row[k]!);
      for (let k = 0; k < 3; k++) digits[k] = Math.max(digits[k]!, lines.decimals[k]!);
      count++;
      if ((count & 65_535) === 0) {
        options.progress?.(lines.share, 'reading points');
        if (count * width > options.maxCells)
          throw new HelkError(
            'file.tooLarge',
            `"${name}" has more than ${options.maxCells / 1e6} million values.`,
            name,
          );
      }
    }
    if (!count) throw new HelkError('file.content', `"${name}" has no line of x, y and z.`, name);
    if (odd)
      notes.push({
        level: 'look',
        code: 'rows.ragged',
        message: `${odd} of ${count + odd} lines are not ${width} numbers (the first is line ${firstOdd}); they are left out.`,
      });
    const named = columnNames(names, width);
    const columns = values.slice(3).map((v, k) => ({ name: named[k]!, values: v.done() }));
    const finest = digits.map((d) => 10 ** -Math.min(9, d)) as [number, number, number];
    const places = values.slice(0, 3).map((v) => v.done()) as [Float64Array, Float64Array, Float64Array];
    const data = cloudOfColumns(places, columns, options.crs ?? null, finest, notes);
    return Promise.resolve([{ name: baseName(name), data, notes }]);
  },
};

/** Names of the columns after x, y and z. */
function columnNames(head: string[] | null, width: number): string[] {
  if (head?.length === width) return head.slice(3);
  const usual: Record<number, string[]> = {
    4: ['intensity'],
    6: ['red', 'green', 'blue'],
    7: ['intensity', 'red', 'green', 'blue'],
  };
  return usual[width] ?? Array.from({ length: width - 3 }, (_, k) => `column ${k + 4}`);
}

const isBlank = (c: number): boolean => c === 32 || c === 9 || c === 44 || c === 59;

/** Lines of numbers, one at a time; the row that is given is overwritten by the next. */
class NumberLines {
  line = 0;
  /** Of the first three numbers of the row: digits behind the point. */
  readonly decimals = [0, 0, 0];
  private at = 0;
  private readonly row: number[] = [];

  constructor(private readonly bytes: Uint8Array) {
    // A byte-order mark.
    if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) this.at = 3;
  }

  get share(): number {
    return this.at / this.bytes.length;
  }

  private text(): { text: string; end: number } {
    let end = this.bytes.indexOf(10, this.at);
    if (end < 0) end = this.bytes.length;
    return { text: new TextDecoder().decode(this.bytes.subarray(this.at, Math.min(end, this.at + 4096))), end };
  }

  /** The words of the first line where they are no numbers; comments before it are passed over. */
  head(): string[] | null {
    for (;;) {
      if (this.at >= this.bytes.length) return null;
      const { text, end } = this.text();
      const t = text.trim();
      const bare = t.replace(/^(#|\/\/)+\s*/, '');
      const words = bare.split(/[\s,;]+/).filter(Boolean);
      const numbers = words.length > 0 && words.every((w) => Number.isFinite(Number(w)));
      if (t && t === bare && numbers) return null;
      this.at = end + 1;
      this.line++;
      if (/^["']?(x|easting|east|lon\w*)\b/i.test(bare)) return words.map((w) => w.replace(/["']/g, ''));
      if (t && t === bare) return null;
    }
  }

  /** The numbers of the next line; those that are none end the line, which then has too few. Null at the end. */
  next(): number[] | null {
    const { bytes, row, decimals } = this;
    const n = bytes.length;
    for (;;) {
      if (this.at >= n) return null;
      this.line++;
      let at = this.at;
      row.length = 0;
      let comment = false;
      for (;;) {
        while (at < n && isBlank(bytes[at]!)) at++;
        if (at >= n || bytes[at] === 10 || bytes[at] === 13) break;
        const from = at;
        while (at < n && !isBlank(bytes[at]!) && bytes[at] !== 10 && bytes[at] !== 13) at++;
        if (row.length === 0 && (bytes[from] === 35 || (bytes[from] === 47 && bytes[from + 1] === 47))) comment = true;
        const k = row.length;
        const v = comment ? NaN : this.number(from, at, k);
        if (comment || v !== v) {
          while (at < n && bytes[at] !== 10) at++;
          if (!comment) row.length = 0;
          break;
        }
        row.push(v);
        if (k >= 3) continue;
        let point = from;
        while (point < at && bytes[point] !== 46) point++;
        let digits = 0;
        for (let i = point + 1; i < at && bytes[i]! >= 48 && bytes[i]! <= 57; i++) digits++;
        decimals[k] = digits;
      }
      while (at < n && bytes[at] !== 10) at++;
      this.at = at + 1;
      if (comment) continue;
      if (row.length || at > 0) {
        // An empty line is no line of its own.
        if (row.length === 0 && this.blank(at)) continue;
        return row;
      }
    }
  }

  private blank(end: number): boolean {
    let i = end - 1;
    while (i >= 0 && (isBlank(this.bytes[i]!) || this.bytes[i] === 13)) i--;
    return i < 0 || this.bytes[i] === 10;
  }

  /** A decimal number; plain ones without a text being made. */
  private number(from: number, to: number, _k: number): number {
    const { bytes } = this;
    let i = from;
    let sign = 1;
    if (bytes[i] === 45) {
      sign = -1;
      i++;
    } else if (bytes[i] === 43) i++;
    let whole = 0;
    let digits = 0;
    let behind = -1;
    for (; i < to; i++) {
      const c = bytes[i]!;
      if (c >= 48 && c <= 57) {
        whole = whole * 10 + (c - 48);
        digits++;
        if (behind >= 0) behind++;
      } else if (c === 46 && behind < 0) behind = 0;
      else break;
    }
    // Exact as long as the digits fit a double and the power of ten does.
    if (i === to && digits > 0 && digits <= 15) return behind > 0 ? (sign * whole) / 10 ** behind : sign * whole;
    if (to - from > 60) return NaN;
    const text = new TextDecoder().decode(bytes.subarray(from, to));
    return /^[+-]?(\d+(\.\d*)?|\.\d+)(e[+-]?\d+)?$/i.test(text) ? Number(text) : NaN;
  }
}
