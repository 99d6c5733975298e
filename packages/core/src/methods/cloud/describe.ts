import * as z from 'zod';
import { className } from '../../data/cloud';
import { metresOfPlace } from '../../data/cloud';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';

export const describe = defineMethod({
  id: 'cloud.describe',
  version: 1,
  title: 'Describe a cloud',
  question: 'What is in this cloud?',
  about:
    'Points, share and heights of each class, the spacing of the points (root of the area that has points by their number) and their density.',
  keywords: ['statistics', 'point spacing', 'density', 'classes', 'lidar', 'laser scan', 'las'],
  sources: ['ASPRS, LAS specification 1.4 R15 (classes)'],
  inputs: { cloud: input.cloud({ parts: true }) },
  params: z.object({}),
  outputs: { classes: output.table('Classes of points', 'classes') },
  figures: {
    points: { label: 'Points' },
    spacing: { label: 'Spacing', unit: 'm' },
    density: { label: 'Density', unit: '1/m2' },
    zmin: { label: 'Lowest' },
    zmax: { label: 'Highest' },
  },
  estimate: ({ cloud }) => ({ cells: cloud.count, bytes: 1e6, seconds: 0.1 }),
  run: ({ cloud: { info } }) => {
    const { classes, count, heights } = info;
    const metres = info.crs?.geographic ? NaN : metresOfPlace(info.crs);
    const spacing = info.spacing === null ? null : info.spacing * metres;
    const unit = info.heightUnit;
    return {
      classes: {
        kind: 'table' as const,
        columns: [
          numberColumn(
            'class',
            classes.map((k) => k.value),
          ),
          numberColumn(
            'points',
            classes.map((k) => k.count),
          ),
          numberColumn(
            'share',
            classes.map((k) => k.count / count),
          ),
          numberColumn(
            'zmin',
            classes.map((k) => k.zmin),
            unit,
          ),
          numberColumn(
            'zmax',
            classes.map((k) => k.zmax),
            unit,
          ),
          textColumn(
            'name',
            classes.map((k) => className(k.value)),
          ),
        ],
      },
      figures: {
        points: count,
        spacing: spacing !== null && spacing > 0 ? spacing : null,
        density: spacing !== null && spacing > 0 ? 1 / (spacing * spacing) : null,
        zmin: heights?.min ?? null,
        zmax: heights?.max ?? null,
      },
    };
  },
});
