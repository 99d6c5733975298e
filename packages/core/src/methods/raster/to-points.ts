import * as z from 'zod';
import { HelkError } from '../../errors';
import type { Features } from '../../data/features';
import { firstBand, missingOf } from '../../data/raster';
import { featuresIn } from '../../data/features';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { sourceNames } from '../../method/job';
import { text } from '../../method/params';

const MOST = 20_000_000;

export const toPoints = defineMethod({
  id: 'raster.toPoints',
  version: 1,
  title: 'Cells to points',
  question: 'What are the cells one by one?',
  about:
    'Every cell with a value as a point at its centre, of one or several grids, with the value and the name of the grid it comes from: ready for box plots by group.',
  keywords: [
    'raster to points',
    'vectorise',
    'cell centres',
    'merge grids',
    'table of cells',
    'every cell as a point',
    'box plot',
  ],
  sources: ['common practice, no source'],
  inputs: { rasters: input.rasters({ label: 'Grids' }) },
  params: z.object({
    names: text({
      label: 'Names for the source',
      help: 'Apart by commas, in the order of the grids; their own names otherwise.',
    }).default(''),
  }),
  outputs: { points: output.features('Cells as points', 'points', { geometry: 'point' }) },
  figures: { points: { label: 'Points' } },
  estimate: ({ rasters }) => {
    const n = rasters.reduce((s, r) => s + r.grid.columns * r.grid.rows, 0);
    return { cells: n, bytes: n * 60, seconds: n / 5e6 };
  },
  run: ({ rasters }, p, job) => {
    const bands = rasters.map(firstBand);
    const names = sourceNames(
      p.names,
      job.names['rasters'],
      bands.map((b) => b.name),
    );
    const count = bands.map((b) => {
      const missing = missingOf(b);
      let n = 0;
      for (const v of b.cells) if (v === v && v !== missing) n++;
      return n;
    });
    const total = count.reduce((s, v) => s + v, 0);
    if (total > MOST)
      throw new HelkError(
        'method.memory',
        `${total} cells are more than ${MOST} points; take a part of the grids by “Clip”, or larger cells by “Resample”.`,
      );
    const xy = new Float64Array(2 * total);
    const value = new Float64Array(total);
    const source: string[] = new Array<string>(total);
    let at = 0;
    rasters.forEach((r, k) => {
      job.progress(k / rasters.length, 'cells');
      const missing = missingOf(bands[k]!);
      const { cells } = bands[k]!;
      const from = at;
      for (let i = 0; i < cells.length; i++) {
        const v = cells[i]!;
        if (v !== v || v === missing) continue;
        xy[2 * at] = r.grid.x + ((i % r.grid.columns) + 0.5) * r.grid.dx;
        xy[2 * at + 1] = r.grid.y - (Math.floor(i / r.grid.columns) + 0.5) * r.grid.dy;
        value[at] = v;
        source[at++] = names[k]!;
      }
      if (k > 0 && rasters[0]!.grid.crs && r.grid.crs) {
        const own = points(xy.slice(2 * from, 2 * at), r.grid.crs);
        xy.set(featuresIn(own, rasters[0]!.grid.crs).xy, 2 * from);
      }
    });
    const units = new Set(bands.map((b) => b.unit));
    if (units.size > 1)
      job.note(
        'look',
        'toPoints.units',
        `The grids are in different units (${[...units].map((u) => u ?? 'not known').join(', ')}).`,
      );
    return {
      points: {
        ...points(xy, rasters[0]!.grid.crs),
        columns: [numberColumn('value', value, units.size === 1 ? bands[0]!.unit : null), textColumn('source', source)],
      },
      figures: { points: total },
    };
  },
});

function points(xy: Float64Array, crs: Features['crs']): Features {
  const offsets = Uint32Array.from({ length: xy.length / 2 + 1 }, (_, i) => i);
  return {
    kind: 'features',
    crs,
    geometry: 'point',
    xy,
    ringOffsets: offsets,
    partOffsets: offsets,
    featureOffsets: offsets,
    columns: [],
  };
}
