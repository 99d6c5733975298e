import type { Column, ColumnInfo } from './features';

/** Columns without geometry: statistics, a change matrix, a profile, a variogram. */
export interface Table {
  kind: 'table';
  columns: Column[];
}

/** What there is to know of a table without its values. */
export interface TableInfo {
  kind: 'table';
  rows: number;
  columns: ColumnInfo[];
}

export function tableRows(t: Table): number {
  return t.columns[0]?.values.length ?? 0;
}

export function numberColumn(name: string, values: ArrayLike<number>, unit: string | null = null): Column {
  const v = Float64Array.from(values);
  let missing: Uint8Array | undefined;
  for (let i = 0; i < v.length; i++) if (v[i] !== v[i]) (missing ??= new Uint8Array(v.length))[i] = 1;
  return missing ? { name, type: 'number', unit, values: v, missing } : { name, type: 'number', unit, values: v };
}

export function textColumn(name: string, values: string[]): Column {
  return { name, type: 'text', unit: null, values };
}
