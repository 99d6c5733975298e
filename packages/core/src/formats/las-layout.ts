import type { CloudAttribute } from '../data/cloud';
import type { StoredType } from '../data/raster';

/** Where the fields of the point formats of the LAS specification (1.4 R15) lie, in bytes from the beginning of a point. */
export interface PointLayout {
  bytes: number;
  /** Formats 6 to 10: four bits of returns, a byte of class, fine scan angles. */
  wide: boolean;
  time: number | null;
  colour: number | null;
  infrared: number | null;
  /** A reference to a wave packet, which is not read. */
  wave: boolean;
}

const layout = (
  bytes: number,
  wide: boolean,
  time: number | null,
  colour: number | null,
  infrared: number | null = null,
  wave = false,
): PointLayout => ({ bytes, wide, time, colour, infrared, wave });

export const POINT_LAYOUTS: readonly PointLayout[] = [
  layout(20, false, null, null),
  layout(28, false, 20, null),
  layout(26, false, null, 20),
  layout(34, false, 20, 28),
  layout(57, false, 20, null, null, true),
  layout(63, false, 20, 28, null, true),
  layout(30, true, 22, null),
  layout(36, true, 22, 30),
  layout(38, true, 22, 30, 36),
  layout(59, true, 22, null, null, true),
  layout(67, true, 22, 30, 36, true),
];

/** Degrees of a step of the scan angle in formats 6 to 10. */
export const ANGLE_STEP = 0.006;

/** A value that a file adds to every point (record 4 of LASF_Spec). */
export interface ExtraBytes {
  name: string;
  /** Null for bytes whose meaning is not told, which are passed over. */
  type: StoredType | 'int64' | 'uint64' | null;
  bytes: number;
  factor: number;
  offset: number;
  missing: number | null;
  about: string;
}

/** Types of extra bytes by their number, 1 to 10. */
export const EXTRA_TYPES: readonly (ExtraBytes['type'] | undefined)[] = [
  null,
  'uint8',
  'int8',
  'uint16',
  'int16',
  'uint32',
  'int32',
  'uint64',
  'int64',
  'float32',
  'float64',
];
export const EXTRA_SIZES = [0, 1, 1, 2, 2, 4, 4, 8, 8, 4, 8];

/** Attributes that have a field of their own. */
export const FIELDS = new Set([
  'classification',
  'intensity',
  'returnNumber',
  'returns',
  'flags',
  'userData',
  'scanAngle',
  'source',
  'time',
  'red',
  'green',
  'blue',
  'infrared',
]);

/** The attributes that are written as extra bytes. */
export const extraAttributes = (all: readonly Pick<CloudAttribute, 'name' | 'type'>[]): number[] =>
  all.flatMap((a, k) => (FIELDS.has(a.name) ? [] : [k]));
