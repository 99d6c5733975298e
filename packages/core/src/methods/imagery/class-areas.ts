import * as z from 'zod';
import { featureCount, featuresIn, valueOf, type Features } from '../../data/features';
import { cellCount, type Grid } from '../../data/raster';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import type { Job } from '../../method/job';
import { choice, column } from '../../method/params';
import { blockBytes, defineRowKernel, tellRows } from '../../method/rows';
import type { RasterHandle } from '../../data/handle';
import { edgeRows, eachRun, type EdgeRows } from '../../numeric/scanline';
import { columnChecks, columnOf } from '../features/common';
import {
  AREA_UNITS,
  asClasses,
  cellArea,
  classChecks,
  ClassCounter,
  classCounts,
  labeller,
  SQUARE_METRES,
  type ClassCount,
} from '../raster/classes';

export const classAreas = defineMethod({
  id: 'imagery.classAreas',
  version: 1,
  title: 'Areas of classes',
  question: 'How much of each class is there?',
  about:
    'Cells, area and share of each class of a grid, over all of it or in each of some areas (cells whose centre lies in an area; overlapping ones are each measured whole). The share is that of the cells with a class. In a geographic system areas are those of the cells on the ellipsoid.',
  keywords: ['area statistics', 'hectares', 'land cover', 'class share', 'tabulate area'],
  sources: ['common practice, no source'],
  inputs: {
    classes: input.raster({ label: 'Classes', band: 'category', parts: true }),
    zones: { ...input.features({ label: 'Areas', geometry: 'polygon' }), least: 0 as const },
  },
  params: z.object({
    unit: choice(AREA_UNITS, { label: 'Unit of areas' }).default('ha'),
    zoneColumn: column({
      label: 'Name of the areas',
      of: 'zones',
      help: 'Their numbers from 1 where none is given.',
    }).optional(),
  }),
  outputs: { areas: output.table('Areas of classes', 'areas') },
  figures: { total: { label: 'Area with a class', unit: 'param:unit' } },
  checks: ({ classes, zones }, p) => [
    ...classChecks(classes, 'classes'),
    ...(zones && p.zoneColumn ? columnChecks(zones, [p.zoneColumn], 'zoneColumn') : []),
  ],
  estimate: ({ classes, zones }) => ({
    cells: cellCount(classes.grid),
    bytes: blockBytes(classes.grid) + (zones?.count ?? 0) * 2000,
    seconds: cellCount(classes.grid) / 3e7 + (zones?.count ?? 0) / 2e4,
  }),
  run: async ({ classes, zones }, p, job) => {
    const band = classes.head.bands[0]!;
    const label = labeller(band);
    const size = SQUARE_METRES[p.unit];
    const counted: { zone: string | null; counts: ClassCount[] }[] = zones
      ? (await byZone(job, classes, zones)).map((counts, i) => ({
          zone: p.zoneColumn
            ? String(valueOf(columnOf(zones.columns, p.zoneColumn, 'zoneColumn'), i) ?? `no. ${i + 1}`)
            : String(i + 1),
          counts,
        }))
      : [{ zone: null, counts: await classCounts(job, classes) }];
    const rows = counted.flatMap(({ zone, counts }) => {
      const cells = counts.reduce((s, c) => s + c.cells, 0);
      const area = counts.reduce((s, c) => s + c.area, 0);
      return counts.map((c) => ({ zone, ...c, share: area > 0 ? c.area / area : c.cells / cells }));
    });
    if (!rows.length) job.note('look', 'areas.none', 'No cell with a class was found.');
    const table: Table = {
      kind: 'table',
      columns: [
        ...(zones
          ? [
              textColumn(
                'zone',
                rows.map((r) => r.zone!),
              ),
            ]
          : []),
        numberColumn(
          'class',
          rows.map((r) => r.value),
        ),
        textColumn(
          'label',
          rows.map((r) => label(r.value)),
        ),
        numberColumn(
          'cells',
          rows.map((r) => r.cells),
        ),
        numberColumn(
          'area',
          rows.map((r) => r.area / size),
          p.unit,
        ),
        numberColumn(
          'share',
          rows.map((r) => r.share),
          '',
        ),
      ],
    };
    return { areas: table, figures: { total: rows.reduce((s, r) => s + r.area, 0) / size } };
  },
});

interface Zones {
  xy: Float64Array;
  edges: EdgeRows;
  grid: Grid;
}

const zoneRows = defineRowKernel('imagery.classAreas', ({ xy, edges, grid }: Zones, block) => {
  const values = asClasses(block.inputs[0]!.cells);
  const counters = new Map<number, ClassCounter>();
  for (let y = 0; y < block.rows; y++) {
    const area = cellArea(grid, block.from + y);
    eachRun({ xy }, edges, grid, block.from + y, (c0, c1, zone) => {
      let c = counters.get(zone);
      if (!c) counters.set(zone, (c = new ClassCounter()));
      c.add(values, y * block.width + c0, y * block.width + c1, area);
    });
  }
  return [...counters].map(([zone, c]) => ({ zone, counts: c.done() }));
});

async function byZone(job: Job, classes: RasterHandle, zones: Features): Promise<ClassCount[][]> {
  const { grid } = classes.head;
  const f = featuresIn(zones, grid.crs);
  const counters = Array.from({ length: featureCount(f) }, () => new ClassCounter());
  const shared = { xy: f.xy, edges: edgeRows(f, grid), grid };
  const told = await tellRows(job, 'counting', grid, [{ of: classes }], zoneRows, shared);
  for (const t of told) for (const { zone, counts } of t) for (const c of counts) counters[zone]!.put(c);
  return counters.map((c) => c.done());
}
