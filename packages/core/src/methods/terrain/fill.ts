import * as z from 'zod';
import { unitFactor } from '../../data/quantity';
import { cellArea, cellCount, cellMetres, firstBand, measureRaster, type Cells } from '../../data/raster';
import { defineMethod, input, output, shown } from '../../method/define';
import type { Job } from '../../method/job';
import { number, quantity } from '../../method/params';
import { growingCells } from '../../numeric/growing';
import { IndexHeap, IndexQueue, IndexStack } from '../../numeric/heap';
import { elevationChecks } from './gradient';

const DX = [-1, 0, 1, -1, 1, -1, 0, 1];
const DY = [-1, -1, -1, 0, 0, 1, 1, 1];

/**
 * Depression filling by priority flood (Barnes, Lehman and Mulla 2014, doi:10.1016/j.cageo.2013.04.024), with eight
 * neighbours. Water leaves over the grid's edge and into missing cells. Cells that rise from a flooded one are followed at
 * once and enter the queue only when something lower lies beyond them (as in Zhou, Sun and Fu 2016,
 * doi:10.1016/j.cageo.2016.02.021), which keeps the queue short. O(n log n) at worst, close to O(n) on real land.
 *
 * @param cells elevations, missing as NaN; not changed
 * @param out filled elevations; the same type, or Float64Array for a small `rise`
 * @param rise least drop from a filled cell to the one it drains to, by direction (0 for level lakes)
 */
export function priorityFlood(
  cells: Cells,
  width: number,
  height: number,
  out: Cells,
  rise: ArrayLike<number>,
  job?: Job,
): void {
  const n = width * height;
  // 0 open, 1 closed, 2 closed and on the grid's edge: only there do neighbours need to be looked for with care.
  const closed = new Uint8Array(n);
  const heap = new IndexHeap(4 * (width + height));
  const pit = new IndexQueue();
  const trace = new IndexStack();
  const waiting = new IndexStack();
  let seen = 0;
  const step = Int32Array.from(DX, (dx, k) => DY[k]! * width + dx);
  const up = Float64Array.from(rise);

  out.set(cells as Float64Array);
  seedOutlets(cells, width, height, closed, heap);
  let i = -1;
  for (;;) {
    // Lower neighbours are raised when a cell comes from the queues; while tracing they wait for it to come up there.
    const raise = trace.size === 0;
    if (!raise) i = trace.pop();
    else {
      // When nothing rises any more, only rims of hollows still have open neighbours: they alone go into the queue.
      while (waiting.size > 0) {
        const w = waiting.pop();
        const edge = closed[w] === 2;
        for (let k = 0; k < 8; k++) {
          if ((edge && isBeyond(w, k, width, height)) || closed[w + step[k]!] !== 0) continue;
          heap.push(out[w]!, w);
          break;
        }
      }
      if (pit.size > 0) i = pit.shift();
      else if ((i = heap.pop()) < 0) break;
    }
    if (job && (++seen & 0xfffff) === 0) job.progress(Math.min(0.95, seen / n), 'flooding');
    const level = out[i]!;
    const edge = closed[i] === 2;
    let waits = false;
    for (let k = 0; k < 8; k++) {
      if (edge && isBeyond(i, k, width, height)) continue;
      const j = i + step[k]!;
      if (closed[j] !== 0) continue;
      const least = level + up[k]!;
      if (cells[j]! >= least) {
        closed[j] = 1;
        trace.push(j);
      } else if (raise) {
        closed[j] = 1;
        out[j] = least;
        pit.push(j);
      } else waits = true;
    }
    if (waits) waiting.push(i);
  }
}

/** Closes missing cells, and the cells over which water leaves: those on the edge and those beside missing ones. */
function seedOutlets(cells: Cells, width: number, height: number, closed: Uint8Array, heap: IndexHeap): void {
  const n = width * height;
  const seed = (i: number, mark: number): void => {
    if (closed[i] === 0 && cells[i]! === cells[i]!) {
      closed[i] = mark;
      heap.push(cells[i]!, i);
    }
  };
  for (let x = 0; x < width; x++) {
    seed(x, 2);
    seed(n - width + x, 2);
  }
  for (let y = 0; y < height; y++) {
    seed(y * width, 2);
    seed(y * width + width - 1, 2);
  }
  for (let i = 0; i < n; i++) {
    if (cells[i]! === cells[i]!) continue;
    closed[i] = 1;
    const x = i % width;
    const y = (i / width) | 0;
    for (let k = 0; k < 8; k++) {
      const nx = x + DX[k]!;
      const ny = y + DY[k]!;
      if (nx >= 0 && ny >= 0 && nx < width && ny < height) seed(ny * width + nx, 1);
    }
  }
}

function isBeyond(i: number, k: number, width: number, height: number): boolean {
  const x = (i % width) + DX[k]!;
  const y = ((i / width) | 0) + DY[k]!;
  return x < 0 || y < 0 || x >= width || y >= height;
}

/** Groups of raised cells, connected by sides and corners, each with its deepest fill, in the unit of the cells. */
export function depressions(
  cells: Cells,
  filled: Cells,
  width: number,
  height: number,
): { members: Int32Array; depth: number }[] {
  const n = width * height;
  const seen = new Uint8Array(n);
  const found: { members: Int32Array; depth: number }[] = [];
  const stack = new IndexStack();
  const members = growingCells();
  for (let start = 0; start < n; start++) {
    if (seen[start] === 1 || !(filled[start]! > cells[start]!)) continue;
    members.length = 0;
    let depth = 0;
    seen[start] = 1;
    stack.push(start);
    while (stack.size > 0) {
      const i = stack.pop();
      members.push(i);
      depth = Math.max(depth, filled[i]! - cells[i]!);
      const x = i % width;
      const y = (i / width) | 0;
      for (let k = 0; k < 8; k++) {
        const nx = x + DX[k]!;
        const ny = y + DY[k]!;
        if (nx < 0 || ny < 0 || nx >= width || ny >= height) continue;
        const j = ny * width + nx;
        if (seen[j] === 0 && filled[j]! > cells[j]!) {
          seen[j] = 1;
          stack.push(j);
        }
      }
    }
    found.push({ members: members.done(), depth });
  }
  return found;
}

export const fill = defineMethod({
  id: 'terrain.fill',
  version: 1,
  title: 'Fill depressions',
  question: 'Where would water get stuck, and what if those hollows were full?',
  about:
    'Raises every cell that has no way down to the edge or to missing cells to the lowest level at which water spills. With a depth limit, a depression deeper than that is taken for a real hollow and left as it was, whole. With a least slope, filled cells drop a little towards their outlet instead of lying level (stored as 64-bit numbers). Depressions are counted as groups of raised cells joined by sides or corners.',
  keywords: ['sink', 'pit', 'hollow', 'depression filling', 'hydrological correction', 'lake'],
  sources: [
    'Barnes, Lehman and Mulla 2014, doi:10.1016/j.cageo.2013.04.024',
    'Zhou, Sun and Fu 2016, doi:10.1016/j.cageo.2016.02.021',
  ],
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length' }) },
  params: z.object({
    minSlope: number({
      label: 'Least slope',
      help: 'Rise over run towards the outlet in filled parts; 0 leaves them level.',
      min: 0,
      max: 1,
    }).default(0),
    maxDepth: quantity('length', {
      label: 'Depth limit',
      unit: 'm',
      above: 0,
      help: 'Depressions deeper than this stay as they are.',
    }).optional(),
  }),
  outputs: {
    filled: shown(output.raster('Filled', undefined, { as: 'elevation' }), {
      panel: { id: 'changed', of: 'depth', title: 'What filling changed', values: 'depth of fill', list: 'Deepest' },
    }),
    depth: shown(output.raster('Depth of fill', 'depth of fill', { as: 'elevation' }), {
      panel: { id: 'changed', title: 'What filling changed', values: 'depth of fill', list: 'Deepest' },
    }),
  },
  figures: {
    depressions: { label: 'Depressions' },
    filledCells: { label: 'Filled cells' },
    deepest: { label: 'Deepest fill', unit: 'm' },
    volume: { label: 'Volume', unit: 'm3' },
  },
  checks: (inputs) => elevationChecks(inputs, 'water'),
  estimate: ({ elevation }) => ({
    cells: cellCount(elevation.grid),
    bytes: cellCount(elevation.grid) * 18,
    seconds: cellCount(elevation.grid) / 4e6,
  }),
  run: ({ elevation }, p, job) => {
    const { grid } = elevation;
    const band = firstBand(elevation);
    const w = grid.columns;
    const metres = unitFactor(band.unit) ?? 1;
    const n = cellCount(grid);
    const out: Cells = p.minSlope > 0 || band.cells instanceof Float64Array ? new Float64Array(n) : new Float32Array(n);
    const [cw, ch] = cellMetres(grid, grid.rows >> 1);
    const rise = DX.map((x, k) => (p.minSlope * Math.hypot(x * cw, DY[k]! * ch)) / metres);
    priorityFlood(band.cells, w, grid.rows, out, rise, job);
    job.progress(0.95, 'measuring the fill');
    const groups = depressions(band.cells, out, w, grid.rows);
    let left = 0;
    if (p.maxDepth !== undefined) {
      for (const g of groups) {
        if (g.depth * metres <= p.maxDepth) continue;
        left++;
        for (const i of g.members) out[i] = band.cells[i]!;
        g.depth = 0;
      }
      if (left)
        job.note(
          'info',
          'fill.left',
          `${left} ${left === 1 ? 'depression is' : 'depressions are'} deeper than ${p.maxDepth} m and left as they were.`,
        );
    }
    const depth = new Float32Array(n);
    let filledCells = 0;
    let volume = 0;
    let deepest = 0;
    for (let y = 0; y < grid.rows; y++) {
      const area = cellArea(grid, y);
      for (let i = y * w; i < (y + 1) * w; i++) {
        const d = out[i]! - band.cells[i]!;
        depth[i] = d;
        if (d > 0) {
          filledCells++;
          volume += d * metres * area;
          if (d > deepest) deepest = d;
        }
      }
    }
    return {
      filled: measureRaster(grid, out, {
        name: band.name,
        unit: band.unit,
        role: band.role ?? 'elevation',
        storedType: out instanceof Float64Array ? 'float64' : band.storedType,
        missingCode: band.missingCode,
      }),
      depth: measureRaster(grid, depth, { name: 'depth of fill', unit: band.unit ?? 'm', role: 'depth' }),
      figures: { depressions: groups.length - left, filledCells, deepest: deepest * metres, volume },
    };
  },
});
