import { z } from 'zod';
import { cellCount } from '../../data/raster';
import { rescaleBand } from '../../data/rescale-band';
import { defineMethod, input, output } from '../../method/define';
import { number, text } from '../../method/params';
import { summarise } from '../../numeric/statistics';

export const rescale = defineMethod({
  id: 'raster.rescale',
  version: 1,
  title: 'Factor and offset',
  question: 'What are the values in another unit?',
  about:
    'Each value times the factor plus the offset, in every band, with a new unit where one is given. Missing stays missing.',
  keywords: ['scale', 'multiply', 'unit conversion', 'feet to metres', 'negative', 'depth to elevation'],
  sources: ['common practice, no source'],
  inputs: { raster: input.raster({ band: 'measure', bands: 'all' }) },
  params: z.object({
    factor: number({ label: 'Factor' }).default(1),
    offset: number({ label: 'Offset', help: 'Added after the factor, in the new unit.' }).default(0),
    unit: text({ label: 'Unit of the result', help: 'Like m, cm, °C; empty keeps the present one.' }).optional(),
  }),
  outputs: { rescaled: output.raster('Rescaled') },
  figures: { min: { label: 'Lowest', unit: 'result' }, max: { label: 'Highest', unit: 'result' } },
  checks: (_i, p) => [
    ...(p.factor === 0
      ? [
          {
            level: 'look' as const,
            code: 'rescale.zero',
            about: 'factor',
            message: 'A factor of 0 makes every value the same.',
          },
        ]
      : []),
    ...(p.factor !== 1 && !p.unit
      ? [
          {
            level: 'look' as const,
            code: 'rescale.unit',
            about: 'unit',
            message: 'The values change but the unit would stay the same; name the new unit.',
          },
        ]
      : []),
  ],
  estimate: ({ raster }) => ({
    cells: cellCount(raster.grid),
    bytes: cellCount(raster.grid) * 8,
    seconds: cellCount(raster.grid) / 1e8,
  }),
  run: ({ raster }, p, job) => {
    const { factor, offset } = p;
    const bands = raster.bands.map((b, k) => {
      job.progress(k / raster.bands.length, b.name);
      return rescaleBand(b, factor, offset, p.unit);
    });
    const { min, max } = summarise(bands[0]!.cells);
    return { rescaled: { kind: 'raster', grid: raster.grid, bands }, figures: { min, max } };
  },
});
