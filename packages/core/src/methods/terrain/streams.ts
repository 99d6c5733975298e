import * as z from 'zod';
import { FeaturesBuilder } from '../../data/features';
import { cellArea, cellCount, cellMetres, measureRaster, type Grid, type RasterInfo } from '../../data/raster';
import type { Check } from '../../data/check';
import { formatArea } from '../../data/number-words';
import { numberColumn } from '../../data/table';
import { HelkError } from '../../errors';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice, quantity } from '../../method/params';
import { accumulateD8 } from './flow';
import { roundNear } from '../raster/reproject';
import { pathOf, streamLinks } from './stream-links';
import { waterChecks, waterOf } from './water';

/** A two-hundredth of the area covered: some dozen to a hundred links on most land (common practice, no source). */
export function suggestThreshold(info: RasterInfo): { value: string; reason: string } {
  const f = info.bands[0]!.facts;
  const count = f ? f.summary.count : cellCount(info.grid);
  const cell = cellArea(info.grid, info.grid.rows >> 1);
  const km2 = Math.max(roundNear((count * cell) / 200) / 1e6, (10 * cell) / 1e6);
  return {
    value: `${Number(km2.toPrecision(3))} km2`,
    reason: `about a two-hundredth of the ${((count * cell) / 1e6).toPrecision(3)} km² covered`,
  };
}

/**
 * Refuses a threshold that a single cell passes: every cell would be a stream. A number without its unit is mostly what was meant to be one
 * with it.
 *
 * @param threshold m²
 */
export function thresholdChecks(info: RasterInfo, threshold: number): Check[] {
  const cell = cellArea(info.grid, info.grid.rows >> 1);
  if (threshold > cell) return [];
  return [
    {
      level: 'refused',
      code: 'threshold.cell',
      about: 'threshold',
      message: `A threshold of ${formatArea(threshold)} is no more than one cell (${formatArea(cell)}): every cell would be a stream.`,
      mend: { label: `Take ${suggestThreshold(info).value}`, set: { threshold: suggestThreshold(info).value } },
    },
  ];
}

/** Centre of a cell. */
export const centre = (g: Grid, i: number): [number, number] => [
  g.x + ((i % g.columns) + 0.5) * g.dx,
  g.y - (Math.floor(i / g.columns) + 0.5) * g.dy,
];

export const streams = defineMethod({
  id: 'terrain.streams',
  version: 1,
  title: 'Streams',
  question: 'Where are the streams?',
  about:
    'Cells that more than the threshold drains through (D8), as lines from head to confluence to end, joined at the confluences: each line ends in the very point the next begins with. Columns: order (Strahler or Shreve), length in metres along the cell centres, upstreamArea in m² at the end of the link. The raster holds the order.',
  keywords: ['river', 'drainage network', 'channel', 'brook', 'strahler', 'shreve', 'hydrography'],
  sources: [
    'O’Callaghan and Mark 1984, doi:10.1016/S0734-189X(84)80011-0',
    'Strahler 1957, doi:10.1029/TR038i006p00913',
    'Shreve 1966, doi:10.1086/627137',
  ],
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length' }) },
  params: z.object({
    threshold: quantity('area', {
      widget: 'threshold',
      label: 'Threshold',
      unit: 'm2',
      above: 0,
      help: 'Area that must drain through a cell for it to carry a stream.',
    }),
    order: choice({ strahler: 'Strahler', shreve: 'Shreve' }, { label: 'Order' }).default('strahler'),
  }),
  preview: { kind: 'streams', input: 'elevation', param: 'threshold' },
  outputs: {
    streams: shown(output.features('Streams', undefined, { geometry: 'line' }), {
      features: { colour: '#1f78b4', size: { column: 'order', largest: 4 } },
    }),
    raster: output.raster('Stream order'),
  },
  figures: {
    length: { label: 'Length', unit: 'm' },
    links: { label: 'Links' },
    maxOrder: { label: 'Highest order' },
    drainageDensity: { label: 'Drainage density', unit: 'km/km²' },
  },
  checks: (inputs, { threshold }) => [...waterChecks(inputs), ...thresholdChecks(inputs.elevation, threshold)],
  suggest: ({ elevation }) => ({ threshold: suggestThreshold(elevation) }),
  estimate: ({ elevation }) => ({
    cells: cellCount(elevation.grid),
    bytes: cellCount(elevation.grid) * 26,
    seconds: cellCount(elevation.grid) / 3e6,
  }),
  run: ({ elevation }, p, job) => {
    const { grid } = elevation;
    const w = waterOf(elevation, job);
    job.progress(0.4, 'accumulation');
    const area = accumulateD8(w.direction, w.width, w.height, (row) => cellArea(grid, row));
    job.progress(0.7, 'links');
    const links = streamLinks(w.direction, (i) => area[i]! >= p.threshold, w.width, w.height);
    if (links.cells.length === 0)
      throw new HelkError(
        'method.parameter',
        `threshold: no cell has ${(p.threshold / 1e6).toPrecision(3)} km² above it; the greatest area is ${(area.reduce((m, v) => (v > m ? v : m), 0) / 1e6).toPrecision(3)} km².`,
        'threshold',
      );
    const order = p.order === 'shreve' ? links.shreve : links.strahler;
    const raster = new Float32Array(area.length).fill(NaN);
    const b = new FeaturesBuilder();
    const length: number[] = [];
    const upstream: number[] = [];
    links.cells.forEach((cells, k) => {
      const path = pathOf(links, k);
      let metres = 0;
      path.forEach((c, i) => {
        b.coordinate(...centre(grid, c));
        if (i === 0) return;
        const before = path[i - 1]!;
        const [cw, ch] = cellMetres(grid, Math.floor(c / w.width));
        metres += Math.hypot(
          ((c % w.width) - (before % w.width)) * cw,
          (Math.floor(c / w.width) - Math.floor(before / w.width)) * ch,
        );
      });
      b.endRing();
      b.endPart();
      b.endFeature();
      for (const c of cells) raster[c] = order[k]!;
      length.push(metres);
      upstream.push(area[cells[cells.length - 1]!]!);
    });
    let land = 0;
    for (let y = 0; y < w.height; y++) {
      const a = cellArea(grid, y);
      for (let i = y * w.width; i < (y + 1) * w.width; i++) if (w.band.cells[i]! === w.band.cells[i]!) land += a;
    }
    const total = length.reduce((s, l) => s + l, 0);
    const streams = b.build('line', grid.crs, [
      numberColumn('order', order, ''),
      numberColumn('length', length, 'm'),
      numberColumn('upstreamArea', upstream, 'm2'),
    ]);
    return {
      streams,
      raster: measureRaster(grid, raster, {
        name: 'stream order',
        unit: '',
        role: 'order',
        storedType: 'int16',
        missingCode: 0,
      }),
      figures: {
        length: total,
        links: links.cells.length,
        maxOrder: order.reduce((m, v) => Math.max(m, v), 0),
        drainageDensity: total / 1000 / (land / 1e6),
      },
    };
  },
});
