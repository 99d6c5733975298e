import * as z from 'zod';
import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import { classesOf, metresOfHeight, metresOfPlace, pointCount } from '../../data/cloud';
import { cloudInfo } from '../../data/cloud-facts';
import { FeaturesBuilder } from '../../data/features';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { cellSize, quantity } from '../../method/params';
import { growCrowns, smoothed, treeTops, usualCrown, withoutPits } from '../../numeric/canopy';
import { cellAt, cellNet } from '../../numeric/cell-net';
import { polygonise } from '../../numeric/polygonise';
import {
  aboveChecks,
  cellOf,
  GroundSurface,
  inMetres,
  isVegetation,
  placeChecks,
  pointsEstimate,
  suggestCell,
} from './common';

const MOST_CELLS = 200_000_000;

export const trees = defineMethod({
  id: 'cloud.trees',
  version: 1,
  title: 'Trees',
  question: 'Where are the trees, how tall and wide?',
  about:
    'From the highest vegetation point of each cell above the ground, its pits filled: tops are cells that are the highest within a circle as wide as crowns of that height usually are, crowns grow from them downwards. A tree has the height of its highest point above the ground, the elevation of the ground below it (base), the diameter of a circle of its crown’s area, and the number of vegetation points in it.',
  keywords: ['tree', 'crown', 'canopy', 'forest', 'tree detection', 'segmentation', 'inventory', 'canopy cover'],
  sources: [
    'Popescu and Wynne 2004, doi:10.14358/PERS.70.5.589 (circle that grows with height)',
    'Dalponte and Coomes 2016, doi:10.1111/2041-210X.12575 (growing crowns)',
  ],
  inputs: { cloud: input.cloud({}) },
  params: z.object({
    cellSize: cellSize({ label: 'Cell size' }).default('auto'),
    minHeight: quantity('length', { label: 'Smallest height', unit: 'm', above: 0 }).default(2),
    minCrown: quantity('length', { label: 'Smallest crown', help: 'Diameter.', unit: 'm', min: 0 }).default(1),
    maxCrown: quantity('length', { label: 'Largest crown', help: 'Diameter.', unit: 'm', above: 0 }).default(20),
  }),
  outputs: {
    trees: shown(output.features('Trees', 'trees', { geometry: 'point' }), {
      features: { size: { column: 'crownDiameter', largest: 7 }, fill: 0.5, colour: '#2f7d57' },
      first: true,
    }),
    crowns: shown(output.features('Crowns', 'crowns', { geometry: 'polygon' }), {
      features: { fill: 0.25, colour: '#2f7d57' },
    }),
  },
  figures: {
    trees: { label: 'Trees' },
    meanHeight: { label: 'Mean height', unit: 'm' },
    coverShare: { label: 'Share under crowns', unit: 'share' },
  },
  preview: { kind: 'window', input: 'cloud' },
  checks: ({ cloud }, p) => [
    ...placeChecks(cloud),
    ...aboveChecks(cloud, 'vegetation'),
    ...(p.minCrown > p.maxCrown
      ? [
          {
            level: 'refused' as const,
            code: 'trees.crowns',
            about: 'maxCrown',
            message: `The largest crown (${p.maxCrown} m) is smaller than the smallest (${p.minCrown} m).`,
          },
        ]
      : []),
  ],
  suggest: ({ cloud }) => ({ cellSize: suggestCell(cloud) }),
  estimate: ({ cloud }) => pointsEstimate(cloud, 130, 8e5),
  run: ({ cloud }, p, job) => {
    const at = inMetres(cloud);
    const classes = classesOf(cloud);
    const metres = metresOfPlace(cloud.crs);
    const size = cellOf(p.cellSize, cloud) * metres;
    const net = cellNet(at.x, at.y, size);
    const { columns, rows } = net;
    if (columns * rows > MOST_CELLS)
      throw new HelkError(
        'method.parameter',
        `cellSize: ${columns} × ${rows} cells are too many; take larger ones.`,
        'cellSize',
      );
    const ground = new GroundSurface(at, classes);
    const canopy = new Float64Array(columns * rows).fill(NaN);
    const above = new Float32Array(pointCount(cloud)).fill(NaN);
    const highest = new Int32Array(columns * rows).fill(-1);
    for (let i = 0; i < above.length; i++) {
      if ((i & 65_535) === 0) job.progress((0.6 * i) / above.length, 'canopy');
      if (!isVegetation(classes[i]!)) continue;
      const h = at.z[i]! - ground.at(at.x[i]!, at.y[i]!);
      above[i] = h;
      const c = cellAt(net, at.x[i]!, at.y[i]!);
      if (!(canopy[c]! >= h)) {
        canopy[c] = h;
        highest[c] = i;
      }
    }
    job.progress(0.65, 'tops');
    const filled = withoutPits(canopy, columns, rows, 1);
    const even = smoothed(filled, columns, rows);
    const circle = (h: number): number => Math.min(p.maxCrown, Math.max(p.minCrown, usualCrown(h)));
    const tops = treeTops(even, net, p.minHeight, circle);
    job.progress(0.75, 'crowns');
    const crownOf = growCrowns(even, columns, rows, tops, p.minHeight * 0.5, p.maxCrown / 2 / size);
    const cells = new Uint32Array(tops.length);
    const points = new Uint32Array(tops.length);
    const top = new Int32Array(tops.length).fill(-1);
    for (let c = 0; c < crownOf.length; c++) {
      const k = crownOf[c]!;
      if (k < 0) continue;
      cells[k]!++;
      const i = highest[c]!;
      if (i >= 0 && (top[k]! < 0 || above[i]! > above[top[k]!]!)) top[k] = i;
    }
    for (let i = 0; i < above.length; i++) {
      if (above[i] !== above[i]) continue;
      const k = crownOf[cellAt(net, at.x[i]!, at.y[i]!)]!;
      if (k >= 0) points[k]!++;
    }
    const diameter = Float64Array.from(cells, (n) => 2 * Math.sqrt((n * size * size) / Math.PI));
    const kept = tops
      .map((_, k) => k)
      .filter((k) => top[k]! >= 0 && above[top[k]!]! >= p.minHeight && diameter[k]! >= p.minCrown);
    const dropped = tops.length - kept.length;
    if (dropped)
      job.note('info', 'trees.small', `${plural(dropped, 'top')} with too small a crown or height are no trees.`);
    const number = new Int32Array(tops.length).fill(-1);
    kept.forEach((k, m) => (number[k] = m));
    const labels = crownOf.map((k) => (k < 0 ? -1 : number[k]!));
    const unit = metresOfHeight(cloud.heightUnit);
    const base = kept.map((k) => ground.at(at.x[top[k]!]!, at.y[top[k]!]!) / unit);
    const height = kept.map((k) => above[top[k]!]!);
    const columnsOf = [
      numberColumn('base', base, cloud.heightUnit),
      numberColumn('height', height, 'm'),
      numberColumn(
        'crownDiameter',
        kept.map((k) => diameter[k]!),
        'm',
      ),
      numberColumn(
        'points',
        kept.map((k) => points[k]!),
      ),
    ];
    const b = new FeaturesBuilder();
    for (const k of kept) b.point(at.x[top[k]!]! / metres, at.y[top[k]!]! / metres, at.z[top[k]!]! / unit);
    const outlines = new FeaturesBuilder();
    const areas = new Map(polygonise(labels, columns, rows, -1, 8).map((a) => [a.label, a]));
    kept.forEach((_, m) => {
      for (const part of areas.get(m)?.parts ?? []) {
        for (const ring of part) {
          // Rows of the net go north, those of the outlines south: corners the other way round.
          for (let i = ring.length - 2; i >= 0; i -= 2)
            outlines.coordinate((net.x0 + ring[i]! * size) / metres, (net.y0 + ring[i + 1]! * size) / metres);
          outlines.endRing();
        }
        outlines.endPart();
      }
      outlines.endFeature();
    });
    const area = kept.map((k) => cells[k]! * size * size);
    const covered = cloudInfo(cloud).covered * metres * metres;
    const under = area.reduce((s, a) => s + a, 0);
    return {
      trees: b.build('point', cloud.crs, columnsOf),
      crowns: outlines.build('polygon', cloud.crs, [...columnsOf, numberColumn('area', area, 'm2')]),
      figures: {
        trees: kept.length,
        meanHeight: kept.length ? height.reduce((s, h) => s + h, 0) / kept.length : null,
        coverShare: covered > 0 ? Math.min(1, under / covered) : null,
      },
    };
  },
});
