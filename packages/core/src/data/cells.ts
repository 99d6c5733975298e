import type { Held } from './held';
import { bandInfo, MISSING_CLASS, type Band, type BandInfo, type Cells, type StoredType } from './raster';

const RANGE: Partial<Record<StoredType, [number, number]>> = {
  int8: [-128, 127],
  uint8: [0, 255],
  int16: [-32768, 32767],
  uint16: [0, 65535],
  int32: [-2147483648, 2147483647],
  uint32: [0, 4294967295],
};

const ARRAYS = {
  int8: Int8Array,
  uint8: Uint8Array,
  int16: Int16Array,
  uint16: Uint16Array,
  int32: Int32Array,
  uint32: Uint32Array,
  float32: Float32Array,
  float64: Float64Array,
};

export type StoredArray = InstanceType<(typeof ARRAYS)[StoredType]>;

export const storedArray = (type: StoredType, n: number): StoredArray => new ARRAYS[type](n);
export const bytesOf = (type: StoredType): number => ARRAYS[type].BYTES_PER_ELEMENT;
export const isWhole = (type: StoredType): boolean => !/float/.test(type);
/** A type that holds every value of a whole-number one, and a value beside them for what is missing. */
export function roomier(type: StoredType): Pick<Held, 'type' | 'missing'> {
  if (type === 'int8' || type === 'uint8') return { type: 'int16', missing: -32768 };
  if (type === 'int16' || type === 'uint16') return { type: 'int32', missing: MISSING_CLASS };
  return { type: 'float64', missing: null };
}

/** Whether values of a type need doubles. */
export const isWide = (type: StoredType): boolean => /64|int32/.test(type);

/** An array of the type over bytes that are copied, so that they may lie anywhere. */
export function storedOver(type: StoredType, bytes: Uint8Array): StoredArray {
  const copy = bytes.slice().buffer;
  return new ARRAYS[type](copy);
}

/**
 * The type a band is written in: that of its source as long as every value is whole and in range and a missing value is
 * left over; else 32-bit integers for classes, 32-bit floats for measures, doubles where floats would lose digits. O(cells).
 */
export function heldFor(band: Band): Held {
  const { cells } = band;
  const category = band.kind === 'category';
  if (!category && !isWhole(band.storedType)) return floats(cells);
  let min = Infinity;
  let max = -Infinity;
  let whole = true;
  let missing = false;
  for (let i = 0; i < cells.length; i++) {
    const v = cells[i]!;
    if (v !== v || (category && v === MISSING_CLASS)) {
      missing = true;
      continue;
    }
    if (v < min) min = v;
    if (v > max) max = v;
    if (whole && v !== Math.floor(v)) whole = false;
  }
  const wanted: StoredType[] =
    isWhole(band.storedType) && whole ? [band.storedType, 'int16', 'int32'] : category ? ['int16', 'int32'] : [];
  for (const type of wanted) {
    const [lo, hi] = RANGE[type]!;
    if (min < lo || max > hi) continue;
    if (!missing) return { type, missing: usable(band.missingCode, lo, hi, min, max) };
    const code =
      usable(band.missingCode, lo, hi, min, max) ??
      usable(lo < 0 ? lo : hi, lo, hi, min, max) ??
      usable(hi, lo, hi, min, max);
    if (code !== null) return { type, missing: code };
  }
  return floats(cells);
}

const floats = (cells: Cells): Held => ({ type: cells instanceof Float64Array ? 'float64' : 'float32', missing: null });

/** The code when it lies in the type's range and outside the values. */
function usable(code: number | null, lo: number, hi: number, min: number, max: number): number | null {
  if (code === null || !Number.isInteger(code) || code < lo || code > hi) return null;
  return code < min || code > max || min > max ? code : null;
}

/** How a band is held when nothing else is said: classes as they are in memory, measures as floats or doubles. */
export function plainHeld(band: Pick<BandInfo, 'kind' | 'storedType'>): Held {
  if (band.kind === 'category') return { type: 'int32', missing: MISSING_CLASS };
  return { type: isWide(band.storedType) ? 'float64' : 'float32', missing: null };
}

/** Room for the values of a held band as methods see them. */
export function cellsFor(band: { kind: BandInfo['kind']; held: Held }, n: number): Cells {
  if (band.kind === 'category') return new Int32Array(n);
  return isWide(band.held.type) ? new Float64Array(n) : new Float32Array(n);
}

/** Stored values as methods see them: the missing value turned into NaN or `MISSING_CLASS`, factor and offset applied. O(cells). */
export function decodeCells(raw: ArrayLike<number>, band: { kind: BandInfo['kind']; held: Held }, out: Cells): Cells {
  const { held, kind } = band;
  const { factor = 1, offset = 0 } = held;
  const none = kind === 'category' ? MISSING_CLASS : NaN;
  const code = held.missing ?? NaN;
  const scaled = factor !== 1 || offset !== 0;
  if (!scaled && code !== code) out.set(raw);
  else
    for (let i = 0; i < raw.length; i++) {
      const v = raw[i]!;
      out[i] = v === code ? none : scaled ? v * factor + offset : v;
    }
  return out;
}

/**
 * Values as they are stored. O(cells).
 *
 * @throws RangeError when a value does not fit the type, or one is missing where no missing value was foreseen
 */
export function encodeCells(cells: Cells, band: { kind: BandInfo['kind']; held: Held }): StoredArray {
  const { held, kind } = band;
  const out = storedArray(held.type, cells.length);
  const { factor = 1, offset = 0 } = held;
  const none = kind === 'category' ? MISSING_CLASS : NaN;
  if (!isWhole(held.type)) {
    if (factor === 1 && offset === 0) out.set(cells);
    else for (let i = 0; i < cells.length; i++) out[i] = (cells[i]! - offset) / factor;
    return out;
  }
  const code = held.missing;
  for (let i = 0; i < cells.length; i++) {
    const v = cells[i]!;
    if (v !== v || v === none) {
      if (code === null) throw new RangeError('A cell is missing, but no value stands for missing ones.');
      out[i] = code;
    } else {
      const whole = Math.round((v - offset) / factor);
      out[i] = whole;
      if (out[i] !== whole) throw new RangeError(`${v} does not fit ${held.type}.`);
    }
  }
  return out;
}

/** A band held as its source is, for values that are some of the source's. */
export const heldBand = (b: BandInfo & { held?: Held }): BandInfo & { held: Held } => ({
  ...bandInfo(b),
  held: b.held ?? plainHeld(b),
});

/** A band held in floating point, wide where the source's values are, for values that are worked out from them. */
export function floatBand(b: BandInfo & { held?: Held }): BandInfo & { held: Held } {
  const type = isWide(b.held?.type ?? b.storedType) ? 'float64' : 'float32';
  return { ...bandInfo(b), storedType: type, held: { type, missing: null } };
}
