import * as z from 'zod';
import { cellCount } from '../../data/raster';
import { isWide } from '../../data/cells';
import type { Held } from '../../data/held';
import { rescaledInfo } from '../../data/raster-handles';
import { defineMethod, input, output } from '../../method/define';
import { number, text } from '../../method/params';
import { blockBytes, defineRowKernel, oneBand, outType, overRows } from '../../method/rows';
import { momentsOf, summaryOf, type Moments } from '../../numeric/statistics';

export const rescale = defineMethod({
  id: 'raster.rescale',
  version: 1,
  title: 'Factor and offset',
  question: 'What are the values in another unit?',
  about:
    'Each value times the factor plus the offset, in every band, with a new unit where one is given. Missing stays missing.',
  keywords: ['scale', 'multiply', 'unit conversion', 'feet to metres', 'negative', 'depth to elevation'],
  sources: ['common practice, no source'],
  inputs: { raster: input.raster({ band: 'measure', bands: 'all', parts: true }) },
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
    bytes: blockBytes(raster.grid),
    seconds: cellCount(raster.grid) / 1e8,
  }),
  run: async ({ raster }, p, job) => {
    const { factor, offset } = p;
    const { grid } = raster.head;
    const bands = raster.head.bands.map((b) => {
      const info = rescaledInfo(b, factor, offset, p.unit);
      return {
        ...info,
        held: { type: isWide(b.held?.type ?? b.storedType) ? 'float64' : 'float32', missing: null } as Held,
      };
    });
    const sink = job.raster('rescaled', { grid, bands });
    let first: Moments[] = [];
    for (const [k, b] of bands.entries()) {
      const share = (s: number): number => (k + s) / bands.length;
      const inputs = [{ of: raster, band: k }];
      const kernel = rescaleRows;
      const told = await overRows(
        job,
        b.name,
        grid,
        inputs,
        kernel,
        { factor, offset },
        oneBand(sink, k),
        [outType(b)],
        share,
      );
      if (k === 0) first = told;
    }
    const { min, max } = summaryOf(first);
    return { rescaled: sink, figures: { min, max } };
  },
});

const rescaleRows = defineRowKernel('raster.rescale', (p: { factor: number; offset: number }, block) => {
  const { cells } = block.inputs[0]!;
  const out = block.out[0]!;
  for (let i = 0; i < out.length; i++) out[i] = cells[i]! * p.factor + p.offset;
  return momentsOf(out);
});
