import { z } from 'zod';
import { bandInfo, cellCount } from '../../data/raster';
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
  inputs: { raster: input.raster({ band: 'measure' }) },
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
      const cells =
        b.cells instanceof Float64Array ? new Float64Array(b.cells.length) : new Float32Array(b.cells.length);
      for (let i = 0; i < cells.length; i++) cells[i] = b.cells[i]! * factor + offset;
      const whole = Number.isInteger(factor) && Number.isInteger(offset);
      const { role: _role, ...info } = bandInfo(b);
      const kept = b.role && factor > 0 ? { role: b.role } : {};
      const storedType =
        whole && /int/.test(b.storedType)
          ? ('int32' as const)
          : cells instanceof Float64Array
            ? ('float64' as const)
            : ('float32' as const);
      return {
        ...info,
        ...kept,
        kind: 'measure' as const,
        unit: p.unit ?? b.unit,
        storedType,
        missingCode: null,
        cells,
      };
    });
    const { min, max } = summarise(bands[0]!.cells);
    return { rescaled: { kind: 'raster', grid: raster.grid, bands }, figures: { min, max } };
  },
});
