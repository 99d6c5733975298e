import * as z from 'zod';
import { FeaturesBuilder } from '../../data/features';
import { cellArea, cellCount, firstBand, missingOf } from '../../data/raster';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { cellOutlines, enclosedGaps, missingMask } from '../../numeric/components';
import { plural } from '../../data/check';

export const gaps = defineMethod({
  id: 'raster.gaps',
  version: 1,
  title: 'Gaps',
  question: 'Where are cells missing inside the data?',
  about:
    'Groups of missing cells, joined by their sides, that do not reach the edge of the grid, as polygons along the cell edges with their cell count and area. Missing cells joined to the edge count as outside. Areas are planar in a projected system and on the ellipsoid in a geographic one.',
  keywords: ['holes', 'voids', 'missing', 'nodata', 'no data'],
  sources: ['Snyder 1987, USGS Professional Paper 1395, eq. 3-12 (area of an ellipsoidal zone)'],
  inputs: { raster: input.raster({}) },
  params: z.object({}),
  outputs: {
    gaps: shown(output.features('Gaps', undefined, { geometry: 'polygon' }), { features: { colour: '#d6246e' } }),
  },
  figures: {
    gaps: { label: 'Gaps' },
    gapCells: { label: 'Missing cells inside' },
    gapArea: { label: 'Area', unit: 'm2' },
  },
  checks: ({ raster }) => {
    const f = raster.bands[0]!.facts;
    return f
      ? [
          {
            level: 'fine',
            code: 'fine',
            message: f.enclosedGaps
              ? `${plural(f.enclosedGaps, 'hole')} to outline.`
              : 'There is no hole inside the data.',
          },
        ]
      : [];
  },
  estimate: ({ raster }) => ({
    cells: cellCount(raster.grid),
    bytes: cellCount(raster.grid) * 6,
    seconds: cellCount(raster.grid) / 4e7,
  }),
  run: ({ raster }, _p, job) => {
    const { grid } = raster;
    const band = firstBand(raster);
    const found = enclosedGaps(missingMask(band.cells, missingOf(band)), grid.columns, grid.rows);
    const b = new FeaturesBuilder();
    const cells: number[] = [];
    const areas: number[] = [];
    found.forEach((gap, k) => {
      if ((k & 255) === 0) job.progress(k / found.length, 'outlines');
      const rings = cellOutlines(gap.cells, grid.columns);
      for (const ring of rings) {
        for (let i = 0; i < ring.length; i += 2)
          b.coordinate(grid.x + ring[i]! * grid.dx, grid.y - ring[i + 1]! * grid.dy);
        b.endRing();
      }
      b.endPart();
      b.endFeature();
      cells.push(gap.cells.length);
      areas.push(gap.cells.reduce((s, i) => s + cellArea(grid, Math.floor(i / grid.columns)), 0));
    });
    const gaps = b.build('polygon', grid.crs, [numberColumn('cells', cells, ''), numberColumn('area', areas, 'm2')]);
    return {
      gaps,
      figures: {
        gaps: found.length,
        gapCells: cells.reduce((s, c) => s + c, 0),
        gapArea: areas.reduce((s, a) => s + a, 0),
      },
    };
  },
});
