import { HelkError } from '../../errors';
import type { Check } from '../../data/check';
import type { RasterHandle } from '../../data/handle';
import {
  cellMetres,
  MISSING_CLASS,
  type BandInfo,
  type Cells,
  type ClassEntry,
  type Grid,
  type RasterInfo,
} from '../../data/raster';
import type { Job } from '../../method/job';
import { defineRowKernel, tellRows } from '../../method/rows';

/** What is said of a grid where one of classes is wanted; one of measured values does not fit there. */
export function classChecks(info: RasterInfo, about: string): Check[] {
  const band = info.bands[0]!;
  if (band.kind === 'category') return [];
  return [
    {
      level: 'look',
      code: 'classes.numbers',
      about,
      message: `${band.name} has no class table; its whole numbers are taken as classes.`,
    },
  ];
}

/** Values of a band as classes. @throws HelkError `method.input` for a value that is no whole number */
export function asClasses(cells: Cells, from = 0, to = cells.length): Int32Array {
  if (cells instanceof Int32Array) return cells.subarray(from, to);
  const out = new Int32Array(to - from);
  for (let i = 0; i < out.length; i++) {
    const v = cells[from + i]!;
    if (v !== v) out[i] = MISSING_CLASS;
    else {
      out[i] = v;
      if (out[i] !== v)
        throw new HelkError(
          'method.input',
          `The values are no classes: ${Number(v.toPrecision(6))} is no whole number.`,
        );
    }
  }
  return out;
}

export interface ClassCount {
  value: number;
  cells: number;
  /** m². */
  area: number;
}

/** Counts classes; `area` of a row's cells, m². */
export class ClassCounter {
  private readonly counts = new Map<number, ClassCount>();

  /** Values from `from` up to `to`. */
  add(values: Int32Array, from: number, to: number, area: number): void {
    // Cells of one class often stand beside each other.
    for (let i = from; i < to;) {
      const v = values[i]!;
      let j = i + 1;
      while (j < to && values[j] === v) j++;
      if (v !== MISSING_CLASS) this.put({ value: v, cells: j - i, area: (j - i) * area });
      i = j;
    }
  }

  put(c: ClassCount): void {
    const was = this.counts.get(c.value);
    if (was) {
      was.cells += c.cells;
      was.area += c.area;
    } else {
      if (this.counts.size >= 65_536)
        throw new HelkError('method.input', 'There are more than 65 536 different values: these are no classes.');
      this.counts.set(c.value, { ...c });
    }
  }

  /** By value. */
  done(): ClassCount[] {
    return [...this.counts.values()].sort((a, b) => a.value - b.value);
  }
}

/** Area of a cell of a row, m². */
export const cellArea = (grid: Grid, row: number): number => {
  const [w, h] = cellMetres(grid, row);
  return w * h;
};

const countRows = defineRowKernel('raster.classCounts', (grid: Grid, block): ClassCount[] => {
  const values = asClasses(block.inputs[0]!.cells);
  const counter = new ClassCounter();
  for (let y = 0; y < block.rows; y++)
    counter.add(values, y * block.width, (y + 1) * block.width, cellArea(grid, block.from + y));
  return counter.done();
});

/** How many cells there are of each class, and how much land. */
export async function classCounts(
  job: Job,
  of: RasterHandle,
  progress: (share: number) => number = (s) => s,
): Promise<ClassCount[]> {
  const { grid } = of.head;
  const told = await tellRows(job, 'counting', grid, [{ of }], countRows, grid, progress);
  const all = new ClassCounter();
  for (const t of told) for (const c of t) all.put(c);
  return all.done();
}

/** Name of a class of a band: its label, else its number. */
export function labeller(band: Pick<BandInfo, 'classes'>): (value: number) => string {
  const labels = new Map((band.classes ?? []).map((c) => [c.value, c.label]));
  return (v) => labels.get(v) || String(v);
}

/** Entries of the classes that there are. */
export function entriesOf(band: Pick<BandInfo, 'classes'>, values: Iterable<number>): ClassEntry[] {
  const known = new Map((band.classes ?? []).map((c) => [c.value, c]));
  return [...values].map((value) => known.get(value) ?? { value, label: String(value), colour: null });
}

export const AREA_UNITS = { ha: 'ha', km2: 'km²', m2: 'm²' };
/** Square metres in a unit of areas. */
export const SQUARE_METRES: Record<keyof typeof AREA_UNITS, number> = { ha: 1e4, km2: 1e6, m2: 1 };
