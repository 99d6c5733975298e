import * as z from 'zod';
import { featureCount } from '../data/features';
import { MISSING_CLASS } from '../data/raster';
import { columnOf } from '../methods/features/common';
import { eachPlace, matched } from '../methods/imagery/accuracy';
import { namedClasses } from '../methods/imagery/training';
import { labeller } from '../methods/raster/classes';
import { defineGlance } from './glance';

export const matrixPlaces = defineGlance({
  id: 'imagery.matrixPlaces',
  question: 'Which places are of these classes, on the map and on the ground?',
  inputs: { classes: { kind: 'raster' }, reference: { kind: 'features' } },
  params: z.object({
    classColumn: z.string().max(200),
    /** Labels, as in the matrix; null for any. */
    mapped: z.string().max(200).nullable(),
    found: z.string().max(200).nullable(),
  }),
  answer: z.object({
    /** Rows of the reference, from 0, in their order. */
    rows: z.array(z.number()),
  }),
  run: async ({ classes, reference: given }, p, job) => {
    const reference = await given.load();
    const band = classes.head.bands[0]!;
    const label = labeller(band);
    const column = columnOf(reference.columns, p.classColumn, 'classColumn');
    const named = namedClasses(column, 'classColumn');
    const names = (band.classes ?? []).map((c) => label(c.value));
    const foundAs = matched(
      names,
      (band.classes ?? []).map((c) => c.value),
      named,
      column,
    );
    const hit = new Uint8Array(featureCount(reference));
    await eachPlace(job, classes, reference, (value, row) => {
      const r = named.of(row);
      if (r < 0 || value === MISSING_CLASS) return;
      if (p.mapped !== null && label(value) !== p.mapped) return;
      if (p.found !== null && names[foundAs[r]!] !== p.found) return;
      hit[row] = 1;
    });
    return { rows: [...hit.keys()].filter((i) => hit[i] === 1) };
  },
});
