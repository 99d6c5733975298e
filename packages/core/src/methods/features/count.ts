import * as z from 'zod';
import { besideColumns, featureCount, featuresIn } from '../../data/features';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { column } from '../../method/params';
import { BoxIndex } from '../../numeric/boxes';
import { isInside } from '../../numeric/inside';
import { columnChecks, columnOf, placeChecks } from './common';
import { plural } from '../../data/check';

export const count = defineMethod({
  id: 'features.count',
  version: 1,
  title: 'Count in areas',
  question: 'How many lie in each area?',
  about:
    'The number of points in each area, and on request the sum of one of their columns. A point on a common border counts in one area only; where areas overlap it counts in each. Points outside all areas are counted in the figures.',
  keywords: ['points in polygon', 'density', 'tally', 'aggregate', 'events per cell', 'number of'],
  sources: ['Shimrat 1962, doi:10.1145/368637.368653 (even-odd rule)'],
  inputs: {
    zones: input.features({ label: 'Areas', geometry: 'polygon' }),
    points: input.features({ label: 'Points', geometry: 'point' }),
  },
  params: z.object({
    sum: column({
      label: 'Sum up',
      of: 'points',
      numeric: true,
      help: 'A column of numbers of the points.',
    }).optional(),
  }),
  outputs: { zones: output.features('Counts') },
  figures: { counted: { label: 'Points in areas' }, outside: { label: 'Points outside' } },
  checks: ({ zones, points }, p) => [
    ...placeChecks(zones, points),
    ...(p.sum ? columnChecks(points, [p.sum], 'sum', true) : []),
  ],
  estimate: ({ zones, points }) => ({
    cells: points.count,
    bytes: points.count * 60 + zones.count * 400,
    seconds: points.count / 5e5,
  }),
  run: ({ zones, points: given }, p, job) => {
    const points = featuresIn(given, zones.crs);
    const index = new BoxIndex(zones);
    const counts = new Float64Array(featureCount(zones));
    const sums = new Float64Array(featureCount(zones));
    const weight = p.sum ? columnOf(points.columns, p.sum, 'sum') : null;
    let counted = 0;
    let outside = 0;
    let placeless = 0;
    for (let i = 0; i < featureCount(points); i++) {
      if ((i & 4095) === 0) job.progress(i / featureCount(points), 'counting');
      const first = points.partOffsets[points.featureOffsets[i]!]!;
      const last = points.partOffsets[points.featureOffsets[i + 1]!]!;
      if (first === last) {
        placeless++;
        continue;
      }
      // A feature of several points counts once in each area that has any of them.
      const hit = new Set<number>();
      for (let r = first; r < last; r++) {
        const c = points.ringOffsets[r]!;
        const x = points.xy[2 * c]!;
        const y = points.xy[2 * c + 1]!;
        for (const z of index.near(x, y, x, y)) if (!hit.has(z) && isInside(zones, z, x, y)) hit.add(z);
      }
      if (hit.size) counted++;
      else outside++;
      const v = weight && !weight.missing?.[i] ? (weight.values[i] as number) : NaN;
      for (const z of hit) {
        counts[z]!++;
        if (v === v) sums[z]! += v;
      }
    }
    if (placeless)
      job.note(
        'look',
        'points.noPlace',
        `${plural(placeless, 'point')} ${placeless === 1 ? 'has' : 'have'} no place and ${placeless === 1 ? 'does' : 'do'} not count.`,
      );
    if (counted === 0)
      job.note('look', 'count.none', 'No point lies in any area: do the two sets lie in the same place?');
    const made = [
      numberColumn('count', counts, ''),
      ...(weight ? [numberColumn(`sum of ${weight.name}`, sums, weight.unit)] : []),
    ];
    return { zones: { ...zones, columns: besideColumns(zones.columns, made) }, figures: { counted, outside } };
  },
});
