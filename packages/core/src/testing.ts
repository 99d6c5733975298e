import { MemoryRaster } from './data/raster-handles';
import { LocalJob } from './method/job';
import { warp } from './methods/raster/warp';
import type { Resampling } from './numeric/resample';
import { measureRaster, type Grid, type Raster } from './data/raster';
import { crsOfCode } from './data/crs';
import { runMethod, type Outcome } from './method/run';
import { methodOf } from './method/registry';
import { columnsOf, type Dataset, type DatasetInfo } from './data/kinds';
import type { ParamSpec } from './method/params';

/** Helpers for specs only. */
export const utm27 = () => crsOfCode(32627);

export function gridOf(columns: number, rows: number, cell = 10, over: Partial<Grid> = {}): Grid {
  return { crs: utm27(), x: 400000, y: 6460000, dx: cell, dy: cell, columns, rows, ...over };
}

/** A one-band raster from numbers; null is missing. */
export function rasterOf(
  columns: number,
  values: (number | null)[],
  over: Partial<Grid> = {},
  unit: string | null = 'm',
): Raster {
  const cells = Float32Array.from(values, (v) => v ?? NaN);
  return measureRaster(gridOf(columns, values.length / columns, 10, over), cells, { name: 'z', unit });
}

export function run(
  id: string,
  data: Record<string, Dataset | Dataset[]>,
  params: Record<string, unknown> = {},
): Promise<Outcome> {
  const held = Object.fromEntries(Object.entries(data).map(([k, v]) => [k, Array.isArray(v) ? v : [v]]));
  return runMethod(methodOf(id), held, params);
}

export async function runRaster(
  id: string,
  data: Record<string, Dataset | Dataset[]>,
  params: Record<string, unknown> = {},
): Promise<{ out: Raster; outcome: Outcome }> {
  const outcome = await run(id, data, params);
  return { out: outcome.outputs[0]!.data as Raster, outcome };
}

/** A believable rough surface for properties: seeded, with flats and pits. */
export function roughCells(width: number, height: number, uniform: () => number): Float32Array {
  const cells = new Float32Array(width * height);
  for (let i = 0; i < cells.length; i++) cells[i] = Math.round(uniform() * 20 + 3 * Math.sin((i % width) / 3)) + 0;
  return cells;
}

/** Rejects with a HelkError of that code, and says so when it does not. */
export async function refusalOf(p: Promise<unknown>): Promise<{ code: string; message: string; path: string | null }> {
  try {
    await p;
  } catch (e) {
    return e as { code: string; message: string; path: string | null };
  }
  throw new Error('It was not refused.');
}

/** A raster in memory on another grid. */
export async function warped(source: Raster, target: Grid, how: Resampling | 'auto'): Promise<Raster> {
  const job = new LocalJob();
  const { sink } = await warp(job, 'warped', 'warping', new MemoryRaster(source), target, how);
  return (await (await job.result(sink)).load()) as Raster;
}

/** A value for a setting that has neither default nor suggestion: the first of what there is, else the one given for its type. */
export function anySetting(
  name: string,
  spec: ParamSpec,
  infos: Record<string, DatasetInfo[]>,
  by: Partial<Record<ParamSpec['type'] | NonNullable<ParamSpec['widget']>, string | number>>,
  texts: Readonly<Record<string, string>> = {},
): unknown {
  if (spec.type === 'column' || spec.type === 'columns') {
    const all = columnsOf(spec.of ? infos[spec.of.split(',')[0]!]?.[0] : undefined);
    return all.find((c) => !spec.numeric || c.type === 'number')?.name ?? 'v';
  }
  if (spec.choices) return spec.choices[0]!.value;
  // A text with a grammar of its own stands under its name.
  if (spec.type === 'text' && !spec.widget) return texts[name] ?? name;
  return (spec.widget && by[spec.widget]) ?? by[spec.type] ?? by.number;
}
