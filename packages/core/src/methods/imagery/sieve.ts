import * as z from 'zod';
import { plainHeld } from '../../data/cells';
import { bandInfo, cellCount, MISSING_CLASS, type BandInfo } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { choice, quantity } from '../../method/params';
import { absorbed, patchesOf } from '../../numeric/patches';
import { asClasses, cellArea, classChecks, entriesOf } from '../raster/classes';

export const sieve = defineMethod({
  id: 'imagery.sieve',
  version: 1,
  title: 'Remove specks',
  question: 'How does the map lose its specks?',
  about:
    'Patches of cells of one class that are smaller than an area take the class of the neighbour they share the longest border with, from the smallest on; what then touches and is of one class counts as one patch. Patches surrounded by cells without a class stay. Cells touch by their sides, or by their corners too.',
  keywords: ['speckle', 'salt and pepper', 'minimum mapping unit', 'clean', 'generalise', 'filter', 'small areas'],
  sources: [
    'Rosenfeld and Pfaltz 1966, doi:10.1145/321356.321357 (connected cells)',
    'common practice, no source (longest border)',
  ],
  inputs: { classes: input.raster({ label: 'Classes', band: 'category' }) },
  params: z.object({
    minArea: quantity('area', { label: 'Smallest patch', unit: 'm2', above: 0 }),
    connect: choice({ '4': 'by their sides', '8': 'by their corners too' }, { label: 'Cells touch' }).default('4'),
  }),
  outputs: { cleaned: output.raster('Cleaned') },
  figures: { changedCells: { label: 'Cells changed' }, patches: { label: 'Patches absorbed' } },
  checks: ({ classes }) => classChecks(classes, 'classes'),
  suggest: ({ classes }) => {
    const cell = cellArea(classes.grid, classes.grid.rows >> 1);
    return cell > 0 && Number.isFinite(cell)
      ? { minArea: { value: `${Number((5 * cell).toPrecision(3))} m2`, reason: 'five cells' } }
      : {};
  },
  estimate: ({ classes }) => ({
    cells: cellCount(classes.grid),
    // Cells, their patches, and of noisy maps as many patches with borders as a tenth of the cells.
    bytes: cellCount(classes.grid) * 40,
    seconds: cellCount(classes.grid) / 3e6,
  }),
  run: async ({ classes }, p, job) => {
    const { grid } = classes;
    const band = classes.bands[0]!;
    job.progress(0, 'patches');
    const cells = asClasses(band.cells);
    const found = patchesOf(cells, grid.columns, MISSING_CLASS, p.connect === '8' ? 8 : 4);
    job.progress(0.4, 'absorbing');
    const areas = new Float64Array(found.values.length);
    for (let r = 0, i = 0; r < grid.rows; r++) {
      const area = cellArea(grid, r);
      for (let c = 0; c < grid.columns; c++, i++) if (found.of[i]! >= 0) areas[found.of[i]!]! += area;
    }
    const { values, absorbed: gone } = absorbed(found, grid.columns, areas, p.minArea);
    job.progress(0.9, 'writing');
    const out = new Int32Array(cells.length).fill(MISSING_CLASS);
    let changedCells = 0;
    for (let i = 0; i < out.length; i++) {
      if (found.of[i]! < 0) continue;
      out[i] = values[found.of[i]!]!;
      if (out[i] !== cells[i]) changedCells++;
    }
    if (gone === 0) job.note('info', 'sieve.none', 'No patch with a neighbour is that small.');
    const info: BandInfo = {
      ...bandInfo(band),
      kind: 'category',
      unit: null,
      classes: band.classes ?? entriesOf(band, new Set(found.values)),
    };
    const sink = job.raster('cleaned', { grid, bands: [{ ...info, held: plainHeld(info) }] });
    await sink.write(0, out);
    return { cleaned: sink, figures: { changedCells, patches: gone } };
  },
});
