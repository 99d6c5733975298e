import { HelkError } from '../errors';
import { joined, transformExtent, type Crs, type Extent } from '../data/crs';
import { featuresIn, type Features } from '../data/features';
import { kindOf, type Dataset, type DatasetInfo } from '../data/kinds';
import {
  cellArea,
  cellCount,
  cellMetres,
  gridExtent,
  measureRaster,
  metresPerDegree,
  sameGrid,
  type Grid,
  type Raster,
} from '../data/raster';
import type { Figures } from '../method/define';
import { insideRows } from '../numeric/scanline';

/** Cells of the grid in which shares of areas are told, at most. */
const MOST_CELLS = 25_000_000;

/** Sums over the draws, cell by cell (Welford 1962). */
export class Gathered {
  private grid: Grid | null = null;
  private unit: string | null = null;
  private areas = false;
  private measures = false;
  private draws = 0;
  private count = new Uint32Array(0);
  private inside = new Uint32Array(0);
  private mean = new Float64Array(0);
  private squares = new Float64Array(0);

  constructor(
    private readonly plain: Record<string, unknown>,
    private readonly infos: Readonly<Record<string, readonly DatasetInfo[]>>,
  ) {}

  take(d: Dataset): void {
    if (d.kind === 'raster') this.takeRaster(d);
    else if (d.kind === 'features' && d.geometry === 'polygon') this.takeAreas(d);
    else
      throw new HelkError(
        'method.parameter',
        `result: a ${kindOf(d).words.one}${d.kind === 'features' ? ` of ${d.geometry}s` : ''} has no share at a place; choose a grid or areas.`,
        'result',
      );
    this.draws++;
  }

  private begin(grid: Grid): void {
    const n = cellCount(grid);
    this.grid = grid;
    this.inside = new Uint32Array(n);
    if (!this.measures) return;
    this.count = new Uint32Array(n);
    this.mean = new Float64Array(n);
    this.squares = new Float64Array(n);
  }

  private takeRaster(r: Raster): void {
    const band = r.bands[0]!;
    if (!this.grid) {
      this.measures = band.kind === 'measure';
      this.unit = band.unit;
      if (!this.measures && this.plain['class'] === undefined)
        throw new HelkError(
          'method.parameter',
          'class: the result is a grid of classes; say which of them is meant.',
          'result',
        );
      this.begin(r.grid);
    }
    if (!sameGrid(this.grid!, r.grid))
      throw new HelkError(
        'method.refused',
        'This draw came out on another grid than the first; give the cell size and the system by hand.',
      );
    const limit = Number(this.plain['above'] ?? NaN);
    const wanted = Number(this.plain['class'] ?? NaN);
    const { cells } = band;
    for (let i = 0; i < cells.length; i++) {
      const v = cells[i]!;
      if (!this.measures) {
        if (v === wanted) this.inside[i] = this.inside[i]! + 1;
        continue;
      }
      if (v !== v) continue;
      const n = (this.count[i] = this.count[i]! + 1);
      const off = v - this.mean[i]!;
      this.mean[i] = this.mean[i]! + off / n;
      this.squares[i] = this.squares[i]! + off * (v - this.mean[i]!);
      if (v > limit) this.inside[i] = this.inside[i]! + 1;
    }
  }

  private takeAreas(f: Features): void {
    if (!this.grid) {
      this.areas = true;
      this.begin(this.gridFor(f));
    }
    const grid = this.grid!;
    const rows = insideRows(featuresIn(f, grid.crs), grid);
    const mask = new Uint8Array(grid.columns);
    for (let y = 0; y < grid.rows; y++) {
      rows(y, mask);
      const at = y * grid.columns;
      for (let x = 0; x < mask.length; x++) if (mask[x]) this.inside[at + x] = this.inside[at + x]! + 1;
    }
  }

  /** Where areas are told: over the grids that go in, else around the first draw; in the system of the areas. */
  private gridFor(f: Features): Grid {
    const grids = Object.values(this.infos).flatMap((list) =>
      list.flatMap((i) => (i.kind === 'raster' ? [i.grid] : [])),
    );
    let e: Extent | null = null;
    for (const g of grids) {
      const x = within(gridExtent(g), g.crs, f.crs);
      e = e ? joined(e, x) : x;
    }
    e ??= around(kindOf(f).extent(kindOf(f).info(f as never) as never) ?? [0, 0, 1, 1]);
    const [w, h] = f.crs?.geographic ? metresPerDegree((e[1] + e[3]) / 2) : [1, 1];
    const first = grids[0] && cellMetres(grids[0], grids[0].rows >> 1);
    const given = this.plain['cellSize'];
    // In plain form a length is told in metres.
    const metres =
      given !== undefined
        ? parseFloat(String(given))
        : first
          ? Math.max(1e-6, Math.round(Math.max(...first))) || Math.max(...first)
          : ((e[2] - e[0]) * w) / 400;
    const [dx, dy] = [metres / w, metres / h];
    const x = Math.floor(e[0] / dx) * dx;
    const y = Math.ceil(e[3] / dy) * dy;
    const grid: Grid = {
      crs: f.crs,
      x,
      y,
      dx,
      dy,
      columns: Math.ceil((e[2] - x) / dx),
      rows: Math.ceil((y - e[1]) / dy),
    };
    if (cellCount(grid) > MOST_CELLS)
      throw new HelkError(
        'method.parameter',
        `cellSize: the shares would be told in ${cellCount(grid)} cells; take larger ones.`,
        'result',
      );
    return grid;
  }

  end(): { rasters: Record<string, Raster>; figures: Figures } {
    const grid = this.grid!;
    const rasters: Record<string, Raster> = {};
    const figures: Figures = { sure: null, possible: null, expected: null, meanSpread: null };
    const limited = this.plain['above'] !== undefined;
    if (this.measures) {
      const sd = Float32Array.from(this.squares, (q, i) =>
        this.count[i]! > 1 ? Math.sqrt(q / (this.count[i]! - 1)) : NaN,
      );
      rasters['mean'] = measureRaster(
        grid,
        Float32Array.from(this.mean, (m, i) => (this.count[i] ? m : NaN)),
        { name: 'mean', unit: this.unit },
      );
      rasters['sd'] = measureRaster(grid, sd, { name: 'sd', unit: this.unit });
      let [sum, n] = [0, 0];
      for (const v of sd)
        if (v === v) {
          sum += v;
          n++;
        }
      figures['meanSpread'] = n ? sum / n : null;
    }
    if (!this.measures || limited) {
      // Of a grid that nothing was told of at a place in any draw there is no share either.
      const share = Float32Array.from(this.inside, (v, i) => (this.measures && !this.count[i] ? NaN : v / this.draws));
      rasters['probability'] = measureRaster(grid, this.areas ? share.map((v) => (v === 0 ? NaN : v)) : share, {
        name: 'probability',
        unit: 'share',
      });
      let [sure, possible, expected] = [0, 0, 0];
      for (let y = 0; y < grid.rows; y++) {
        const area = cellArea(grid, y);
        for (let x = 0; x < grid.columns; x++) {
          const p = share[y * grid.columns + x]!;
          if (p >= 0.95) sure += area;
          if (p >= 0.05) possible += area;
          if (p === p) expected += p * area;
        }
      }
      Object.assign(figures, { sure, possible, expected });
    }
    return { rasters, figures };
  }
}

function within(e: Extent, from: Crs | null, to: Crs | null): Extent {
  return from && to ? transformExtent(e, from, to) : e;
}

/** The same with a quarter more on each side. */
const around = ([w, s, e, n]: Extent): Extent => {
  const [x, y] = [(e - w) / 4, (n - s) / 4];
  return [w - x, s - y, e + x, n + y];
};
