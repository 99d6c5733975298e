import * as z from 'zod';
import { plural } from '../../data/check';
import { FeaturesBuilder } from '../../data/features';
import { cellCount, cellMetres, MISSING_CLASS, type Grid } from '../../data/raster';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { choice, number, quantity } from '../../method/params';
import { blockBytes, blockRows } from '../../method/rows';
import type { Random } from '../../numeric/random';
import { asClasses, classChecks, classCounts, labeller } from '../raster/classes';

/** How many candidates are drawn for a place that must keep away from others. */
const TRIES = 40;

export const samplePlaces = defineMethod({
  id: 'imagery.samplePlaces',
  version: 1,
  title: 'Places to check',
  question: 'Where should the map be checked?',
  about:
    'Draws cells of a map of classes by chance, to go and see what is there. Stratified: every class gets its share of the places by its area, but at least as many as are asked for (or all its cells), since a rare class is not judged by two places; random: all cells have the same chance. Weight is how many cells of the map a place stands for. Places keep apart by the distance that is asked for, as far as there is room.',
  keywords: [
    'accuracy assessment',
    'validation points',
    'stratified random sample',
    'ground truth',
    'reference points',
  ],
  sources: ['Olofsson et al. 2014, doi:10.1016/j.rse.2014.02.015', 'Cochran 1977'],
  inputs: { classes: input.raster({ label: 'Map', band: 'category', parts: true }) },
  params: z.object({
    n: number({ label: 'Places', min: 1, max: 100_000 }).default(200),
    design: choice({ stratified: 'by class', random: 'all alike' }, { label: 'How' }).default('stratified'),
    leastPerClass: number({
      label: 'At least of a class',
      min: 0,
      max: 100_000,
      when: { design: 'stratified' },
    }).default(20),
    apart: quantity('length', { label: 'Apart', unit: 'm', min: 0 }).default(0),
  }),
  outputs: { places: output.features('Places to check', 'places') },
  figures: { places: { label: 'Places' } },
  checks: ({ classes }) => classChecks(classes, 'classes'),
  estimate: ({ classes }, p) => ({
    cells: cellCount(classes.grid),
    bytes: 2 * blockBytes(classes.grid) + p.n * TRIES * 100,
    seconds: cellCount(classes.grid) / 3e7,
  }),
  run: async ({ classes }, p, job) => {
    const { grid, bands } = classes.head;
    const counts = await classCounts(job, classes, (s) => s / 2);
    const n = Math.floor(p.n);
    const whole = counts.reduce((s, c) => s + c.cells, 0);
    const strata =
      p.design === 'random'
        ? [{ values: null, cells: whole, wanted: Math.min(n, whole) }]
        : allotted(
            counts.map((c) => c.cells),
            n,
            Math.floor(p.leastPerClass),
          ).map((wanted, i) => ({
            values: counts[i]!.value,
            cells: counts[i]!.cells,
            wanted,
          }));
    if (!counts.length) job.note('look', 'places.none', 'No cell of the map has a class.');
    // Candidates of each stratum by their rank among its cells, in the order in which they were drawn.
    const drawn = strata.map((s) =>
      ranks(Math.min(s.cells, p.apart > 0 ? TRIES * s.wanted : s.wanted), s.cells, job.random),
    );
    const index = new Map(strata.map((s, i) => [s.values, i]));
    const at = drawn.map(
      (d) => new Map<number, { cell: number; value: number }>([...d.keys()].map((r) => [r, { cell: -1, value: 0 }])),
    );
    const seen = strata.map(() => 0);
    const step = blockRows(grid.columns);
    for (let from = 0; from < grid.rows; from += step) {
      job.progress(0.5 + (0.5 * from) / grid.rows, 'finding places');
      const values = asClasses(await classes.rows(0, from, Math.min(step, grid.rows - from)));
      for (let i = 0; i < values.length; i++) {
        const value = values[i]!;
        if (value === MISSING_CLASS) continue;
        const s = p.design === 'random' ? 0 : index.get(value)!;
        const found = at[s]!.get(seen[s]!++);
        if (found) Object.assign(found, { cell: from * grid.columns + i, value });
      }
    }
    const b = new FeaturesBuilder();
    const rows: { value: number; weight: number }[] = [];
    const near = new Nearness(grid, p.apart);
    let short = 0;
    strata.forEach((s, i) => {
      const taken: { cell: number; value: number }[] = [];
      for (const [rank] of [...drawn[i]!].sort((x, y) => x[1] - y[1])) {
        if (taken.length >= s.wanted) break;
        const place = at[i]!.get(rank)!;
        if (near.free(place.cell)) taken.push(place);
      }
      short += s.wanted - taken.length;
      for (const { cell, value } of taken) {
        const [x, y] = centre(grid, cell);
        b.point(x, y);
        rows.push({ value, weight: s.cells / taken.length });
      }
    });
    if (short > 0)
      job.note('look', 'places.short', `${plural(short, 'place')} found no room ${p.apart} m from the others.`);
    const label = labeller(bands[0]!);
    const places = b.build('point', grid.crs, [
      numberColumn(
        'class',
        rows.map((r) => r.value),
      ),
      textColumn(
        'label',
        rows.map((r) => label(r.value)),
      ),
      numberColumn(
        'weight',
        rows.map((r) => r.weight),
      ),
    ]);
    return { places, figures: { places: rows.length } };
  },
});

/** Places of each class: by its share of the cells, at least so many, no more than it has cells. */
export function allotted(cells: readonly number[], n: number, least: number): number[] {
  const whole = cells.reduce((s, c) => s + c, 0);
  if (whole === 0) return [];
  const floor = cells.map((c) => Math.min(c, least));
  // What the least numbers leave is shared out by area.
  const left = Math.max(0, n - floor.reduce((s, f) => s + f, 0));
  const exact = cells.map((c, i) => Math.min(c, floor[i]! + (left * c) / whole));
  const given = exact.map(Math.floor);
  let rest =
    Math.min(
      whole,
      Math.max(
        n,
        floor.reduce((s, f) => s + f, 0),
      ),
    ) - given.reduce((s, g) => s + g, 0);
  const order = exact.map((e, i) => ({ i, part: e - Math.floor(e) })).sort((a, b) => b.part - a.part || a.i - b.i);
  while (rest > 0) {
    let moved = false;
    for (const { i } of order) {
      if (rest === 0) break;
      if (given[i]! >= cells[i]!) continue;
      given[i]!++;
      rest--;
      moved = true;
    }
    if (!moved) break;
  }
  return given;
}

/** So many different numbers below n, each with its place in the order in which they were drawn (Floyd's way, then shuffled). */
function ranks(count: number, n: number, random: Random): Map<number, number> {
  const chosen = new Set<number>();
  for (let j = n - count; j < n; j++) {
    const t = random.below(j + 1);
    chosen.add(chosen.has(t) ? j : t);
  }
  const list = [...chosen];
  for (let i = list.length - 1; i > 0; i--) {
    const j = random.below(i + 1);
    [list[i], list[j]] = [list[j]!, list[i]!];
  }
  return new Map(list.map((v, i) => [v, i]));
}

const centre = (g: Grid, cell: number): [number, number] => [
  g.x + ((cell % g.columns) + 0.5) * g.dx,
  g.y - (Math.floor(cell / g.columns) + 0.5) * g.dy,
];

/** Keeps places apart: those there are, in boxes as wide as the distance. */
class Nearness {
  private readonly boxes = new Map<string, [number, number][]>();
  constructor(
    private readonly grid: Grid,
    private readonly apart: number,
  ) {}

  /** Whether nothing is too near; if so it is there from now on. */
  free(cell: number): boolean {
    if (!(this.apart > 0)) return true;
    const [w, h] = cellMetres(this.grid, Math.floor(cell / this.grid.columns));
    const [x, y] = [(cell % this.grid.columns) * w, Math.floor(cell / this.grid.columns) * h];
    const [c, r] = [Math.floor(x / this.apart), Math.floor(y / this.apart)];
    for (let i = c - 1; i <= c + 1; i++)
      for (let j = r - 1; j <= r + 1; j++)
        for (const [u, v] of this.boxes.get(`${i} ${j}`) ?? []) if (Math.hypot(u - x, v - y) < this.apart) return false;
    const key = `${c} ${r}`;
    const own = this.boxes.get(key);
    if (own) own.push([x, y]);
    else this.boxes.set(key, [[x, y]]);
    return true;
  }
}
