import { GapRuns, type GapBox } from '../numeric/gap-runs';
import { Random } from '../numeric/random';
import { quantileSorted, Summariser, type Histogram, type Summary } from '../numeric/statistics';
import type { Zeros } from './features';
import { codeIn, LEAST_APART, zerosIn } from './missing-codes';
import { findUnit } from './quantity';
import { missingOf, type Band, type BandInfo, type Cells, type Grid } from './raster';

/** Different values that a band without a class table may have to be taken for one of classes. */
export const MOST_CLASSES = 256;

/** What is known of a band by looking at its cells once, when it is taken in or made; small enough to go with every listing. */
export interface BandBrief {
  summary: Summary;
  /** Values at the 1st, 2nd, 5th, 25th, 50th, 75th, 95th, 98th and 99th percentile, estimated from at most 200 000 cells. */
  percentiles: Record<string, number>;
  /** Missing cells not connected to the grid's edge. */
  enclosedCells: number;
  /** Separate enclosed holes. */
  enclosedGaps: number;
  /** A value that recurs at the end of the range and looks like a missing-value code. */
  suspectCode: { value: number; count: number } | null;
  /** Zeros that stand apart from all other values. */
  zeros?: Zeros;
  /** Different values, counted up to `MOST_CLASSES`, a little beyond. */
  distinct: number;
  /** Of lengths: cells lower than all eight neighbours, where water would stop. */
  pits?: number;
  /** Of classes and whole numbers with at most 64 different values: each with its number of cells, ascending. */
  values?: { value: number; cells: number }[];
}

/** What only those need who look closer; fetched by itself. */
export interface BandDetail {
  histogram: Histogram;
  /** The largest enclosed holes, up to 200, as boxes of cells with their count of missing cells, largest first. */
  gapBoxes: GapBox[];
  /** Of differences and depths: the cells furthest from zero, at least eight cells apart, up to 20. */
  extremes?: { column: number; row: number; value: number }[];
}

export type BandFacts = BandBrief & Partial<BandDetail>;

/** Facts without the detail, and the detail by itself. */
export function parted(f: BandFacts): { brief: BandBrief; detail: Partial<BandDetail> } {
  const { histogram, gapBoxes, extremes, ...brief } = f;
  return {
    brief,
    detail: {
      ...(histogram ? { histogram } : {}),
      ...(gapBoxes ? { gapBoxes } : {}),
      ...(extremes ? { extremes } : {}),
    },
  };
}

const SAMPLE = 200_000;
const BINS = 128;
const MOST_VALUES = 64;
const PERCENTILES = [1, 2, 5, 25, 50, 75, 95, 98, 99];

const isLength = (unit: string | null): boolean => findUnit(unit)?.dimension === 'length';

/**
 * Gathers the facts of a band whose rows come one after the other, twice: what depends on the range is counted at the second time.
 * Memory grows with a row, not with the grid. O(cells).
 */
export class FactGatherer {
  private readonly missing: number;
  private readonly summariser = new Summariser();
  private readonly sample: Float64Array;
  private sampled = 0;
  private readonly step: number;
  private readonly random: Random;
  /** First cell of the run the next sample is drawn from, and the cell that is drawn. */
  private run = 0;
  private drawn = 0;
  private seen = 0;
  private readonly gaps: GapRuns;
  private readonly pits: PitCount | null;
  private later: Later | null = null;

  constructor(
    private readonly band: BandInfo,
    private readonly grid: Pick<Grid, 'columns' | 'rows'>,
  ) {
    const n = grid.columns * grid.rows;
    this.missing = missingOf(band);
    this.step = Math.max(1, Math.floor(n / SAMPLE));
    this.sample = new Float64Array(Math.ceil(n / this.step));
    this.random = new Random(n);
    this.gaps = new GapRuns(grid.columns, grid.rows);
    const changes = band.role === 'depth' || band.role === 'difference';
    this.pits = band.kind === 'measure' && isLength(band.unit) && !changes ? new PitCount(grid.columns) : null;
    this.draw();
  }

  /** Rows for the first time. */
  first(cells: Cells): void {
    this.summariser.add(cells, 0, cells.length, this.missing);
    this.gaps.push(cells, this.missing);
    this.pits?.push(cells);
    const end = this.seen + cells.length;
    while (this.drawn < end) {
      const v = cells[this.drawn - this.seen]!;
      if (v === v && v !== this.missing) this.sample[this.sampled++] = v;
      this.run += this.step;
      this.draw();
    }
    this.seen = end;
  }

  /**
   * The next cell of the sample: one of each run of cells of equal length, at a place drawn within it (seeded), so that no pattern of the
   * grid (its columns, stripes, a lattice) can keep step with the sample.
   */
  private draw(): void {
    const n = this.grid.columns * this.grid.rows;
    if (this.run >= n) this.drawn = Infinity;
    else
      this.drawn =
        this.step === 1 ? this.run : Math.min(n - 1, this.run + Math.floor(this.step * this.random.uniform()));
  }

  /** The same rows again, from the first on. */
  second(cells: Cells): void {
    this.later ??= new Later(
      this.band,
      this.grid.columns,
      this.summariser.done(),
      this.sample.subarray(0, this.sampled).sort(),
    );
    this.later.push(cells);
  }

  done(): BandBrief & BandDetail {
    const later = this.later;
    if (!later) throw new Error('The rows have come only once.');
    const { sorted, summary } = later;
    const gaps = this.gaps.done();
    return {
      summary,
      histogram: later.histogram,
      percentiles: Object.fromEntries(PERCENTILES.map((p) => [p, quantileSorted(sorted, p / 100)])),
      enclosedCells: gaps.cells,
      enclosedGaps: gaps.gaps,
      gapBoxes: gaps.boxes,
      ...later.found(),
      distinct: Math.min(later.distinct, MOST_CLASSES),
      ...(this.pits ? { pits: this.pits.count } : {}),
    };
  }
}

/** What is counted once the range is known. */
class Later {
  readonly histogram: Histogram;
  readonly distinct: number;
  private readonly missing: number;
  private readonly scale: number;
  private readonly codes: { value: number; count: number }[];
  private zeroCells = 0;
  private readonly zeros: Zeros | null;
  private counts: Map<number, number> | null = null;
  private readonly extremes: Extremes | null;

  constructor(
    band: BandInfo,
    width: number,
    readonly summary: Summary,
    readonly sorted: Float64Array,
  ) {
    this.missing = missingOf(band);
    // Where nothing changed is not part of how much changed.
    const changed = band.role === 'depth' && summary.max > 0;
    const bins = changed ? 32 : BINS;
    const min = changed ? Number.MIN_VALUE : summary.min;
    this.histogram = { min, max: summary.max, counts: new Array<number>(bins).fill(0) };
    this.scale = summary.max > min ? bins / (summary.max - min) : 0;
    const seen = new Set<number>();
    for (const v of sorted) {
      seen.add(v);
      if (seen.size > MOST_CLASSES) break;
    }
    this.distinct = seen.size;
    if (seen.size <= MOST_VALUES) this.counts = new Map();
    this.codes = [...new Set([summary.min, summary.max])]
      .filter((v) => codeIn(v, sorted))
      .map((value) => ({ value, count: 0 }));
    this.zeros = band.kind === 'measure' ? zerosIn(sorted) : null;
    this.extremes = band.role === 'depth' || band.role === 'difference' ? new Extremes(width, this.missing) : null;
  }

  push(cells: Cells): void {
    const { missing, scale } = this;
    const { min, max, counts } = this.histogram;
    const top = counts.length - 1;
    for (let i = 0; i < cells.length; i++) {
      const v = cells[i]!;
      if (v !== v || v === missing || v < min || v > max) continue;
      const b = ((v - min) * scale) | 0;
      counts[b > top ? top : b]!++;
    }
    for (const c of this.codes) for (let i = 0; i < cells.length; i++) if (cells[i] === c.value) c.count++;
    if (this.zeros) for (let i = 0; i < cells.length; i++) if (cells[i] === 0) this.zeroCells++;
    if (this.counts) this.countValues(cells, this.counts);
    this.extremes?.push(cells);
  }

  /** Cells of each value; nothing where the sample missed so many that it is no list of classes. */
  private countValues(cells: Cells, counts: Map<number, number>): void {
    for (let i = 0; i < cells.length; i++) {
      const v = cells[i]!;
      if (v !== v || v === this.missing) continue;
      const n = counts.get(v);
      if (n === undefined && (counts.size >= MOST_VALUES || v !== Math.floor(v))) {
        this.counts = null;
        return;
      }
      counts.set(v, (n ?? 0) + 1);
    }
  }

  found(): Pick<BandFacts, 'suspectCode' | 'zeros' | 'values' | 'extremes'> {
    const code = this.codes.find((c) => {
      const others = this.sorted.filter((s) => s !== c.value);
      const lo = others[0]!;
      const hi = others[others.length - 1]!;
      const apart = c.value < lo ? lo - c.value : c.value - hi;
      return apart > hi - lo || (c.count > 1 && apart > LEAST_APART * (hi - lo));
    });
    const values = this.counts && [...this.counts].sort((a, b) => a[0] - b[0]);
    return {
      suspectCode: code ?? null,
      ...(this.zeros ? { zeros: { ...this.zeros, count: this.zeroCells } } : {}),
      ...(values ? { values: values.map(([value, cells]) => ({ value, cells })) } : {}),
      ...(this.extremes ? { extremes: this.extremes.done() } : {}),
    };
  }
}

/** Cells inside the grid that are lower than each of their eight neighbours, from rows that come one after the other. */
class PitCount {
  count = 0;
  /** The last two rows. */
  private above: Cells | null = null;
  private row: Cells | null = null;

  constructor(private readonly width: number) {}

  push(cells: Cells): void {
    const { width } = this;
    for (let from = 0; from < cells.length; from += width) {
      const below = cells.subarray(from, from + width);
      if (this.above && this.row) this.count += pitsOf(this.above, this.row, below);
      this.above = this.row;
      this.row = below;
    }
    // The rows are the giver's; two of them are kept.
    this.above = this.above?.slice() ?? null;
    this.row = this.row?.slice() ?? null;
  }
}

function pitsOf(a: Cells, z: Cells, b: Cells): number {
  let pits = 0;
  for (let i = 1; i < z.length - 1; i++) {
    const v = z[i]!;
    if (
      v < z[i - 1]! &&
      v < z[i + 1]! &&
      v < a[i]! &&
      v < b[i]! &&
      v < a[i - 1]! &&
      v < a[i + 1]! &&
      v < b[i - 1]! &&
      v < b[i + 1]!
    )
      pits++;
  }
  return pits;
}

/** Cells furthest from zero, greedily, leaving out those near one already taken. */
class Extremes {
  private readonly most = 4000;
  private floor = 0;
  private held: { i: number; v: number }[] = [];
  private seen = 0;

  constructor(
    private readonly width: number,
    private readonly missing: number,
  ) {}

  push(cells: Cells): void {
    for (let i = 0; i < cells.length; i++) {
      const v = cells[i]!;
      if (v !== v || v === this.missing || !(Math.abs(v) > this.floor)) continue;
      this.held.push({ i: this.seen + i, v });
      if (this.held.length < 2 * this.most) continue;
      this.held = this.held.sort((a, b) => Math.abs(b.v) - Math.abs(a.v)).slice(0, this.most);
      this.floor = Math.abs(this.held[this.most - 1]!.v);
    }
    this.seen += cells.length;
  }

  done(): NonNullable<BandFacts['extremes']> {
    const out: NonNullable<BandFacts['extremes']> = [];
    for (const { i, v } of this.held.sort((a, b) => Math.abs(b.v) - Math.abs(a.v))) {
      const column = i % this.width;
      const row = Math.floor(i / this.width);
      if (out.some((o) => Math.max(Math.abs(o.column - column), Math.abs(o.row - row)) < 8)) continue;
      out.push({ column, row, value: v });
      if (out.length === 20) break;
    }
    return out;
  }
}

/** The facts of a band that is in memory. O(cells). */
export function bandFacts(band: Band, grid: Pick<Grid, 'columns' | 'rows'>): BandBrief & BandDetail {
  const g = new FactGatherer(band, grid);
  g.first(band.cells);
  g.second(band.cells);
  return g.done();
}
