import * as z from 'zod';
import { HelkError } from '../../errors';
import { FeaturesBuilder } from '../../data/features';
import { cellCount, cellMetres, firstBand, type Cells, type Grid } from '../../data/raster';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice, number } from '../../method/params';
import { growingFloats } from '../../numeric/growing';
import { room } from '../../data/room';
import { defineKernel } from '../../method/parallel';
import { chaikin, isolines, squareRanges, type SquareRanges } from '../../numeric/contour';
import { summarise } from '../../numeric/statistics';
import { displayUnit } from '../../data/quantity';
import { roundNear } from './reproject';

const MOST_LEVELS = 1000;

export const contours = defineMethod({
  id: 'raster.contours',
  version: 1,
  title: 'Contours',
  question: 'Where are the lines of equal value?',
  about:
    'Lines of equal value through the cell centres, one level every interval from the base. Crossings are interpolated linearly; lines within the grid close on themselves, none crosses a missing cell. Columns: level, and whether it is an index line (every n-th from the base). Smoothing cuts corners for drawing and moves lines by less than a cell. Length is that of the lines as they are given, in metres.',
  keywords: ['isoline', 'contour line', 'elevation lines', 'isohypse', 'level'],
  sources: [
    'Lorensen and Cline 1987, doi:10.1145/37402.37422 (marching squares)',
    'Chaikin 1974, doi:10.1016/0146-664X(74)90028-8 (smoothing)',
  ],
  inputs: { raster: input.raster({ band: 'measure' }) },
  params: z.object({
    interval: number({ label: 'Interval', above: 0, help: 'Between levels, in the unit of the values.' }),
    base: number({ label: 'Base', help: 'A level to count from.' }).default(0),
    indexEvery: number({ label: 'Index line every', min: 1, help: 'n-th line counted from the base.' }).default(5),
    smooth: choice({ none: 'none', light: 'light', strong: 'strong' }, { label: 'Smoothing' }).default('none'),
    from: number({ label: 'From', help: 'Lowest level; empty for all.' }).optional(),
    to: number({ label: 'To', help: 'Highest level; empty for all.' }).optional(),
  }),
  preview: { kind: 'contours', input: 'raster', param: 'interval' },
  outputs: {
    contours: shown(output.features('Contours'), {
      features: { colour: '#7a5230', width: 0.8, emphasis: 'index', label: { formula: 'level', size: 10.5 } },
    }),
  },
  figures: { levels: { label: 'Levels' }, lines: { label: 'Lines' }, length: { label: 'Length', unit: 'm' } },
  suggest: ({ raster }) => {
    const b = raster.bands[0]!;
    const f = b.facts;
    if (!f || !(f.summary.max > f.summary.min)) return {};
    const range = f.percentiles['99']! - f.percentiles['1']! || f.summary.max - f.summary.min;
    const unit = b.unit ? ` ${displayUnit(b.unit)}` : '';
    return {
      interval: {
        value: roundNear(range / 20),
        reason: `about twenty levels over the middle 98 % of the values (${Number(range.toPrecision(3))}${unit})`,
      },
    };
  },
  estimate: ({ raster }, p) => {
    const f = raster.bands[0]!.facts?.summary;
    const n = cellCount(raster.grid);
    const levels = f ? (f.max - f.min) / p.interval : 10;
    return { cells: n, bytes: n * 18, seconds: (n * Math.max(1, levels)) / 2e8 };
  },
  run: async ({ raster }, p, job) => {
    const { grid } = raster;
    const band = firstBand(raster);
    const { min, max } = summarise(band.cells);
    const first = Math.ceil((Math.max(min, p.from ?? -Infinity) - p.base) / p.interval - 1e-9);
    const last = Math.floor((Math.min(max, p.to ?? Infinity) - p.base) / p.interval + 1e-9);
    if (last - first + 1 > MOST_LEVELS)
      throw new HelkError(
        'method.parameter',
        `interval: ${last - first + 1} levels between ${min} and ${max} are more than ${MOST_LEVELS}; take a larger one.`,
        'interval',
      );
    const b = new FeaturesBuilder();
    const level: number[] = [];
    const index: string[] = [];
    let length = 0;
    let levels = 0;
    const times = { none: 0, light: 1, strong: 3 }[p.smooth];
    const valueOf = (k: number): number => Number((p.base + k * p.interval).toPrecision(12));
    const wanted = Array.from({ length: Math.max(0, last - first + 1) }, (_, j) => valueOf(first + j));
    const { columns: width, rows: height } = grid;
    const ranges = squareRanges(band.cells, width, height, (n) => room(Float64Array, n));
    const shared: Ground = { cells: band.cells, grid, ranges, times, metres: rowMetres(grid) };
    await job.parallel(levelLines, shared, wanted, (found, j) => {
      job.progress(j / wanted.length, `level ${j + 1} of ${wanted.length}`);
      const k = first + j;
      if (found.ends.length) levels++;
      length += found.length;
      let i = 0;
      for (const end of found.ends) {
        for (; i < end; i += 2) b.coordinate(found.xy[i]!, found.xy[i + 1]!);
        b.endRing();
        b.endPart();
        b.endFeature();
        level.push(wanted[j]!);
        index.push(String(k % Math.round(p.indexEvery) === 0));
      }
    });
    const flags = {
      ...textColumn('index', index),
      type: 'boolean' as const,
      values: Float64Array.from(index, (v) => (v === 'true' ? 1 : 0)),
    };
    return {
      contours: b.build('line', grid.crs, [numberColumn('level', level, band.unit), flags]),
      figures: { levels, lines: level.length, length },
    };
  },
});

interface Ground {
  cells: Cells;
  grid: Grid;
  ranges: SquareRanges;
  /** Roundings of corners. */
  times: number;
  /** Width and height of a cell in each row, metres. */
  metres: Float64Array;
}

function rowMetres(grid: Grid): Float64Array {
  const out = new Float64Array(2 * grid.rows);
  for (let r = 0; r < grid.rows; r++) out.set(cellMetres(grid, r), 2 * r);
  return out;
}

/** The lines of one level one after the other in flat coordinates, where each ends, and how long they are together in metres. */
const levelLines = defineKernel('raster.contours', (g: Ground, level: number) => {
  const { cells, grid, ranges, times, metres } = g;
  const { columns: width, rows: height } = grid;
  let length = 0;
  const xy = growingFloats();
  const ends: number[] = [];
  let at = 0;
  for (const raw of isolines(cells, width, height, level, ranges)) {
    const l = times ? chaikin(raw, times) : raw;
    for (let i = 0; i < l.length; i += 2) {
      xy.push(grid.x + l[i]! * grid.dx);
      xy.push(grid.y - l[i + 1]! * grid.dy);
      if (i === 0) continue;
      const r = 2 * Math.min(height - 1, Math.max(0, Math.floor(l[i + 1]!)));
      length += Math.hypot((l[i]! - l[i - 2]!) * metres[r]!, (l[i + 1]! - l[i - 1]!) * metres[r + 1]!);
    }
    ends.push((at += l.length));
  }
  return { xy: xy.done(), ends: Uint32Array.from(ends), length };
});
