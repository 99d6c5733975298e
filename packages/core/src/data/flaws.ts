import type { Dataset, DatasetKind } from './dataset';
import { featureCount, type Column, type Features } from './features';
import type { Cells, Raster } from './raster';
import type { Table } from './table';

/**
 * What makes a dataset one that nothing can work with: offsets that run backwards, columns of other lengths, bands without cells. Readers
 * are held to it, so that such a thing never gets into a project.
 *
 * @returns a clause that says what is wrong, or null; O(features and rings)
 */
export const flawOf = (d: Dataset): string | null => (FLAWS[d.kind] as (d: Dataset) => string | null)(d);

const FLAWS: { [K in DatasetKind]: (d: Extract<Dataset, { kind: K }>) => string | null } = {
  raster: rasterFlaw,
  features: featuresFlaw,
  table: (t: Table) => columnsFlaw(t.columns, t.columns[0]?.values.length ?? 0),
};

function rasterFlaw({ grid, bands }: Raster): string | null {
  const { x, y, dx, dy, columns, rows } = grid;
  if (!(Number.isInteger(columns) && Number.isInteger(rows) && columns > 0 && rows > 0))
    return `it has ${columns} by ${rows} cells`;
  if (!(dx > 0 && dy > 0 && Number.isFinite(dx * columns) && Number.isFinite(dy * rows)))
    return `its cells measure ${dx} by ${dy}`;
  if (!Number.isFinite(x) || !Number.isFinite(y)) return 'it lies nowhere';
  if (bands.length === 0) return 'it has no band';
  const wrong = bands.find((b) => b.cells.length !== columns * rows);
  return wrong ? `its band "${wrong.name}" has ${wrong.cells.length} cells, not ${columns * rows}` : null;
}

function featuresFlaw(f: Features): string | null {
  const levels: [string, Uint32Array, number][] = [
    ['features', f.featureOffsets, f.partOffsets.length - 1],
    ['parts', f.partOffsets, f.ringOffsets.length - 1],
    ['rings', f.ringOffsets, f.xy.length / 2],
  ];
  for (const [name, offsets, end] of levels) {
    if (offsets.length === 0 || offsets[0] !== 0 || offsets[offsets.length - 1] !== end)
      return `its ${name} do not add up`;
    for (let i = 1; i < offsets.length; i++) if (offsets[i]! < offsets[i - 1]!) return `its ${name} run backwards`;
  }
  if (f.z && f.z.length * 2 !== f.xy.length) return 'its heights and places are not alike in number';
  return columnsFlaw(f.columns, featureCount(f));
}

function columnsFlaw(columns: readonly Column[], rows: number): string | null {
  const names = new Set<string>();
  for (const c of columns) {
    if (names.has(c.name)) return `it has two columns called "${c.name}"`;
    names.add(c.name);
    if (c.values.length !== rows || (c.missing && c.missing.length !== rows))
      return `its column "${c.name}" has ${c.values.length} values, not ${rows}`;
    if (c.values instanceof Float64Array !== (c.type !== 'text')) return `its column "${c.name}" is of another type`;
  }
  return null;
}

/** Makes infinite values missing ones, in place; says how many there were. O(values). */
export const infiniteToMissing = (d: Dataset): number => (INFINITE[d.kind] as (d: Dataset) => number)(d);

const INFINITE: { [K in DatasetKind]: (d: Extract<Dataset, { kind: K }>) => number } = {
  raster: ({ bands }) => bands.reduce((n, b) => n + (b.kind === 'measure' ? eachInfinite(b.cells, noop) : 0), 0),
  features: (f) => columnsInfinite(f.columns),
  table: (t) => columnsInfinite(t.columns),
};

const noop = (): void => undefined;

function columnsInfinite(columns: Column[]): number {
  let n = 0;
  for (const c of columns)
    if (c.values instanceof Float64Array) {
      const { length } = c.values;
      n += eachInfinite(c.values, (i) => void ((c.missing ??= new Uint8Array(length))[i] = 1));
    }
  return n;
}

function eachInfinite(values: Cells, seen: (i: number) => void): number {
  let n = 0;
  for (let i = 0; i < values.length; i++) {
    const v = values[i]!;
    // Infinite less infinite is no number; so is what was none before.
    if (v - v !== 0 && v === v) {
      values[i] = NaN;
      seen(i);
      n++;
    }
  }
  return n;
}
