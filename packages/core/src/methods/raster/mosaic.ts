import * as z from 'zod';
import { sameCrs } from '../../data/crs';
import {
  bandInfo,
  cellCount,
  missingOf,
  newCells,
  sameSize,
  type Cells,
  type Grid,
  type StoredType,
  type RasterInfo,
} from '../../data/raster';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice } from '../../method/params';
import { enclosedGaps, missingMask } from '../../numeric/components';
import { type Check, plural } from '../../data/check';

type Rule = 'first' | 'last' | 'mean' | 'min' | 'max' | 'blend';

/** The grid that holds all tiles, on the lattice of the first. */
export function unionGrid(grids: Grid[]): Grid {
  const g = grids[0]!;
  let x0 = 0;
  let y0 = 0;
  let x1 = g.columns;
  let y1 = g.rows;
  for (const t of grids) {
    const { column, row } = offsetIn(g, t);
    x0 = Math.min(x0, column);
    y0 = Math.min(y0, row);
    x1 = Math.max(x1, column + t.columns);
    y1 = Math.max(y1, row + t.rows);
  }
  return { ...g, x: g.x + x0 * g.dx, y: g.y - y0 * g.dy, columns: x1 - x0, rows: y1 - y0 };
}

/** Where a tile's first cell lies on a lattice, in whole cells, and how far off the lattice it is. */
function offsetIn(lattice: Grid, tile: Grid): { column: number; row: number; off: number } {
  const c = (tile.x - lattice.x) / lattice.dx;
  const r = (lattice.y - tile.y) / lattice.dy;
  const column = Math.round(c);
  const row = Math.round(r);
  return { column, row, off: Math.max(Math.abs(c - column), Math.abs(r - row)) };
}

interface Overlap {
  cells: number;
  /** Mean of tile minus what lay there before, and its standard deviation. */
  mean: number;
  sd: number;
}

interface Plot {
  out: Cells;
  width: number;
  covered: Uint8Array;
  weight: Float32Array | null;
  missing: number;
}

/**
 * Lays one tile into the mosaic by the rule; returns how it differs where something lay already. For `mean` and `blend`
 * `out` holds weighted sums until `settle`.
 */
export function layTile(
  plot: Plot,
  tile: Cells,
  tw: number,
  th: number,
  column: number,
  row: number,
  rule: Rule,
  tileMissing: number,
): Overlap {
  const { out, width, covered, weight, missing } = plot;
  let count = 0;
  let sum = 0;
  let squares = 0;
  for (let y = 0; y < th; y++) {
    const edgeY = Math.min(y, th - 1 - y) + 0.5;
    let o = (row + y) * width + column;
    for (let i = y * tw, x = 0; x < tw; x++, i++, o++) {
      const v = tile[i]!;
      if (v !== v || v === tileMissing) continue;
      if (covered[o] === 0 && !weight) {
        covered[o] = 1;
        out[o] = v;
        continue;
      }
      const w = rule === 'blend' ? Math.min(edgeY, x + 0.5, tw - 0.5 - x) : 1;
      if (covered[o] === 0) {
        covered[o] = 1;
        out[o] = v * w;
        weight![o] = w;
        continue;
      }
      const there = weight ? out[o]! / weight[o]! : out[o]!;
      if (there !== missing) {
        const d = v - there;
        count++;
        sum += d;
        squares += d * d;
      }
      covered[o] = 2;
      if (weight) {
        out[o] = out[o]! + v * w;
        weight[o] = weight[o]! + w;
      } else if (rule === 'last' || (rule === 'min' && v < there) || (rule === 'max' && v > there)) out[o] = v;
    }
  }
  const mean = count ? sum / count : 0;
  return { cells: count, mean, sd: count > 1 ? Math.sqrt(Math.max(0, squares / count - mean * mean)) : 0 };
}

/** The widest stored type that keeps the values of all tiles. */
function commonType(types: StoredType[]): StoredType {
  const distinct = new Set(types);
  if (distinct.size === 1) return types[0]!;
  if (distinct.has('float64') || (distinct.has('float32') && (distinct.has('int32') || distinct.has('uint32'))))
    return 'float64';
  if (distinct.has('float32')) return 'float32';
  if (distinct.has('uint32')) return 'float64';
  return distinct.has('int32') || (distinct.has('uint16') && [...distinct].some((t) => t === 'int8' || t === 'int16'))
    ? 'int32'
    : distinct.has('uint16')
      ? 'uint16'
      : 'int16';
}

function tileChecks(tiles: RasterInfo[]): Check[] {
  const checks: Check[] = [];
  const first = tiles[0]!;
  const about = 'tiles';
  tiles.forEach((t, i) => {
    const n = i + 1;
    if (!sameCrs(t.grid.crs, first.grid.crs)) {
      checks.push({
        level: 'refused',
        code: 'tiles.crs',
        about,
        message: `Tile ${n} is in ${t.grid.crs?.name ?? 'no known system'}, the first in ${first.grid.crs?.name ?? 'no known system'}; reproject it first.`,
      });
    } else if (!sameSize(t.grid.dx, first.grid.dx, 1) || !sameSize(t.grid.dy, first.grid.dy, 1)) {
      checks.push({
        level: 'refused',
        code: 'tiles.cellSize',
        about,
        message: `Tile ${n} has cells of ${t.grid.dx}, the first of ${first.grid.dx}; bring them to one cell size first by “Reproject”.`,
      });
    } else {
      const { off } = offsetIn(first.grid, t.grid);
      if (off > 0.01)
        checks.push({
          level: 'look',
          code: 'tiles.lattice',
          about,
          message: `Tile ${n} lies ${off.toFixed(2)} of a cell off the others; it is moved to the nearest cell.`,
        });
    }
    if (t.bands.length !== first.bands.length) {
      checks.push({
        level: 'refused',
        code: 'tiles.bands',
        about,
        message: `Tile ${n} has ${plural(t.bands.length, 'band')}, the first ${first.bands.length}.`,
      });
    }
    if (t.bands[0] && first.bands[0] && t.bands[0].kind !== first.bands[0].kind) {
      checks.push({
        level: 'refused',
        code: 'tiles.kind',
        about,
        message: `Tile ${n} holds ${t.bands[0].kind === 'category' ? 'classes' : 'measured values'}, the first does not.`,
      });
    }
  });
  const codes = new Set(tiles.map((t) => t.bands[0]?.missingCode ?? null));
  if (codes.size > 1) {
    const list = [...codes].map((c) => c ?? 'none').join(', ');
    checks.push({
      level: 'fine',
      code: 'tiles.missingCodes',
      about,
      message: `The tiles use different missing values (${list}); each is read by its own.`,
    });
  }
  if (!checks.length)
    checks.push({ level: 'fine', code: 'fine', about, message: 'One coordinate system, one cell size, one lattice.' });
  return checks;
}

export const mosaic = defineMethod({
  id: 'raster.mosaic',
  version: 1,
  title: 'Mosaic',
  question: 'How do many tiles become one grid?',
  about:
    'Lays tiles of one coordinate system and cell size on one grid. The cell size and, where all tiles agree, the stored type are kept. Each tile’s own missing value is honoured: a missing cell never covers a value. Where tiles overlap, the rule decides; blend weighs each tile by the distance to its edge. Overlaps in which a tile lies level above or below the others are reported.',
  keywords: ['merge', 'tiles', 'join', 'combine', 'stitch'],
  sources: ['common practice, no source (overlap rules)'],
  inputs: { tiles: input.rasters({ least: 2, label: 'Tiles', bands: 'all' }) },
  params: z.object({
    overlap: choice(
      {
        first: 'first tile',
        last: 'last tile',
        mean: 'mean',
        min: 'lowest',
        max: 'highest',
        blend: 'blend to the edges',
      },
      { label: 'Where tiles overlap', help: 'Matters only when seams show.' },
    ).default('first'),
  }),
  outputs: { mosaic: shown(output.raster('Mosaic', '= Mosaic', { as: 'tiles' }), { parts: 'tiles' }) },
  figures: {
    tiles: { label: 'Tiles' },
    overlapCells: { label: 'Cells in more than one tile' },
    missingCells: { label: 'Missing cells' },
    enclosedCells: { label: 'Missing cells inside the data' },
  },
  checks: ({ tiles }) => tileChecks(tiles),
  estimate: ({ tiles }) => {
    const n = cellCount(unionGrid(tiles.map((t) => t.grid)));
    const all = tiles.reduce((s, t) => s + cellCount(t.grid), 0);
    return { cells: n, bytes: (n * 10 + all * 4) * tiles[0]!.bands.length, seconds: (n + all) / 3e7 };
  },
  run: ({ tiles }, p, job) => {
    const grid = unionGrid(tiles.map((t) => t.grid));
    const n = cellCount(grid);
    const rule: Rule = p.overlap;
    let overlapCells = 0;
    const bands = tiles[0]!.bands.map((b0, k) => {
      const parts = tiles.map((t) => t.bands[k]!);
      // A band that all tiles call alike keeps its name; else it is not that of the first.
      const info = { ...bandInfo(b0), name: parts.every((b) => b.name === b0.name) ? b0.name : 'mosaic' };
      const wide = parts.some((b) => b.cells instanceof Float64Array);
      const missing = missingOf(info);
      const averaged = (rule === 'mean' || rule === 'blend') && info.kind === 'measure';
      const plot: Plot = {
        out: newCells(info.kind, n, wide),
        width: grid.columns,
        covered: new Uint8Array(n),
        weight: averaged ? new Float32Array(n) : null,
        missing,
      };
      tiles.forEach((t, i) => {
        job.progress((k + i / tiles.length) / tiles[0]!.bands.length, `tile ${i + 1} of ${tiles.length}`);
        const at = offsetIn(grid, t.grid);
        const o = layTile(
          plot,
          parts[i]!.cells,
          t.grid.columns,
          t.grid.rows,
          at.column,
          at.row,
          averaged || info.kind === 'measure' ? rule : rule === 'last' ? 'last' : 'first',
          missing,
        );
        if (
          k === 0 &&
          o.cells >= 20 &&
          info.kind === 'measure' &&
          Math.abs(o.mean) > 3 * (o.sd / Math.sqrt(o.cells)) &&
          Math.abs(o.mean) > 0.5 * o.sd &&
          o.mean !== 0
        ) {
          const unit = info.unit ? ` ${info.unit}` : '';
          job.note(
            'look',
            'mosaic.step',
            `Tile ${i + 1} lies ${Math.abs(o.mean).toFixed(2)}${unit} ${o.mean > 0 ? 'above' : 'below'} the tiles before it, on average of ${plural(o.cells, 'overlapping cell')}: look for a seam there.`,
          );
        }
      });
      if (plot.weight) {
        for (let i = 0; i < n; i++) if (plot.weight[i]! > 0) plot.out[i] = plot.out[i]! / plot.weight[i]!;
      }
      if (k === 0) for (let i = 0; i < n; i++) if (plot.covered[i] === 2) overlapCells++;
      const type = commonType(parts.map((b) => b.storedType));
      return {
        ...info,
        storedType: averaged && overlapCells > 0 ? (wide ? ('float64' as const) : ('float32' as const)) : type,
        cells: plot.out,
      };
    });
    job.progress(0.95, 'looking for gaps');
    const mask = missingMask(bands[0]!.cells, missingOf(bands[0]!));
    let missingCells = 0;
    for (let i = 0; i < n; i++) missingCells += mask[i]!;
    const enclosedCells = missingCells
      ? enclosedGaps(mask, grid.columns, grid.rows).reduce((s, g) => s + g.cells.length, 0)
      : 0;
    return {
      mosaic: { kind: 'raster', grid, bands },
      figures: { tiles: tiles.length, overlapCells, missingCells, enclosedCells },
    };
  },
});
