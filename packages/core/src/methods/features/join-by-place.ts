import * as z from 'zod';
import { besideColumns, featureBoxes, featureCount, featuresIn, takeColumn } from '../../data/features';
import { metresPerUnit } from '../../data/crs';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { choice } from '../../method/params';
import { BoxIndex } from '../../numeric/boxes';
import { withGeos } from '../../numeric/geos';
import { planeChecks, placeChecks, shapesOf } from './common';
import { plural, type Check } from '../../data/check';

export const joinByPlace = defineMethod({
  id: 'features.joinByPlace',
  version: 1,
  title: 'Join by place',
  question: 'What lies where these features lie?',
  about:
    'Columns of another set put beside those of the features by where they lie: each feature takes from the first of the others that it lies within, contains, or touches at all, or from the nearest, whose distance in metres is added. Every feature stays; where several fit, the first is taken and that is said.',
  keywords: ['spatial join', 'point in polygon', 'nearest', 'overlay attributes', 'lies in'],
  sources: ['OGC 06-103r4 (spatial predicates)', 'GEOS 3.13'],
  inputs: { features: input.features({ label: 'Features' }), other: input.features({ label: 'What lies there' }) },
  params: z.object({
    relation: choice(
      { within: 'lies within', contains: 'contains', intersects: 'touches or overlaps', nearest: 'is nearest to' },
      { label: 'The feature' },
    ).default('intersects'),
  }),
  outputs: { joined: output.features('Joined') },
  figures: { matched: { label: 'Features with a match' } },
  checks: ({ features, other }, p): Check[] => [
    ...placeChecks(features, other),
    ...(p.relation === 'nearest' ? planeChecks(features, 'Finding the nearest', 'features') : []),
  ],
  estimate: ({ features, other }) => ({
    cells: features.count,
    bytes: (features.count + other.count) * 1500,
    seconds: (features.count + other.count) / 3e4,
  }),
  run: async ({ features, other: given }, p, job) => {
    const other = featuresIn(given, features.crs);
    const n = featureCount(features);
    const found = new Int32Array(n).fill(-1);
    const distance = new Float64Array(n).fill(NaN);
    let several = 0;
    await withGeos((g) => {
      const A = shapesOf(g, features, job, 'the features');
      const B = shapesOf(g, other, job, 'the other set');
      const index = new BoxIndex(other);
      const own = featureBoxes(features);
      const m = features.crs ? metresPerUnit(features.crs) : 1;
      for (let i = 0; i < n; i++) {
        if ((i & 255) === 0) job.progress(0.1 + 0.88 * (i / n), 'looking up');
        if (!A[i]) continue;
        const [w, s, e, t] = own.subarray(4 * i, 4 * i + 4) as unknown as [number, number, number, number];
        if (p.relation === 'nearest') {
          // Boxes give a first guess; every box within its distance is then measured.
          const guess = index.nearest((w + e) / 2, (s + t) / 2, 1)[0];
          if (guess === undefined) continue;
          let best = g.distance(A[i]!, B[guess]!);
          found[i] = guess;
          for (const j of index.near(w - best, s - best, e + best, t + best)) {
            const d = g.distance(A[i]!, B[j]!);
            if (d < best || (d === best && j < found[i]!)) {
              best = d;
              found[i] = j;
            }
          }
          distance[i] = best * m;
          continue;
        }
        let hits = 0;
        const near = index.near(w, s, e, t);
        if (!near.length) continue;
        const ready = g.prepare(A[i]!);
        for (const j of near) {
          const yes =
            p.relation === 'intersects'
              ? ready.intersects(B[j]!)
              : p.relation === 'contains'
                ? ready.covers(B[j]!)
                : ready.intersects(B[j]!) && g.covers(B[j]!, A[i]!);
          if (!yes) continue;
          if (!hits++) found[i] = j;
        }
        ready.done();
        if (hits > 1) several++;
      }
    });
    const matched = found.reduce((s, r) => s + (r >= 0 ? 1 : 0), 0);
    if (several)
      job.note(
        'look',
        'join.several',
        `${plural(several, 'feature')} ${several === 1 ? 'fits' : 'fit'} several of the others; the first was taken.`,
      );
    if (matched === 0) job.note('look', 'join.none', 'Nothing lies there: do the two sets lie in the same place?');
    const columns = other.columns.map((c) => takeColumn(c, found));
    if (p.relation === 'nearest') columns.push(numberColumn('distance', distance, 'm'));
    return { joined: { ...features, columns: besideColumns(features.columns, columns) }, figures: { matched } };
  },
});
