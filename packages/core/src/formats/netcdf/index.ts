import { HelkError } from '../../errors';
import { readDate } from '../../data/dates';
import { findUnit } from '../../data/quantity';
import { MISSING_CLASS, type Band, type ClassEntry, type Grid, type Raster, type StoredType } from '../../data/raster';
import { ALL_STEPS, baseName, claimCells, type FileFormat, type Layer, type ReadOptions } from '../reader';
import { axisOf, coordinateOf, directionOf, isTime, stepLabels, type Axis, type Direction } from './axis';
import { openClassic } from './classic';
import { numbersOf, textOf, type NcFile, type NcVariable, type Numbers } from './container';
import { crsOfVariable } from './grid-mapping';
import { openHdf5 } from './hdf5';
import type { Note } from '../../data/check';

const HDF5 = [0x89, 0x48, 0x44, 0x46, 0x0d, 0x0a, 0x1a, 0x0a];
const isHdf5 = (b: Uint8Array): boolean => HDF5.every((v, i) => b[i] === v);
const isClassic = (b: Uint8Array): boolean => b[0] === 0x43 && b[1] === 0x44 && b[2] === 0x46;

/**
 * Grids of NetCDF files by the CF conventions (1.11): every variable that lies on an x and a y axis is a layer; further
 * dimensions (time, level) are steps: of a time axis all are read, a band each, of others one. Packing, missing values, units, flags, grid mapping and the order of
 * latitudes are honoured.
 */
export const netcdf: FileFormat = {
  id: 'netcdf',
  title: 'NetCDF',
  extensions: ['nc', 'nc4', 'cdf', 'h5', 'hdf5'],
  sniff: (b) => isClassic(b) || isHdf5(b),
  read: async (bytes, name, options) => {
    if (isClassic(bytes) && bytes[3] === 5)
      throw new HelkError(
        'file.unsupported',
        `"${name}" is of the 64-bit data variant (CDF-5), which is not read; save it as NetCDF-4.`,
        name,
      );
    try {
      const file = isHdf5(bytes) ? await openHdf5(bytes, name, options) : openClassic(bytes, name);
      try {
        return gridsOf(file, name, options);
      } finally {
        file.close();
      }
    } catch (e) {
      if (e instanceof HelkError) throw e;
      // A header that contradicts itself trips the reading packages in many ways; to the analyst they are one.
      throw new HelkError('file.damaged', `"${name}" is NetCDF but contradicts itself; is it whole?`, name);
    }
  },
};

function gridsOf(file: NcFile, name: string, options: ReadOptions): Layer[] {
  const helpers = new Set(
    file.variables.flatMap((v) =>
      ['bounds', 'climatology', 'grid_mapping', 'coordinates', 'ancillary_variables'].flatMap((k) =>
        k === 'ancillary_variables' ? [] : textOf(v.attributes[k]).split(/[\s:]+/),
      ),
    ),
  );
  const grids = file.variables.filter(
    (v) => v.shape.length >= 2 && v.type !== 'text' && v.type !== null && !helpers.has(v.name),
  );
  const layers: Layer[] = [];
  const refused = [...file.passed];
  for (const v of grids) {
    if (options.only && !options.only.includes(layerName(v, grids, name))) continue;
    try {
      layers.push(layerOf(file, v, layerName(v, grids, name), name, options));
    } catch (e) {
      if (!(e instanceof HelkError) || e.code !== 'file.unsupported') throw e;
      refused.push(e.message);
    }
  }
  if (layers.length === 0 && !refused.length && grids.length)
    throw new HelkError(
      'method.parameter',
      `There is no layer "${options.only!.join('", "')}" in "${name}"; there is ${grids.map((v) => layerName(v, grids, name)).join(', ')}.`,
      'layers',
    );
  if (layers.length === 0)
    throw new HelkError(
      refused.length ? 'file.unsupported' : 'file.content',
      refused[0] ??
        `"${name}" holds no grid: none of its variables (${
          file.variables
            .map((v) => v.name)
            .slice(0, 8)
            .join(', ') || 'there are none'
        }) lies on two axes.`,
      name,
    );
  for (const r of refused)
    layers[0]!.notes.push({ level: 'info', code: 'netcdf.passedOver', message: `Passed over: ${r}` });
  return layers;
}

/** A file with one grid is called after the file, several after their variables. */
const layerName = (v: NcVariable, all: NcVariable[], file: string): string =>
  all.length === 1 ? baseName(file) : v.name.split('/').join(' ');

/** Values that are taken in at once where nobody has said that all steps are wanted. */
const MOST_UNASKED = 5e7;
const fitsWhole = (values: number, o: ReadOptions): boolean =>
  values <= Math.min(MOST_UNASKED, o.maxCells) && values * 8 <= o.maxBytes;

interface Sides {
  x: { at: number; axis: Axis };
  y: { at: number; axis: Axis };
}

/** Which dimensions run east and north: by their coordinate variables, which must be there. */
function sidesOf(file: NcFile, v: NcVariable, name: string): Sides {
  const found: Partial<Record<Direction, { at: number; axis: Axis }>> = {};
  const coordinates = v.dimensions.map((d) => coordinateOf(file, d));
  coordinates.forEach((c, at) => {
    const d = c && directionOf(c);
    if (c && d && !found[d]) found[d] = { at, axis: axisOf(c, name) };
  });
  if (!found.x || !found.y) {
    const curved = textOf(v.attributes['coordinates']);
    throw new HelkError(
      'file.unsupported',
      `"${name}": ${v.name} has no evenly spaced axis ${found.x ? 'north' : found.y ? 'east' : 'east and north'}${curved ? ` (its places stand cell by cell in ${curved}); bring it to a regular grid first` : ''}.`,
      name,
    );
  }
  return found as Sides;
}

function layerOf(file: NcFile, v: NcVariable, layer: string, name: string, options: ReadOptions): Layer {
  const notes: Note[] = [];
  if (v.refused) throw new HelkError('file.unsupported', `"${name}": ${v.name} ${v.refused}`, name);
  const { x, y } = sidesOf(file, v, name);
  const columns = x.axis.count;
  const rows = y.axis.count;
  claimCells(columns, rows, 1, options, name);
  const leading = v.shape.map((_, i) => i).filter((i) => i !== x.at && i !== y.at);
  if (leading.some((i) => i > Math.min(x.at, y.at)))
    throw new HelkError(
      'file.unsupported',
      `"${name}": in ${v.name} the axes stand in an order that is not read (${v.dimensions.join(', ')}).`,
      name,
    );
  const counts = leading.map((i) => v.shape[i]!);
  const total = counts.reduce((a, b) => a * b, 1);
  if (total === 0) throw new HelkError('file.unsupported', `"${name}": ${v.name} has no step in it.`, name);
  const steps = leading.length ? labelsOf(file, v, leading, counts) : undefined;
  const dated = steps !== undefined && total > 1 && steps.every((s) => readDate(s) !== null);
  const step = options.steps?.[layer] ?? (dated && fitsWhole(columns * rows * total, options) ? ALL_STEPS : 0);
  if (!(Number.isInteger(step) && (step >= 0 || (step === ALL_STEPS && total > 1)) && step < total))
    throw new HelkError('file.content', `"${name}": ${v.name} has ${total} steps, none at ${step + 1}.`, name);
  if (step === ALL_STEPS) claimCells(columns, rows, total, options, name);
  options.progress?.(0.3, 'reading');
  const rawAt = (k: number): Numbers => {
    const at: number[] = [];
    for (let rest = k, i = counts.length - 1; i >= 0; i--) {
      at.unshift(rest % counts[i]!);
      rest = Math.floor(rest / counts[i]!);
    }
    const raw = v.read(at);
    if (raw.length !== columns * rows)
      throw new HelkError(
        'file.damaged',
        `"${name}": ${v.name} holds ${raw.length} values, not ${columns * rows}.`,
        name,
      );
    return raw;
  };
  const crs = options.crs ?? crsOfVariable(file, v, x.axis.degrees && y.axis.degrees, notes);
  const geographic = crs ? crs.geographic : x.axis.degrees;
  const dx = Math.abs(x.axis.step);
  const dy = Math.abs(y.axis.step);
  const west = Math.min(x.axis.first, x.axis.first + x.axis.step * (columns - 1)) - dx / 2;
  const north = Math.max(y.axis.first, y.axis.first + y.axis.step * (rows - 1)) + dy / 2;
  const grid: Grid = { crs, x: west, y: north, dx, dy, columns, rows };
  const flipX = x.axis.step < 0;
  const flipY = y.axis.step > 0;
  // Longitudes beyond 180 are the same places counted from the other side; a whole round is turned so that it begins at 180 W.
  let turn = 0;
  if (geographic && west + dx * columns > 180 + dx) {
    if (west >= 180 - dx) grid.x -= 360;
    else if (Math.abs(dx * columns - 360) < 1.5 * dx) {
      turn = Math.round((180 - west) / dx);
      grid.x = west + turn * dx - 360;
    }
    if (grid.x !== west)
      notes.push({
        level: 'info',
        code: 'netcdf.turned',
        message: 'Longitudes beyond 180° were brought to the western half.',
      });
  }
  if (flipY)
    notes.push({
      level: 'info',
      code: 'netcdf.flipped',
      message: 'Its rows run from south to north; they were turned.',
    });
  const order = (row: number, column: number): number => {
    const r = flipY ? rows - 1 - row : row;
    const turned = turn ? (column + turn) % columns : column;
    const c = flipX ? columns - 1 - turned : turned;
    return y.at < x.at ? r * columns + c : c * rows + r;
  };
  const chosen = step === ALL_STEPS ? Array.from({ length: total }, (_, k) => k) : [step];
  const outside = { count: 0 };
  const bands = chosen.map((k) => {
    if (k) options.progress?.(0.3 + (0.7 * k) / total, 'reading steps');
    return bandOf(v, rawAt(k), columns, rows, order, outside);
  });
  if (outside.count)
    notes.push({
      level: 'look',
      code: 'netcdf.range',
      message: `${outside.count} values outside the valid range that the file states were taken as missing.`,
    });
  if (textOf(v.attributes['positive']) === 'down' || /\bdepth\b/.test(textOf(v.attributes['standard_name'])))
    notes.push({
      level: 'look',
      code: 'netcdf.down',
      message: `${v.name} counts downwards; a factor of -1 (and the unit's own) turns depths into elevations.`,
    });
  if (steps && steps.length > 1)
    notes.push({
      level: 'info',
      code: 'netcdf.step',
      message:
        step === ALL_STEPS
          ? `All ${total} steps, a band each: ${steps[0]} to ${steps[total - 1]}.`
          : `Step ${step + 1} of ${total}: ${steps[step]}.`,
    });
  chosen.forEach((k, i) => {
    if (!dated) return;
    bands[i]!.time = steps[k]!.replace(' ', 'T');
    if (step === ALL_STEPS) bands[i]!.name += ` ${steps[k]}`;
  });
  if (step === ALL_STEPS && !dated) bands.forEach((b, k) => (b.name += ` ${steps![k]}`));
  const data: Raster = { kind: 'raster', grid, bands };
  return { name: layer, data, notes, ...(steps && steps.length > 1 ? { steps, step } : {}) };
}

function labelsOf(file: NcFile, v: NcVariable, leading: number[], counts: number[]): string[] {
  const each = leading.map((i, k) => stepLabels(coordinateOf(file, v.dimensions[i]!), counts[k]!));
  // Time first in the words, whatever its place.
  const time = leading.findIndex((i) => {
    const c = coordinateOf(file, v.dimensions[i]!);
    return c && isTime(c);
  });
  const join = (parts: string[]): string =>
    (time > 0 ? [parts[time]!, ...parts.filter((_, i) => i !== time)] : parts).join(', ');
  return each.reduce<string[][]>((all, list) => all.flatMap((a) => list.map((l) => [...a, l])), [[]]).map(join);
}

/** Fill values that stand when a file names none (NetCDF users guide, appendix B). */
const DEFAULT_FILL: Partial<Record<StoredType, number>> = {
  int16: -32767,
  int32: -2147483647,
  float32: 9.969209968386869e36,
  float64: 9.969209968386869e36,
};

function bandOf(
  v: NcVariable,
  raw: Numbers,
  columns: number,
  rows: number,
  order: (row: number, column: number) => number,
  wild: { count: number },
): Band {
  const a = v.attributes;
  const type = v.type as StoredType;
  const factor = numbersOf(a['scale_factor'])[0] ?? 1;
  const offset = numbersOf(a['add_offset'])[0] ?? 0;
  const packed = factor !== 1 || offset !== 0;
  const fill = numbersOf(a['_FillValue'])[0];
  const codes = new Set([...(fill === undefined ? [] : [fill]), ...numbersOf(a['missing_value'])]);
  if (fill === undefined && DEFAULT_FILL[type] !== undefined) codes.add(DEFAULT_FILL[type]);
  if (type === 'float32') for (const c of [...codes]) codes.add(Math.fround(c));
  const range = numbersOf(a['valid_range']);
  const low = range[0] ?? numbersOf(a['valid_min'])[0] ?? -Infinity;
  const high = range[1] ?? numbersOf(a['valid_max'])[0] ?? Infinity;
  const flags = numbersOf(a['flag_values']);
  const meanings = textOf(a['flag_meanings']).split(/\s+/).filter(Boolean);
  const n = columns * rows;
  const info = {
    name: textOf(a['long_name']) || v.name.split('/').pop()!,
    unit: unitOf(textOf(a['units'])),
    ...(/^(surface_altitude|height|altitude|height_above_\w+|bedrock_altitude)$/.test(textOf(a['standard_name']))
      ? { role: 'elevation' }
      : {}),
  };
  if (flags.length && flags.length === meanings.length && !packed) {
    const cells = new Int32Array(n);
    for (let y = 0, i = 0; y < rows; y++)
      for (let x = 0; x < columns; x++, i++) {
        const s = raw[order(y, x)]!;
        cells[i] = codes.has(s) || s !== s ? MISSING_CLASS : s;
      }
    const classes: ClassEntry[] = flags.map((value, i) => ({
      value,
      label: meanings[i]!.replaceAll('_', ' '),
      colour: null,
    }));
    return { ...info, unit: null, kind: 'category', storedType: 'int32', missingCode: null, classes, cells };
  }
  const cells = type === 'float64' || type === 'int32' || type === 'uint32' ? new Float64Array(n) : new Float32Array(n);
  for (let y = 0, i = 0; y < rows; y++) {
    for (let x = 0; x < columns; x++, i++) {
      const s = raw[order(y, x)]!;
      const out = s < low || s > high;
      if (codes.has(s) || s !== s || out) {
        if (out && !codes.has(s)) wild.count++;
        cells[i] = NaN;
      } else cells[i] = packed ? s * factor + offset : s;
    }
  }
  return {
    ...info,
    kind: 'measure',
    storedType: packed ? 'float32' : type,
    missingCode: packed ? null : (fill ?? null),
    cells,
  };
}

/** Unit as Helk writes it, where it is known; `1` is a pure number; another text stays as it is. */
function unitOf(text: string): string | null {
  const t = text.trim();
  if (t === '') return null;
  if (t === '1') return '';
  return findUnit(t)?.symbol ?? t.slice(0, 20);
}
