import * as z from 'zod';
import { featureCount, FeaturesBuilder, takeColumn, type Features } from '../../data/features';
import { featureArea, measuredHow } from '../../data/measure';
import { defineMethod, input, output } from '../../method/define';
import { choice, column, columns, quantity } from '../../method/params';
import { BoxIndex } from '../../numeric/boxes';
import type { Geos, Shape } from '../../numeric/geos';
import { withGeos } from '../../numeric/geos';
import { columnChecks, columnOf, keyOf, noteHeights, shapesOf, summed } from './common';
import { plural, type Check } from '../../data/check';

/** Length of the border that each pair of touching areas shares, in units of the coordinates, by both. */
function borders(g: Geos, shapes: Shape[], f: Features, progress: (share: number) => void): Map<number, number>[] {
  const index = new BoxIndex(f);
  const out = shapes.map(() => new Map<number, number>());
  for (let i = 0; i < shapes.length; i++) {
    if ((i & 63) === 0) progress(i / shapes.length);
    if (!shapes[i]) continue;
    const box = index.boxes.subarray(4 * i, 4 * i + 4);
    const near = index.near(box[0]!, box[1]!, box[2]!, box[3]!).filter((j) => j > i && shapes[j]);
    if (!near.length) continue;
    const ready = g.prepare(shapes[i]!);
    for (const j of near) {
      if (!ready.intersects(shapes[j]!)) continue;
      const s = g.intersection(shapes[i]!, shapes[j]!);
      const length = g.length(s);
      g.free(s);
      if (length > 0) {
        out[i]!.set(j, length);
        out[j]!.set(i, length);
      }
    }
    ready.done();
  }
  return out;
}

export const absorbSmall = defineMethod({
  id: 'features.absorbSmall',
  version: 1,
  title: 'Absorb small areas',
  question: 'Which areas are too small to stand alone?',
  about:
    'Areas below a size join the neighbour with which they share the longest border, or the largest neighbour, smallest first, and vanish into it; what has grown past the size on the way stays. The neighbour keeps its columns. Areas without a neighbour stay as they are and are counted in a note. With a column, only neighbours of the same value are joined. The neighbour keeps its numbers, but for the columns to be summed (counts, populations), to which those of the absorbed areas are added.',
  keywords: ['eliminate', 'minimum mapping unit', 'sliver', 'small polygons', 'generalise', 'smallest mapped area'],
  sources: ['common practice, no source'],
  inputs: { polygons: input.features({ label: 'Areas', geometry: 'polygon' }) },
  params: z.object({
    minArea: quantity('area', {
      label: 'Smallest area to keep',
      unit: 'm2',
      above: 0,
      help: 'With its unit: 20 ha are 200 000 m².',
    }),
    neighbour: choice(
      { longestBorder: 'with the longest shared border', largest: 'the largest' },
      { label: 'Join the neighbour' },
    ).default('longestBorder'),
    sums: columns({
      label: 'Sum up',
      of: 'polygons',
      numeric: true,
      help: 'Columns of counts: what is absorbed adds to its neighbour’s.',
    }).default([]),
    within: column({ label: 'Only within', of: 'polygons', help: 'Join only where this column is alike.' }).optional(),
  }),
  preview: { kind: 'small', input: 'polygons', param: 'minArea' },
  outputs: { result: output.features('Small ones absorbed', 'absorbed') },
  figures: { absorbed: { label: 'Areas absorbed' }, areaAbsorbed: { label: 'Area absorbed', unit: 'm2' } },
  checks: ({ polygons }, p): Check[] => {
    const lost = polygons.columns.filter((c) => c.type === 'number' && !p.sums.includes(c.name)).map((c) => c.name);
    return [
      ...(p.within ? columnChecks(polygons, [p.within], 'within') : []),
      ...columnChecks(polygons, p.sums, 'sums', true),
      ...(lost.length
        ? [
            {
              level: 'look' as const,
              code: 'absorb.numbers',
              about: 'sums',
              message: `What the absorbed areas have in ${lost.slice(0, 6).join(', ')}${lost.length > 6 ? ' …' : ''} is lost: the neighbour keeps its own number. Counts want to be summed up.`,
            },
          ]
        : []),
    ];
  },
  estimate: ({ polygons }) => ({ cells: polygons.count, bytes: polygons.count * 4000, seconds: polygons.count / 4000 }),
  run: async ({ polygons }, p, job) => {
    const n = featureCount(polygons);
    const own = Float64Array.from({ length: n }, (_, i) => featureArea(polygons, i));
    const within = p.within ? columnOf(polygons.columns, p.within, 'within') : null;
    noteHeights(job, polygons);
    const b = new FeaturesBuilder();
    const kept: number[] = [];
    const groups: number[][] = [];
    let absorbed = 0;
    let areaAbsorbed = 0;
    let alone = 0;
    let grown = 0;
    await withGeos((g) => {
      const shapes = shapesOf(g, polygons, job, 'the areas');
      const border = borders(g, shapes, polygons, (s) => job.progress(0.1 + 0.6 * s, 'borders'));
      const area = Float64Array.from(own);
      const members = Array.from({ length: n }, (_, i) => [i]);
      const gone = new Uint8Array(n);
      // Smallest first; one that has grown is looked at again with its new size.
      const below = own.reduce((k, a, i) => k + (a < p.minArea && shapes[i] ? 1 : 0), 0);
      let small = Array.from({ length: n }, (_, i) => i).filter((i) => area[i]! < p.minArea && shapes[i]);
      while (small.length) {
        small.sort((i, j) => area[i]! - area[j]!);
        const again: number[] = [];
        for (const i of small) {
          if (gone[i] || !(area[i]! < p.minArea)) continue;
          let best = -1;
          let most = -1;
          for (const [j, length] of border[i]!) {
            if (within && keyOf(within, i) !== keyOf(within, j)) continue;
            const weight = p.neighbour === 'largest' ? area[j]! : length;
            if (weight > most) {
              most = weight;
              best = j;
            }
          }
          if (best < 0) continue;
          gone[i] = 1;
          // Each area counts once, as itself: what it had taken in before has been counted.
          absorbed++;
          areaAbsorbed += own[i]!;
          area[best]! += area[i]!;
          members[best]!.push(...members[i]!);
          for (const [j, length] of border[i]!) {
            border[j]!.delete(i);
            if (j === best) continue;
            border[best]!.set(j, (border[best]!.get(j) ?? 0) + length);
            border[j]!.set(best, (border[j]!.get(best) ?? 0) + length);
          }
          if (area[best]! < p.minArea) again.push(best);
        }
        small = again;
      }
      for (let i = 0; i < n; i++) if (!gone[i] && shapes[i] && area[i]! < p.minArea) alone++;
      grown = below - absorbed - alone;
      for (let i = 0; i < n; i++) {
        if ((i & 63) === 0) job.progress(0.7 + 0.28 * (i / n), 'merging');
        if (gone[i]) continue;
        if (!shapes[i]) {
          b.endFeature();
          kept.push(i);
          groups.push([i]);
          continue;
        }
        const one = members[i]!.length === 1 ? shapes[i]! : g.unionAll(members[i]!.map((k) => shapes[k]!));
        g.append(one, 'polygon', b);
        b.endFeature();
        kept.push(i);
        groups.push(members[i]!);
      }
    });
    if (alone)
      job.note(
        'look',
        'absorb.alone',
        `${plural(alone, 'small area')} ${alone === 1 ? 'has' : 'have'} no neighbour to join and ${alone === 1 ? 'stays' : 'stay'}.`,
      );
    if (grown)
      job.note(
        'info',
        'absorb.grown',
        `${plural(grown, 'small area')} grew past the size by what joined ${grown === 1 ? 'it and stays' : 'them and stay'}.`,
      );
    job.note('info', 'area.how', `Areas are ${measuredHow(polygons.crs)}.`);
    const result = b.build(
      'polygon',
      polygons.crs,
      polygons.columns.map((c) => (p.sums.includes(c.name) ? summed(c, groups) : takeColumn(c, kept))),
    );
    return { result, figures: { absorbed, areaAbsorbed } };
  },
});
