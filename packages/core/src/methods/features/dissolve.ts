import * as z from 'zod';
import { featureCount, FeaturesBuilder, takeColumn } from '../../data/features';
import { defineMethod, input, output } from '../../method/define';
import { choice, columns } from '../../method/params';
import { withGeos, type Shape } from '../../numeric/geos';
import { columnChecks, columnOf, keyOf, noteHeights, shapesOf, summed } from './common';

export const dissolve = defineMethod({
  id: 'features.dissolve',
  version: 1,
  title: 'Dissolve',
  question: 'What becomes one when likes are merged?',
  about:
    'Areas with the same values in the named columns become one, borders between them vanish; without columns everything does. Areas that do not touch stay parts of one feature, or become features of their own. Sums are taken of the columns named for it; the others are left out. Missing values are alike.',
  keywords: ['merge polygons', 'aggregate', 'union', 'generalise', 'combine'],
  sources: ['Davis and Obe 2020, OverlayNG (GEOS 3.13)'],
  inputs: { polygons: input.features({ label: 'Areas', geometry: 'polygon' }) },
  params: z.object({
    by: columns({
      label: 'Alike in',
      of: 'polygons',
      help: 'Columns, apart by commas; empty for all into one.',
    }).default([]),
    sums: columns({ label: 'Sum up', of: 'polygons', numeric: true, help: 'Columns of numbers.' }).default([]),
    parts: choice({ together: 'in one feature', apart: 'each its own' }, { label: 'Areas that do not touch' }).default(
      'together',
    ),
  }),
  outputs: { dissolved: output.features('Dissolved') },
  figures: { before: { label: 'Features before' }, after: { label: 'Features after' } },
  checks: ({ polygons }, p) => [...columnChecks(polygons, p.by, 'by'), ...columnChecks(polygons, p.sums, 'sums', true)],
  estimate: ({ polygons }) => ({ cells: polygons.count, bytes: polygons.count * 3000, seconds: polygons.count / 8000 }),
  run: async ({ polygons }, p, job) => {
    const by = p.by.map((n) => columnOf(polygons.columns, n, 'by'));
    const groups = new Map<string, number[]>();
    for (let i = 0; i < featureCount(polygons); i++) {
      const key = JSON.stringify(by.map((c) => keyOf(c, i)));
      const g = groups.get(key);
      if (g) g.push(i);
      else groups.set(key, [i]);
    }
    noteHeights(job, polygons);
    const b = new FeaturesBuilder();
    const first: number[] = [];
    const members: number[][] = [];
    await withGeos((g) => {
      const shapes = shapesOf(g, polygons, job, 'the areas');
      let done = 0;
      for (const rows of groups.values()) {
        job.progress(0.1 + 0.85 * (done++ / groups.size), 'merging');
        const all = rows.map((i) => shapes[i]!).filter((s): s is Shape => s !== 0);
        if (all.length === 0) continue;
        const one = g.unionAll(all);
        if (p.parts === 'together') {
          g.append(one, 'polygon', b);
          b.endFeature();
          first.push(rows[0]!);
          members.push(rows);
        } else {
          g.append(one, 'polygon', b);
          const made = b.endEachPart();
          for (let k = 0; k < made; k++) {
            first.push(rows[0]!);
            members.push(rows);
          }
        }
        g.free(one);
      }
    });
    if (p.parts === 'apart' && p.sums.length)
      job.note('look', 'dissolve.sums', 'Sums are those of the whole group, repeated on each of its areas.');
    const sums = p.sums.map((n) => summed(columnOf(polygons.columns, n, 'sums'), members));
    const dissolved = b.build('polygon', polygons.crs, [...by.map((c) => takeColumn(c, first)), ...sums]);
    return { dissolved, figures: { before: featureCount(polygons), after: featureCount(dissolved) } };
  },
});
