import { HelkError } from '../../errors';
import { type Column } from '../../data/features';
import { FreeNames } from '../../data/names';

/** Encodings by the language driver byte of dBASE files, where a reader of text knows them. */
const DRIVERS: Record<number, string> = {
  0x03: 'windows-1252',
  0x57: 'windows-1252',
  0x58: 'windows-1252',
  0x59: 'windows-1252',
  0xc8: 'windows-1250',
  0xc9: 'windows-1251',
  0xca: 'windows-1254',
  0xcb: 'windows-1253',
  0xcc: 'windows-1257',
  0x26: 'ibm866',
  0x65: 'ibm866',
};

/** An encoding's name in a `.cpg` file as a reader of text knows it. */
export function encodingOf(cpg: string | null, driver: number): { encoding: string; given: boolean } {
  const t = cpg?.trim().toLowerCase() ?? '';
  const guess = /^(utf-?8|65001)$/.test(t)
    ? 'utf-8'
    : /^(ansi )?1252$/.test(t)
      ? 'windows-1252'
      : /^125\d$/.test(t)
        ? `windows-${t}`
        : /^8859-?(\d+)$/.test(t)
          ? `iso-8859-${/(\d+)$/.exec(t)![1]}`
          : t || DRIVERS[driver];
  if (guess) {
    try {
      new TextDecoder(guess);
      return { encoding: guess, given: true };
    } catch {
      // Not known here.
    }
  }
  return { encoding: 'utf-8', given: false };
}

/**
 * Records of a dBASE III table as columns: N and F as numbers, L as truth, D and C as text; blank fields and fields of asterisks are
 * missing. Deleted records are kept as missing rows so that they stay in step with their shapes.
 *
 * @throws HelkError `file.damaged` with the record where it ends
 */
export function readDbf(
  bytes: Uint8Array,
  cpg: string | null,
  name: string,
): { columns: Column[]; rows: number; guessed: boolean } {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const damaged = (why: string): never => {
    throw new HelkError('file.damaged', `The table (.dbf) of "${name}" ${why}.`, name);
  };
  if (bytes.length < 33) damaged('is too short to be one');
  const rows = view.getUint32(4, true);
  const header = view.getUint16(8, true);
  const length = view.getUint16(10, true);
  if (header < 33 || length < 1 || header > bytes.length) damaged('has a header that makes no sense');
  const have = Math.floor((bytes.length - header) / length);
  if (have < rows) damaged(`says it holds ${rows} records, but ends after ${have}`);
  const { encoding, given } = encodingOf(cpg, bytes[29]!);
  const latin = new TextDecoder('windows-1252');
  let text = new TextDecoder(encoding, { fatal: encoding === 'utf-8' });
  let guessed = false;
  const read = (from: number, to: number): string => {
    try {
      return text.decode(bytes.subarray(from, to));
    } catch {
      // Nothing said which encoding it is, and it is not UTF-8.
      guessed = true;
      text = latin;
      return latin.decode(bytes.subarray(from, to));
    }
  };
  if (!given) text = new TextDecoder('utf-8', { fatal: true });
  const columns: Column[] = [];
  const names = new FreeNames([], '_');
  for (let at = 32, offset = 1; at + 32 <= header && bytes[at] !== 0x0d; at += 32) {
    let end = at;
    while (end < at + 11 && bytes[end] !== 0) end++;
    const base = read(at, end).trim() || `column ${columns.length + 1}`;
    const unique = names.take(base);
    const type = String.fromCharCode(bytes[at + 11]!);
    const size = bytes[at + 16]! + (type === 'C' ? bytes[at + 17]! << 8 : 0);
    const missing = new Uint8Array(rows);
    const numbers = 'NFIO+B'.includes(type) || type === 'L' ? new Float64Array(rows) : null;
    const texts: string[] = [];
    for (let r = 0; r < rows; r++) {
      const from = header + r * length + offset;
      const raw =
        bytes[header + r * length] === 0x2a
          ? ''
          : numbers
            ? latin.decode(bytes.subarray(from, from + size))
            : read(from, from + size);
      const v = raw.replace(/\0/g, ' ').trim();
      if (numbers) {
        if (type === 'I' && size === 4) numbers[r] = view.getInt32(from, true);
        else if ((type === 'O' || type === 'B') && size === 8) numbers[r] = view.getFloat64(from, true);
        else if (type === 'L') {
          if (!/^[YyTtNnFf]$/.test(v)) missing[r] = 1;
          else numbers[r] = /[YyTt]/.test(v) ? 1 : 0;
        } else {
          const n = v === '' || /^\*+$/.test(v) ? NaN : Number(v.replace(',', '.'));
          numbers[r] = n;
          if (n !== n) missing[r] = 1;
        }
      } else {
        // Dates are blank, or zeros, where there is none.
        const t =
          type === 'D' && /^\d{8}$/.test(v) && v !== '00000000'
            ? `${v.slice(0, 4)}-${v.slice(4, 6)}-${v.slice(6)}`
            : type === 'D'
              ? ''
              : v;
        texts.push(t);
        if (t === '') missing[r] = 1;
      }
    }
    columns.push({
      name: unique,
      type: type === 'L' ? 'boolean' : numbers ? 'number' : 'text',
      unit: null,
      values: numbers ?? texts,
      ...(missing.includes(1) ? { missing } : {}),
    });
    offset += size;
  }
  return { columns, rows, guessed };
}

/** What a column's name becomes in ten bytes, told apart from those before it. */
export function shortNames(columns: readonly { name: string }[]): string[] {
  const used = new Set<string>();
  const fit = (s: string, most: number): string => {
    let out = '';
    for (const c of s) {
      if (new TextEncoder().encode(out + c).length > most) break;
      out += c;
    }
    return out;
  };
  return columns.map(({ name }) => {
    const plain = name.replace(/\s+/g, '_') || 'column';
    let short = fit(plain, 10);
    for (let k = 2; used.has(short.toLowerCase()); k++) short = `${fit(plain, 10 - String(k).length - 1)}_${k}`;
    used.add(short.toLowerCase());
    return short;
  });
}

/** Columns as a dBASE III table in UTF-8. Numbers have up to 15 digits, texts at most 254 bytes; missing values are blank. */
export function writeDbf(columns: readonly Column[], rows: number): Uint8Array {
  const encoder = new TextEncoder();
  const names = shortNames(columns);
  const fields = columns.map((c, k) => {
    if (c.type === 'boolean')
      return {
        name: names[k]!,
        type: 'L',
        size: 1,
        digits: 0,
        cell: (i: number) => (c.missing?.[i] ? ' ' : c.values[i] === 1 ? 'T' : 'F'),
      };
    if (c.type === 'number') {
      const v = c.values as Float64Array;
      const gone = (i: number): boolean => c.missing?.[i] === 1 || !Number.isFinite(v[i]!);
      const whole = v.every((x, i) => gone(i) || (Number.isInteger(x) && Math.abs(x) < 1e15));
      return {
        name: names[k]!,
        type: 'N',
        size: 20,
        digits: whole ? 0 : 10,
        cell: (i: number) => (gone(i) ? '' : decimal(v[i]!, whole)).padStart(20),
      };
    }
    const texts = (c.values as string[]).map((t, i) => (c.missing?.[i] ? '' : t));
    let size = 1;
    for (const t of texts) size = Math.max(size, Math.min(254, encoder.encode(t).length));
    return { name: names[k]!, type: 'C', size, digits: 0, cell: (i: number) => texts[i]! };
  });
  const length = 1 + fields.reduce((s, f) => s + f.size, 0);
  const header = 33 + 32 * fields.length;
  const out = new Uint8Array(header + rows * length + 1).fill(0x20);
  const view = new DataView(out.buffer);
  out.fill(0, 0, header);
  out[0] = 3;
  out.set([126, 1, 1], 1);
  view.setUint32(4, rows, true);
  view.setUint16(8, header, true);
  view.setUint16(10, length, true);
  fields.forEach((f, k) => {
    const at = 32 + 32 * k;
    out.set(encoder.encode(f.name).subarray(0, 10), at);
    out[at + 11] = f.type.charCodeAt(0);
    out[at + 16] = f.size;
    out[at + 17] = f.digits;
  });
  out[header - 1] = 0x0d;
  for (let r = 0; r < rows; r++) {
    let at = header + r * length + 1;
    for (const f of fields) {
      out.set(cut(encoder.encode(f.cell(r)), f.size), at);
      at += f.size;
    }
  }
  out[out.length - 1] = 0x1a;
  return out;
}

/** At most so many bytes, never half a letter. */
function cut(b: Uint8Array, most: number): Uint8Array {
  if (b.length <= most) return b;
  let end = most;
  while (end > 0 && (b[end]! & 0xc0) === 0x80) end--;
  return b.subarray(0, end);
}

/** A number in at most 20 places without losing what they can hold. */
function decimal(v: number, whole: boolean): string {
  if (whole) return String(v);
  for (let digits = 15; digits >= 0; digits--) {
    const t = v.toFixed(digits);
    if (t.length <= 20) return t.includes('.') ? t.replace(/0+$/, '').replace(/\.$/, '.0') : t;
  }
  return v.toExponential(12);
}
