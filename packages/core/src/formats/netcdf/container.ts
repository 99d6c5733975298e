import type { StoredType } from '../../data/raster';

export type AttributeValue = string | number | number[];

/** One array of a file, whichever container holds it. */
export interface NcVariable {
  name: string;
  dimensions: string[];
  shape: number[];
  /** `text` for characters and strings; null for types no number can be made of. */
  type: StoredType | 'text' | null;
  attributes: Record<string, AttributeValue>;
  /** Why it is not read, where it is not. */
  refused?: string;
  /** Numbers as stored, row by row; the leading dimensions fixed at `at`, the others whole. */
  read(at?: number[]): Numbers;
}

export type Numbers =
  Float64Array | Float32Array | Int32Array | Uint32Array | Int16Array | Uint16Array | Int8Array | Uint8Array;

export interface NcFile {
  variables: NcVariable[];
  attributes: Record<string, AttributeValue>;
  /** Members that are passed over, each with its reason. */
  passed: string[];
  close(): void;
}

/** Variables of one file; more are no grids. */
export const MOST_VARIABLES = 4096;

/** Numbers of a text or list attribute as a list; empty when it holds none. */
export function numbersOf(v: AttributeValue | undefined): number[] {
  if (typeof v === 'number') return [v];
  if (Array.isArray(v)) return v;
  return [];
}

export const textOf = (v: AttributeValue | undefined): string => (typeof v === 'string' ? v : '');

/** A text without the zeros that pad it. */
export function trimNulls(s: string): string {
  let end = s.length;
  while (end > 0 && s.charCodeAt(end - 1) === 0) end--;
  return s.slice(0, end);
}
