import { MISSING_CLASS, type Band, type StoredType } from '../data/raster';

const RANGE: Partial<Record<StoredType, [number, number]>> = {
  int8: [-128, 127],
  uint8: [0, 255],
  int16: [-32768, 32767],
  uint16: [0, 65535],
  int32: [-2147483648, 2147483647],
  uint32: [0, 4294967295],
};

export interface Storage {
  type: StoredType;
  /** Missing value to write; NaN for floating point; null when nothing is missing. */
  missing: number | null;
}

/**
 * The type a band is written in: that of its source as long as every value is whole and in range and a missing value is
 * left over; else 32-bit integers for classes, 32-bit floats for measures, doubles where floats would lose digits.
 */
export function storageFor(band: Band): Storage {
  const { cells } = band;
  const category = band.kind === 'category';
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
    /int/.test(band.storedType) && whole ? [band.storedType, 'int16', 'int32'] : category ? ['int16', 'int32'] : [];
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
  return { type: cells instanceof Float64Array ? 'float64' : 'float32', missing: NaN };
}

/** The code when it lies in the type's range and outside the values. */
function usable(code: number | null, lo: number, hi: number, min: number, max: number): number | null {
  if (code === null || !Number.isInteger(code) || code < lo || code > hi) return null;
  return code < min || code > max || min > max ? code : null;
}

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
