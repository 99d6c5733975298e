import * as z from 'zod';
import { HelkError } from '../../errors';
import { placeOf } from '../../data/arrival';
import { metresPerUnit, sameCrs, suggestUtm, transformExtent, type Crs } from '../../data/crs';
import { inBase, type Quantity } from '../../data/quantity';
import { cellCount, cellMetres, gridExtent, metresPerDegree, type BandInfo, type Grid } from '../../data/raster';
import { defineMethod, input, output, type Suggestion } from '../../method/define';
import { cellSize, choice, crs } from '../../method/params';
import type { Resampling } from '../../numeric/resample';
import { summaryOfBand, warp, warpBytes } from './warp';
import type { Check } from '../../data/check';

export const resamplingParam = choice(
  {
    auto: 'by kind of value',
    nearest: 'nearest cell',
    bilinear: 'bilinear',
    cubic: 'cubic',
    mean: 'mean of cells',
    mode: 'most frequent class',
  },
  { label: 'Resampling', help: 'Measures want bilinear or cubic, classes nearest or the most frequent one.' },
);

const AVERAGING: readonly (string | undefined)[] = ['bilinear', 'cubic', 'mean'];

/** The number nearest to `x`, by ratio, of 1, 1.5, 2, 2.5, 3, 4, 5, 6, 8 times a power of ten. */
export function roundNear(x: number): number {
  const power = 10 ** Math.floor(Math.log10(x));
  let best = power;
  for (const m of [1, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10]) {
    if (Math.abs(Math.log((m * power) / x)) < Math.abs(Math.log(best / x))) best = m * power;
  }
  return Number(best.toPrecision(6));
}

/** A round cell size near the native one, with its reason. */
export function suggestCellSize(grid: Grid, target: Crs): { value: string; reason: string } {
  if (target.geographic) {
    const size = grid.crs?.geographic
      ? grid.dy
      : Math.max(...cellMetres(grid, grid.rows >> 1)) / metresPerDegree(45)[1];
    const seconds = roundNear(size * 3600);
    return { value: `${seconds} ″`, reason: `near the native ${(size * 3600).toPrecision(3)}″` };
  }
  const [w, h] = cellMetres(grid, grid.rows >> 1);
  const metres = roundNear(Math.max(w, h));
  const native = Math.abs(w - h) < 0.01 * h ? `${h.toPrecision(3)} m` : `${w.toPrecision(3)} by ${h.toPrecision(3)} m`;
  if (target.unit !== 'm')
    return {
      value: `${roundNear(Math.max(w, h) / metresPerUnit(target))} ${target.unit}`,
      reason: `near the native ${native}`,
    };
  return { value: `${metres} m`, reason: `a round number near the native ${native}` };
}

/** A cell size in units of a CRS's coordinates. @throws HelkError when an angle meets a projected CRS or the reverse. */
export function sizeInCrs(q: Quantity, target: Crs): number {
  if (q.unit === '') return q.value;
  const angle = /[°′″]|rad/.test(q.unit);
  if (angle !== target.geographic) {
    throw new HelkError(
      'method.parameter',
      `cellSize: ${q.value} ${q.unit} does not fit ${target.name}, whose coordinates are in ${target.geographic ? 'degrees' : target.unit}.`,
      'cellSize',
    );
  }
  return angle ? inBase(q, '°') : inBase(q, 'm') / metresPerUnit(target);
}

/** The grid of that cell size, its edges on whole multiples of it, that holds the source in the target CRS. */
export function targetGrid(source: Grid, target: Crs, size: number): Grid {
  const e = transformExtent(gridExtent(source), source.crs ?? target, target);
  const down = (v: number): number => Math.floor(v / size + 1e-6);
  const up = (v: number): number => Math.ceil(v / size - 1e-6);
  const x0 = down(e[0]);
  const y1 = up(e[3]);
  return {
    crs: target,
    x: x0 * size,
    y: y1 * size,
    dx: size,
    dy: size,
    columns: Math.max(1, up(e[2]) - x0),
    rows: Math.max(1, y1 - down(e[1])),
  };
}

/** What nearest does to measured surfaces, and averages to classes, with the way out. */
export function resamplingCheck(
  bands: readonly Pick<BandInfo, 'kind' | 'name'>[],
  how: 'auto' | Resampling,
): Check | null {
  const measures = bands.filter((b) => b.kind === 'measure');
  const classes = bands.filter((b) => b.kind === 'category');
  if (measures.length && how === 'nearest' && !classes.length) {
    return {
      level: 'look',
      code: 'resampling.nearest',
      about: 'resampling',
      message:
        'Nearest repeats and drops rows of cells: flow direction, accumulation and slope then show a lattice that is not in the land.',
      mend: { label: 'Use bilinear', set: { resampling: 'bilinear' } },
    };
  }
  if (classes.length && measures.length && AVERAGING.includes(how))
    return {
      level: 'look',
      code: 'resampling.bands',
      about: 'resampling',
      message: `Classes cannot be averaged: ${classes.map((b) => b.name).join(', ')} ${classes.length === 1 ? 'takes' : 'take'} the ${how === 'mean' ? 'most frequent' : 'nearest'} class, the measures ${how}.`,
    };
  if (classes.length && AVERAGING.includes(how)) {
    return {
      level: 'refused',
      code: 'resampling.classes',
      about: 'resampling',
      message: `Classes cannot be averaged: ${how} would make classes that do not exist.`,
      mend: { label: 'Use nearest', set: { resampling: 'nearest' } },
    };
  }
  return null;
}

/** What "by kind of value" stands for, where all bands are of one kind. */
export function suggestResampling(bands: readonly Pick<BandInfo, 'kind'>[]): Suggestion | undefined {
  if (bands.every((b) => b.kind === 'measure'))
    return { value: 'bilinear', reason: 'its values are measures, read between cell centres' };
  if (bands.every((b) => b.kind === 'category'))
    return { value: 'nearest', reason: 'its values are classes, which cannot be averaged' };
  return undefined;
}

/** What it stands for where there are both. */
export function resamplingWords(bands: readonly Pick<BandInfo, 'kind' | 'name'>[], how: string): Check[] {
  const classes = bands.filter((b) => b.kind === 'category').map((b) => b.name);
  if (how !== 'auto' || !classes.length || classes.length === bands.length) return [];
  return [
    {
      level: 'fine',
      code: 'resampling.kinds',
      about: 'resampling',
      message: `Classes (${classes.join(', ')}) take the nearest cell, the other bands are read between cell centres (bilinear).`,
    },
  ];
}

export const reproject = defineMethod({
  id: 'raster.reproject',
  version: 1,
  title: 'Reproject',
  question: 'How does this grid lie in another coordinate system?',
  about:
    'Makes a grid in the target system whose edges are whole multiples of the cell size and reads the source at every cell centre. Measures are interpolated (bilinear by default), classes take the nearest cell. Missing cells do not bleed: a place in a missing cell stays missing, a place beside one uses the neighbours that are there.',
  keywords: ['project', 'warp', 'crs', 'utm', 'coordinate system', 'transform', 'metres'],
  sources: [
    'Keys 1981, doi:10.1109/TASSP.1981.1163711 (cubic)',
    'Snyder 1987, USGS Professional Paper 1395 (projections, through proj4)',
  ],
  inputs: { raster: input.raster({ bands: 'all', parts: true }) },
  params: z.object({
    crs: crs({ label: 'Coordinate system', help: 'EPSG code, like EPSG:32627.' }),
    cellSize: cellSize({ label: 'Cell size', help: 'A round number near the native size.' }).default('auto'),
    resampling: resamplingParam.default('auto'),
  }),
  outputs: { projected: output.raster('Projected', undefined, { as: 'raster' }) },
  figures: {
    minBefore: { label: 'Lowest before', unit: 'band' },
    maxBefore: { label: 'Highest before', unit: 'band' },
    minAfter: { label: 'Lowest after', unit: 'band' },
    maxAfter: { label: 'Highest after', unit: 'band' },
  },
  checks: ({ raster }, p) => {
    const checks: Check[] = [];
    if (!raster.grid.crs) {
      return [
        {
          level: 'refused',
          code: 'crs.missing',
          about: 'raster',
          message: 'The raster has no coordinate reference system, so it cannot be projected; set it first.',
        },
      ];
    }
    const odd = resamplingCheck(raster.bands, p.resampling);
    if (odd) checks.push(odd);
    checks.push(...resamplingWords(raster.bands, p.resampling));
    if (sameCrs(raster.grid.crs, p.crs)) {
      checks.push({
        level: 'look',
        code: 'crs.same',
        about: 'crs',
        message: `The raster is in ${p.crs.name} already; only the cells would change.`,
      });
    }
    if (p.crs.caution)
      checks.push({ level: 'look', code: 'crs.caution', about: 'crs', message: `${p.crs.name}: ${p.crs.caution}.` });
    if (!checks.length)
      checks.push({
        level: 'fine',
        code: 'fine',
        message: `${p.crs.name}: coordinates in ${p.crs.geographic ? 'degrees' : p.crs.unit}.`,
      });
    return checks;
  },
  suggest: ({ raster }, p) => {
    const place = placeOf(raster);
    const utm = place ? suggestUtm(place[0], place[1]) : null;
    const target = p.crs ?? utm;
    const resampling = suggestResampling(raster.bands);
    return {
      ...(resampling ? { resampling } : {}),
      ...(utm ? { crs: { value: utm.code, reason: `${utm.name} covers the place the data lie` } } : {}),
      ...(target ? { cellSize: suggestCellSize(raster.grid, target) } : {}),
    };
  },
  estimate: ({ raster }, p) => {
    const size = p.cellSize === 'auto' ? NaN : sizeInCrs(p.cellSize, p.crs);
    const n =
      Number.isFinite(size) && raster.grid.crs
        ? cellCount(targetGrid(raster.grid, p.crs, size))
        : cellCount(raster.grid);
    return { cells: n, bytes: warpBytes(raster.grid, raster.bands.length), seconds: n / 1.5e7 };
  },
  run: async ({ raster }, p, job) => {
    const size = p.cellSize as Quantity;
    const grid = targetGrid(raster.head.grid, p.crs, sizeInCrs(size, p.crs));
    const { sink, after } = await warp(job, 'projected', 'projecting', raster, grid, p.resampling);
    const before = await summaryOfBand(raster, 0);
    return {
      projected: sink,
      figures: { minBefore: before.min, maxBefore: before.max, minAfter: after.min, maxAfter: after.max },
    };
  },
});
