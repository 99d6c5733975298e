import * as z from 'zod';
import { HelkError } from '../errors';
import { parseCrs, transformer, type Crs } from '../data/crs';
import type { Features } from '../data/features';
import { cellCount, MISSING_CLASS, sameGrid } from '../data/raster';
import { defineRowKernel, tellRows } from '../method/rows';
import type { Job } from '../method/job';
import { asClasses, labeller } from '../methods/raster/classes';
import { completeVectors, sceneOf, type Scene } from '../methods/imagery/scene';
import { addTo, joinSpreads, noSpread, sdOf, type Spread } from '../numeric/spread';
import { areasIn, Corners, eachAreaCell, Outline } from './areas';
import { defineGlance } from './glance';

/** Values that are read for the spectra of classes; of larger scenes a part, spread over them. */
const MOST_READ = 2 ** 26;
const MOST_GROUPS = 400;

const Group = z.object({
  /** Value of a class; number of an area or place, from 0. */
  key: z.number(),
  label: z.string(),
  n: z.number(),
  mean: z.array(z.number()),
  sd: z.array(z.number()),
});

export const SpectraShape = z.object({
  bands: z.array(
    z.object({
      name: z.string(),
      unit: z.string().nullable(),
      role: z.string().nullable(),
      wavelength: z.number().nullable(),
    }),
  ),
  groups: z.array(Group),
  /** Of the cells that were asked for, how many were looked at. */
  share: z.number(),
});
export type Spectra = z.output<typeof SpectraShape>;

/** Mean and spread of a scene's bands in classes, areas and places; cells count that have a value in every band. */
export const spectra = defineGlance({
  id: 'imagery.spectra',
  question: 'What do classes, areas and places look like in the bands?',
  inputs: { scene: { kind: 'raster' }, classes: { kind: 'raster', optional: true } },
  params: z.object({
    areas: z.array(Outline).max(MOST_GROUPS).default([]),
    places: Corners.max(MOST_GROUPS).default([]),
    /** System of areas and places; the scene's own where none is given. */
    crs: z.string().max(20_000).optional(),
  }),
  answer: SpectraShape,
  run: async ({ scene: given, classes }, p, job) => {
    const scene = sceneOf(given);
    if (!scene.bands.length) throw new HelkError('method.input', 'It has no band of measured values.', 'scene');
    const { grid } = given.head;
    const crs = p.crs ? parseCrs(p.crs) : grid.crs;
    const found: { key: number; label: string; s: Spread }[] = [];
    let share = 1;
    if (classes) {
      if (!sameGrid(grid, classes.head.grid))
        throw new HelkError('method.input', 'The classes and the scene do not lie on one grid.', 'classes');
      const label = labeller(classes.head.bands[0]!);
      const step = Math.max(1, Math.ceil((cellCount(grid) * scene.bands.length) / MOST_READ));
      share = 1 / step;
      const inputs = [...scene.inputs, { of: classes }];
      const told = await tellRows(job, 'spectra', grid, inputs, classRows, { every: step });
      const all = new Map<number, Spread>();
      for (const t of told) for (const [v, s] of t) all.set(v, joinSpreads(all.get(v) ?? noSpread(s.mean.length), s));
      for (const [key, s] of [...all].sort(([a], [b]) => a - b)) found.push({ key, label: label(key), s });
    }
    if (p.areas.length) {
      const of = areaSpreads(job, scene, areasIn(p.areas, crs, grid), p.areas.length);
      for (const [key, s] of (await of).entries()) found.push({ key, label: p.areas[key]!.label, s });
    }
    if (p.places.length)
      for (const [key, s] of (await placeSpreads(scene, p.places, crs)).entries())
        found.push({ key, label: String(key + 1), s });
    return {
      bands: scene.bands.map((k) => {
        const { name, unit, role, wavelength } = given.head.bands[k]!;
        return { name, unit, role: role ?? null, wavelength: wavelength ?? null };
      }),
      groups: found.map(({ key, label, s }) => ({ key, label, n: s.n, mean: [...s.mean], sd: [...sdOf(s)] })),
      share,
    };
  },
});

const classRows = defineRowKernel('glance.spectra', ({ every }: { every: number }, block): [number, Spread][] => {
  const scene = block.inputs.slice(0, -1);
  const b = scene.length;
  const values = asClasses(block.inputs[b]!.cells);
  const x = new Float32Array(block.rows * block.width * b);
  const at = new Uint32Array(block.rows * block.width);
  const n = completeVectors(scene, x, at);
  const out = new Map<number, Spread>();
  // Which of every few are looked at is shifted from row to row, so that no column is favoured.
  for (let i = 0; i < n; i++) {
    const cell = at[i]!;
    const v = values[cell]!;
    if (v === MISSING_CLASS) continue;
    if (every > 1 && (cell + 7 * Math.floor(cell / block.width) + block.from) % every) continue;
    let s = out.get(v);
    if (!s) out.set(v, (s = noSpread(b)));
    addTo(s, x, i * b);
  }
  return [...out];
});

async function areaSpreads(job: Job, scene: Scene, f: Features, count: number): Promise<Spread[]> {
  const out = Array.from({ length: count }, () => noSpread(scene.bands.length));
  await eachAreaCell(job, scene, f, (area, x, at) => addTo(out[area]!, x, at));
  return out;
}

async function placeSpreads(
  scene: Scene,
  places: readonly (readonly [number, number])[],
  crs: Crs | null,
): Promise<Spread[]> {
  const { grid } = scene.of.head;
  const go = crs && grid.crs ? transformer(crs, grid.crs) : null;
  const out: Spread[] = [];
  for (const [px, py] of places) {
    const at = [px, py];
    if (go) go(px, py, at);
    const c = Math.floor((at[0]! - grid.x) / grid.dx);
    const r = Math.floor((grid.y - at[1]!) / grid.dy);
    const s = noSpread(scene.bands.length);
    out.push(s);
    if (!(c >= 0 && r >= 0 && c < grid.columns && r < grid.rows)) continue;
    const v: number[] = [];
    for (const band of scene.bands) v.push((await scene.of.rows(band, r, 1))[c]!);
    if (v.every(Number.isFinite)) addTo(s, v, 0);
  }
  return out;
}
