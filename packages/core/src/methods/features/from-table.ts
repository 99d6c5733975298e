import * as z from 'zod';
import { HelkError } from '../../errors';
import { coordinateColumns, fitsDegrees, pointsOfColumns } from '../../data/point-columns';
import { kindOf } from '../../data/kinds';
import { defineMethod, input, output } from '../../method/define';
import { column, crs } from '../../method/params';
import { columnChecks } from './common';
import { plural, type Check } from '../../data/check';

export const fromTable = defineMethod({
  id: 'features.fromTable',
  version: 1,
  title: 'Points from a table',
  question: 'Where do the rows of this table lie?',
  about:
    'A point for each row, by a column of eastings or longitudes and one of northings or latitudes. All columns stay, those of the coordinates too. A row without both numbers stays without a place. Without a coordinate system the points lie in WGS 84 where the columns are named as longitudes and can be, else in none that is known.',
  keywords: ['xy', 'coordinates', 'place', 'events', 'csv to points', 'longitude', 'latitude', 'easting', 'northing'],
  sources: ['common practice, no source'],
  inputs: { table: input.table({ label: 'Table' }) },
  params: z.object({
    x: column({ label: 'Eastings or longitudes', of: 'table', numeric: true }),
    y: column({ label: 'Northings or latitudes', of: 'table', numeric: true }),
    crs: crs({ label: 'Coordinate system', help: 'The one the numbers are in.' }).optional(),
  }),
  named: ({ table: [name] = ['Table'] }) => `${name}, points`,
  serves: 'place rows',
  outputs: { points: output.features('Points', undefined, { geometry: 'point' }) },
  figures: { placed: { label: 'Rows with a place' }, placeless: { label: 'Rows without' } },
  checks: ({ table }, p): Check[] => [
    ...columnChecks(table, [p.x], 'x', true),
    ...columnChecks(table, [p.y], 'y', true),
    ...(p.x === p.y
      ? [
          {
            level: 'refused' as const,
            code: 'columns.same',
            about: 'y',
            message: `Both coordinates are taken from "${p.x}"; name a column for each.`,
          },
        ]
      : []),
    ...(p.crs?.caution
      ? [{ level: 'look' as const, code: 'crs.caution', about: 'crs', message: `${p.crs.name}: ${p.crs.caution}.` }]
      : []),
  ],
  suggest: ({ table }) => {
    const named = coordinateColumns(table.columns);
    return named
      ? {
          x: { value: named.x, reason: 'named like an easting' },
          y: { value: named.y, reason: 'named like a northing' },
        }
      : {};
  },
  estimate: ({ table }) => {
    const { count } = kindOf(table).rows!(table);
    return { cells: count, bytes: count * 120, seconds: count / 1e6 };
  },
  run: ({ table }, p, job) => {
    job.progress(0.1, 'placing');
    const { points, placeless } = pointsOfColumns(table.columns, p, p.crs ?? null);
    const placed = table.columns[0]!.values.length - placeless;
    if (placed === 0)
      throw new HelkError('method.input', `No row has a number in both "${p.x}" and "${p.y}".`, 'table');
    if (placeless)
      job.note('look', 'rows.noPlace', `${plural(placeless, 'row')} without both numbers stay without a place.`);
    if (!points.crs)
      job.note(
        'look',
        'crs.missing',
        'Which coordinate system the numbers are in is not known; give it before measuring or comparing places.',
      );
    if (p.crs?.geographic && !fitsDegrees(points.xy))
      job.note('look', 'crs.implausible', 'The numbers are no longitudes and latitudes; is the system the right one?');
    return { points, figures: { placed, placeless } };
  },
});
