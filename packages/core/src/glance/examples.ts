import * as z from 'zod';
import { parseCrs } from '../data/crs';
import { HelkError } from '../errors';
import { sceneOf } from '../methods/imagery/scene';
import { comoments } from '../numeric/comoments';
import { gaussianClass, separability } from '../numeric/gaussian';
import { areasIn, eachAreaCell, Outline } from './areas';
import { defineGlance } from './glance';

const MOST_AREAS = 2000;
/** Cells that are held of all classes together; of a class its part of them, the first ones. */
const MOST_CELLS = 1_000_000;

export const examples = defineGlance({
  id: 'imagery.examples',
  question: 'Can the classes drawn so far be told apart?',
  inputs: { scene: { kind: 'raster' } },
  params: z.object({
    /** Label is the class. */
    areas: z.array(Outline).max(MOST_AREAS),
    crs: z.string().max(20_000).optional(),
  }),
  answer: z.object({
    bands: z.array(z.object({ name: z.string(), unit: z.string().nullable(), wavelength: z.number().nullable() })),
    classes: z.array(
      z.object({ label: z.string(), cells: z.number(), mean: z.array(z.number()), sd: z.array(z.number()) }),
    ),
    /** Classes with enough cells, two and two; `jeffriesMatusita` from 0 to 2. */
    pairs: z.array(z.object({ a: z.string(), b: z.string(), jeffriesMatusita: z.number() })),
    /** Classes that have too few cells to be compared. */
    few: z.array(z.string()),
  }),
  run: async ({ scene: given }, p, job) => {
    const scene = sceneOf(given);
    if (!scene.bands.length) throw new HelkError('method.input', 'It has no band of measured values.', 'scene');
    const { grid } = given.head;
    const b = scene.bands.length;
    const labels = [...new Set(p.areas.map((a) => a.label))];
    const of = p.areas.map((a) => labels.indexOf(a.label));
    const cells: number[][] = labels.map(() => []);
    const counts = labels.map(() => 0);
    const most = Math.floor(MOST_CELLS / Math.max(1, labels.length)) * b;
    if (p.areas.length)
      await eachAreaCell(job, scene, areasIn(p.areas, p.crs ? parseCrs(p.crs) : grid.crs, grid), (area, x, at) => {
        const c = of[area]!;
        counts[c]!++;
        if (cells[c]!.length < most) for (let j = 0; j < b; j++) cells[c]!.push(x[at + j]!);
      });
    const told = labels.map((label, c) => {
      const n = cells[c]!.length / b;
      const m = comoments(cells[c]!, n, b);
      return { label, n, m, model: n > b ? gaussianClass(m) : null };
    });
    return {
      bands: scene.bands.map((k) => {
        const { name, unit, wavelength } = given.head.bands[k]!;
        return { name, unit, wavelength: wavelength ?? null };
      }),
      classes: told.map(({ label, n, m }, c) => ({
        label,
        cells: counts[c]!,
        mean: n ? [...m.mean] : [],
        sd: n ? Array.from({ length: b }, (_, j) => Math.sqrt(m.products[j * b + j]! / Math.max(1, n - 1))) : [],
      })),
      pairs: told.flatMap((q, i) =>
        told
          .slice(i + 1)
          .flatMap((r) =>
            q.model && r.model
              ? [{ a: q.label, b: r.label, jeffriesMatusita: separability(q.model, r.model).jeffriesMatusita }]
              : [],
          ),
      ),
      few: told.filter((t) => !t.model).map((t) => t.label),
    };
  },
});
