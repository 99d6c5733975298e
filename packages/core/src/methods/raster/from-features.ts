import * as z from 'zod';
import { HelkError } from '../../errors';
import { cellInUnits, metresPerUnit } from '../../data/crs';
import { featureCount, featuresExtent, featuresIn, type Features } from '../../data/features';
import { cellCount, missingOf, newCells, type BandInfo, type Grid } from '../../data/raster';
import { plainHeld } from '../../data/cells';
import { defineMethod, input, output } from '../../method/define';
import { cellSize, column } from '../../method/params';
import { defineRowKernel, outType, overRows } from '../../method/rows';
import { eachRun, edgeRows, type EdgeRows } from '../../numeric/scanline';
import { columnChecks, columnOf } from '../features/common';
import { roundNear } from './reproject';
import type { Check } from '../../data/check';

const MOST_CELLS = 400_000_000;

export const fromFeatures = defineMethod({
  id: 'raster.fromFeatures',
  version: 1,
  title: 'Features to a grid',
  question: 'How do these features look as a grid?',
  about:
    'Cells take the value of the area their centre lies in, of the points that lie in them, or of the lines that pass through them; where several do, the last feature’s. Texts become classes with their labels. The grid is that of another raster, or is laid over the extent with the cell size.',
  keywords: ['rasterise', 'burn', 'vector to raster', 'grid from polygons'],
  sources: ['common practice, no source', 'Amanatides and Woo 1987 (cells along a line)'],
  inputs: {
    features: input.features({ label: 'Features' }),
    like: { ...input.raster({ label: 'Grid to lie on' }), least: 0 as const },
  },
  params: z.object({
    value: column({ label: 'Values', of: 'features' }),
    cellSize: cellSize({ label: 'Cell size', help: 'Not needed with a grid to lie on.' }).optional(),
  }),
  outputs: { raster: output.raster('Grid') },
  figures: { cells: { label: 'Cells with a value' } },
  checks: ({ features, like }, p): Check[] => [
    ...columnChecks(features, [p.value], 'value'),
    ...(!like && (p.cellSize === undefined || p.cellSize === 'auto')
      ? [
          {
            level: 'refused' as const,
            code: 'cellSize.none',
            about: 'cellSize',
            message: 'Give a cell size, or a grid to lie on.',
          },
        ]
      : []),
  ],
  suggest: ({ features, like }) => {
    if (like || !features.extent) return {};
    const [w, s, e, n] = features.extent;
    const side = Math.max(e - w, n - s) / 500;
    if (!(side > 0)) return {};
    return features.crs?.geographic
      ? { cellSize: { value: `${roundNear(side * 3600)} ″`, reason: 'about a five-hundredth of the longer side' } }
      : {
          cellSize: {
            value: `${roundNear(side * (features.crs ? metresPerUnit(features.crs) : 1))} m`,
            reason: 'about a five-hundredth of the longer side',
          },
        };
  },
  estimate: ({ features, like }, p) => {
    const [w, s, e, n] = features.extent ?? [0, 0, 0, 0];
    const over = (size: number): number => Math.ceil((e - w) / size + 1) * Math.ceil((n - s) / size + 1);
    const cells = like
      ? cellCount(like.grid)
      : over(cellInUnits(p.cellSize as { value: number; unit: string }, features.crs));
    return { cells, bytes: cells * 9 + features.count * 60, seconds: cells / 2e7 + features.count / 1e5 };
  },
  run: async ({ features, like }, p, job) => {
    const f = like ? featuresIn(features, like.grid.crs) : features;
    const grid = like?.grid ?? gridOver(f, p.cellSize as { value: number; unit: string });
    const c = columnOf(f.columns, p.value, 'value');
    const numeric = c.type !== 'text';
    const labels = numeric ? [] : [...new Set((c.values as string[]).filter((_, i) => !c.missing?.[i]))].sort();
    const code = new Map(labels.map((l, k) => [l, k + 1]));
    const values = Float64Array.from({ length: featureCount(f) }, (_, i) =>
      c.missing?.[i] ? NaN : numeric ? (c.values[i] as number) : code.get(c.values[i] as string)!,
    );
    const band: BandInfo = numeric
      ? { name: c.name, unit: c.unit, kind: 'measure', storedType: 'float32', missingCode: null }
      : {
          name: c.name,
          unit: null,
          kind: 'category',
          storedType: 'int16',
          missingCode: null,
          classes: labels.map((label, k) => ({ value: k + 1, label, colour: null })),
        };
    const head = { ...band, held: plainHeld(band) };
    const sink = job.raster('raster', { grid, bands: [head] });
    const missing = missingOf(band);
    let count = 0;
    if (f.geometry === 'polygon') {
      const areas = { xy: f.xy, edges: edgeRows(f, grid), grid, values, missing };
      const told = await overRows(job, 'burning', grid, [], burnRows, areas, sink, [outType(head)]);
      for (const n of told) count += n;
    } else {
      const cells = newCells(band.kind, cellCount(grid));
      for (let i = 0; i < values.length; i++) {
        if ((i & 63) === 0) job.progress(i / values.length, 'burning');
        if (values[i] === values[i]) burn(f, i, grid, (cell) => (cells[cell] = values[i]!));
      }
      for (const v of cells) if (v === v && v !== missing) count++;
      await sink.write(0, cells);
    }
    if (count === 0) job.note('look', 'burn.none', 'No cell got a value: do the features lie on the grid?');
    return { raster: sink, figures: { cells: count } };
  },
});

interface Areas {
  xy: Float64Array;
  edges: EdgeRows;
  grid: Grid;
  /** Of every area; NaN for those that are not burnt. */
  values: Float64Array;
  missing: number;
}

/** Cells take the area that their centre lies in, of several the last; tells how many did. */
const burnRows = defineRowKernel(
  'raster.fromFeatures',
  ({ xy, edges, grid, values, missing }: Areas, block): number => {
    const out = block.out[0]!.fill(missing);
    for (let y = 0; y < block.rows; y++) {
      const at = y * block.width;
      eachRun({ xy }, edges, grid, block.from + y, (c0, c1, area) => {
        if (values[area] === values[area]) out.fill(values[area]!, at + c0, at + c1);
      });
    }
    let count = 0;
    for (let i = 0; i < out.length; i++) if (out[i] === out[i] && out[i] !== missing) count++;
    return count;
  },
);

function gridOver(f: Features, q: { value: number; unit: string }): Grid {
  const e = featuresExtent(f);
  if (!e) throw new HelkError('method.input', 'There is no feature with a place.', 'features');
  const size = cellInUnits(q, f.crs);
  const x = Math.floor(e[0] / size) * size;
  const y = Math.ceil(e[3] / size) * size;
  const columns = Math.max(1, Math.ceil((e[2] - x) / size));
  const rows = Math.max(1, Math.ceil((y - e[1]) / size));
  if (columns * rows > MOST_CELLS)
    throw new HelkError(
      'method.parameter',
      `cellSize: ${columns} × ${rows} cells are more than ${MOST_CELLS}; take larger ones.`,
      'cellSize',
    );
  return { crs: f.crs, x, y, dx: size, dy: size, columns, rows };
}

/** Cells that points lie in, or that lines pass through, each edge followed from cell to cell. */
function burn(f: Features, i: number, g: Grid, put: (cell: number) => void): void {
  const set = (c: number, r: number): void => {
    if (c >= 0 && r >= 0 && c < g.columns && r < g.rows) put(r * g.columns + c);
  };
  for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
    for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++) {
      const u = (k: number): number => (f.xy[2 * k]! - g.x) / g.dx;
      const v = (k: number): number => (g.y - f.xy[2 * k + 1]!) / g.dy;
      const [start, end] = [f.ringOffsets[r]!, f.ringOffsets[r + 1]!];
      set(Math.floor(u(start)), Math.floor(v(start)));
      for (let k = start; k + 1 < end; k++) {
        const [x0, y0, x1, y1] = [u(k), v(k), u(k + 1), v(k + 1)];
        let [c, w] = [Math.floor(x0), Math.floor(y0)];
        const [dx, dy] = [Math.sign(x1 - x0), Math.sign(y1 - y0)];
        const steps = Math.abs(Math.floor(x1) - c) + Math.abs(Math.floor(y1) - w);
        let tx = dx === 0 ? Infinity : ((dx > 0 ? c + 1 : c) - x0) / (x1 - x0);
        let ty = dy === 0 ? Infinity : ((dy > 0 ? w + 1 : w) - y0) / (y1 - y0);
        for (let s = 0; s < steps; s++) {
          if (tx < ty) {
            c += dx;
            tx += dx / (x1 - x0);
          } else {
            w += dy;
            ty += dy / (y1 - y0);
          }
          set(c, w);
        }
      }
    }
  }
}
