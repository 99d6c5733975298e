import { HelkError } from '../errors';
import type { Column } from '../data/features';
import { growingBytes, growingFloats, type Growing } from '../numeric/growing';
import { MOST_COLUMNS } from './reader';

/** One column while its values come in: numbers as long as all are numbers, truths as long as all are truths, else texts. */
class Collected {
  private type: Column['type'] | null = null;
  private numbers: Growing<Float64Array> | null = null;
  private texts: string[] | null = null;
  private missing: Growing<Uint8Array> | null = null;
  private length = 0;

  /** Sets the value of a row; rows that were passed over are missing. */
  set(row: number, v: unknown): void {
    this.pass(row);
    if (v === null || v === undefined) {
      this.pass(row + 1);
      return;
    }
    const type = typeof v === 'number' ? 'number' : typeof v === 'boolean' ? 'boolean' : 'text';
    if (this.type === null) this.begin(type);
    else if (this.type !== type && this.type !== 'text') this.toTexts();
    if (this.texts) this.texts.push(typeof v === 'object' ? JSON.stringify(v) : String(v as string));
    else this.numbers!.push(Number(v));
    this.missing?.push(0);
    this.length = row + 1;
  }

  /** The rows up to `row` that have no value. */
  pass(row: number): void {
    if (row <= this.length) return;
    if (!this.missing) {
      this.missing = growingBytes();
      this.missing.fill(0, this.length);
    }
    this.missing.fill(1, row);
    if (this.texts) while (this.texts.length < row) this.texts.push('');
    else this.numbers?.fill(this.type === 'number' ? NaN : 0, row);
    this.length = row;
  }

  column(name: string, rows: number): Column {
    this.pass(rows);
    const extra = this.missing ? { missing: this.missing.done() } : {};
    const texts = this.texts ?? (this.type === null ? new Array<string>(rows).fill('') : null);
    return texts
      ? { name, type: 'text', unit: null, values: texts, ...extra }
      : { name, type: this.type!, unit: null, values: this.numbers!.done(), ...extra };
  }

  private begin(type: Column['type']): void {
    this.type = type;
    if (type === 'text') this.texts = new Array<string>(this.length).fill('');
    else {
      this.numbers = growingFloats();
      this.numbers.fill(type === 'number' ? NaN : 0, this.length);
    }
  }

  private toTexts(): void {
    const { type, numbers } = this;
    this.texts = [];
    for (let i = 0; i < this.length; i++) {
      const v = numbers!.at(i);
      this.texts.push(this.missing?.at(i) ? '' : type === 'boolean' ? String(v === 1) : String(v));
    }
    this.type = 'text';
    this.numbers = null;
  }
}

/**
 * Columns of records that come one after the other, each with names of its own: in order of first appearance, what a record lacks is
 * missing. O(values), and a column that appears late costs its values only.
 */
export class ColumnCollector {
  private readonly found = new Map<string, Collected>();
  rows = 0;

  /**
   * @param file for messages
   * @param most values of all columns together
   */
  constructor(
    private readonly file: string,
    private readonly most: number,
  ) {}

  add(record: Readonly<Record<string, unknown>>): void {
    for (const key of Object.keys(record)) {
      let c = this.found.get(key);
      if (!c) {
        c = new Collected();
        this.found.set(key, c);
        if (this.found.size > MOST_COLUMNS)
          throw new HelkError(
            'file.tooLarge',
            `"${this.file}" has more than ${MOST_COLUMNS} different columns by row ${this.rows + 1}; that many are taken in at most. Are names and values mixed up?`,
            this.file,
          );
      }
      c.set(this.rows, record[key]);
    }
    this.rows++;
    if (this.found.size * this.rows > this.most)
      throw new HelkError(
        'file.tooLarge',
        `"${this.file}" has ${this.found.size} columns of more than ${this.rows} rows; at most ${this.most / 1e6} million values are taken in.`,
        this.file,
      );
  }

  columns(): Column[] {
    return [...this.found].map(([key, c], k) => c.column(key.trim() ? key : `column ${k + 1}`, this.rows));
  }
}
