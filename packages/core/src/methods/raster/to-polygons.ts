import * as z from 'zod';
import { HelkError } from '../../errors';
import { FeaturesBuilder } from '../../data/features';
import { firstBand, MISSING_CLASS, missingOf } from '../../data/raster';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { choice } from '../../method/params';
import { polygonise } from '../../numeric/polygonise';

const MOST = 2_000_000;

export const toPolygons = defineMethod({
  id: 'raster.toPolygons',
  version: 1,
  title: 'Classes to areas',
  question: 'Which areas do equal cells make?',
  about:
    'Cells of equal value that hang together as one area each, outlined along their edges, with the value and, where the classes have names, the class. Over edges only, or over corners too. Values must be whole numbers: recode measures first.',
  keywords: ['polygonise', 'vectorise', 'raster to polygons', 'areas of equal class'],
  sources: ['common practice, no source'],
  inputs: { raster: input.raster({}) },
  params: z.object({
    connect: choice({ '4': 'over edges', '8': 'over corners too' }, { label: 'Cells hang together' }).default('4'),
  }),
  outputs: { polygons: output.features('Areas', 'areas', { geometry: 'polygon' }) },
  figures: { polygons: { label: 'Areas' } },
  estimate: ({ raster }) => {
    const n = raster.grid.columns * raster.grid.rows;
    return { cells: n, bytes: n * 26, seconds: n / 5e6 };
  },
  run: ({ raster }, p, job) => {
    const band = firstBand(raster);
    const { grid } = raster;
    const missing = missingOf(band);
    const labels = new Int32Array(band.cells.length);
    for (let i = 0; i < labels.length; i++) {
      const v = band.cells[i]!;
      if (v !== v || v === missing) labels[i] = MISSING_CLASS;
      else if (!Number.isInteger(v))
        throw new HelkError(
          'method.input',
          `There are values like ${v}; only whole numbers make areas. “Recode” makes classes of them.`,
          'raster',
        );
      else labels[i] = v;
    }
    job.progress(0.1, 'outlines');
    const areas = polygonise(labels, grid.columns, grid.rows, MISSING_CLASS, p.connect === '8' ? 8 : 4);
    if (areas.length > MOST)
      throw new HelkError(
        'method.memory',
        `${areas.length} areas are more than ${MOST}; take out single cells first by “Neighbourhood statistic” (majority).`,
      );
    const b = new FeaturesBuilder();
    for (const a of areas) {
      for (const part of a.parts) {
        for (const r of part) {
          for (let i = r.length - 2; i >= 0; i -= 2)
            b.coordinate(grid.x + r[i]! * grid.dx, grid.y - r[i + 1]! * grid.dy);
          b.endRing();
        }
        b.endPart();
      }
      b.endFeature();
    }
    const names = new Map((band.classes ?? []).map((c) => [c.value, c.label]));
    const polygons = b.build('polygon', grid.crs, [
      numberColumn(
        'value',
        areas.map((a) => a.label),
        band.unit,
      ),
      ...(names.size
        ? [
            textColumn(
              'class',
              areas.map((a) => names.get(a.label) ?? String(a.label)),
            ),
          ]
        : []),
    ]);
    return { polygons, figures: { polygons: areas.length } };
  },
});
