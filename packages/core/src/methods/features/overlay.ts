import * as z from 'zod';
import {
  besideColumns,
  featureCount,
  featuresIn,
  takeColumn,
  takeFeatures,
  type Column,
  type Features,
} from '../../data/features';
import { featureArea, featureLength, measuredHow } from '../../data/measure';
import { defineMethod, input, output } from '../../method/define';
import { choice, columns, quantity } from '../../method/params';
import { columnChecks, noteHeights, placeChecks, totalArea } from './common';
import { overlayPieces, type Part } from './overlay-pairs';
import type { Check } from '../../data/check';

/** Mean width of a polygon: twice its area over the length of its outline. */
const meanWidth = (f: Features, i: number): number => (2 * featureArea(f, i)) / (featureLength(f, i) || 1);

/** A tenth of the median mean width of both sets (common practice, no source). */
export function sliverWidth(...sets: Features[]): number {
  const all = sets.flatMap((f) => Array.from({ length: Math.min(2000, featureCount(f)) }, (_, i) => meanWidth(f, i)));
  all.sort((a, b) => a - b);
  return all.length ? all[all.length >> 1]! / 10 : 0;
}

/** Counts of the pieces by their part of the area of what they come from. */
function sharedOut(c: Column, f: Features, rows: readonly number[], pieces: Features): Column {
  const whole = new Map<number, number>();
  const values = Float64Array.from(rows, (i, k) => {
    if (i < 0) return NaN;
    let area = whole.get(i);
    if (area === undefined) whole.set(i, (area = featureArea(f, i)));
    return ((c.values[k] as number) * featureArea(pieces, k)) / area;
  });
  return { ...c, values };
}

/** The parts that each kind of overlay is made of. */
const PARTS: Record<'intersection' | 'union' | 'difference' | 'symmetric' | 'cover', readonly Part[]> = {
  intersection: ['shared'],
  union: ['shared', 'onlyA', 'onlyB'],
  difference: ['onlyA'],
  symmetric: ['onlyA', 'onlyB'],
  cover: ['shared', 'onlyA'],
};

export const overlay = defineMethod({
  id: 'features.overlay',
  version: 1,
  title: 'Overlay',
  question: 'What do two area maps give together?',
  about:
    'Areas of two sets cut by each other, with the columns of both: what they share (intersection), everything (union), the first without the second (difference), what only one has (symmetric), or all of the first cut by the second (cover). Names that both have get a number behind the second one’s. Counts can be shared out: each piece gets the part of the count that it is of the area. Invalid polygons are repaired on the way and said. Slivers are pieces whose mean width (twice the area over the outline) is below the sliver width; they come as a set of their own as well.',
  keywords: ['intersect', 'union', 'difference', 'erase', 'clip', 'identity', 'cut', 'combine', 'spatial overlay'],
  sources: ['Davis and Obe 2020, OverlayNG (GEOS 3.13)', 'Karney 2013, doi:10.1007/s00190-012-0578-z (geodesic areas)'],
  inputs: {
    a: input.features({ label: 'First areas', geometry: 'polygon' }),
    b: input.features({ label: 'Second areas', geometry: 'polygon' }),
  },
  params: z.object({
    kind: choice(
      {
        intersection: 'what both share',
        union: 'everything, cut',
        difference: 'first without second',
        symmetric: 'what only one has',
        cover: 'all of first, cut by second',
      },
      { label: 'Keep' },
    ).default('intersection'),
    sliver: quantity('length', {
      label: 'Sliver width',
      unit: 'm',
      min: 0,
      help: 'Empty: a tenth of the usual width of the areas.',
    }).optional(),
    shares: columns({
      label: 'Share out',
      of: 'a',
      numeric: true,
      help: 'Columns of counts, of either set: each piece gets its share by area.',
    }).default([]),
  }),
  outputs: {
    result: output.features('Overlay', undefined, { geometry: 'polygon' }),
    slivers: output.maybeFeatures('Slivers'),
  },
  figures: {
    areaA: { label: 'Area of the first', unit: 'm2' },
    areaB: { label: 'Area of the second', unit: 'm2' },
    area: { label: 'Area of the result', unit: 'm2' },
    slivers: { label: 'Slivers' },
  },
  checks: ({ a, b }, p): Check[] => [
    ...placeChecks(a, b),
    ...p.shares.flatMap((n) => {
      const own = [a, b].filter((f) => f.columns.some((c) => c.name === n));
      return own.length
        ? own.flatMap((f) => columnChecks(f, [n], 'shares', true))
        : columnChecks(a, [n], 'shares', true);
    }),
  ],
  estimate: ({ a, b }) => ({
    cells: a.count + b.count,
    bytes: (a.count + b.count) * 4000,
    seconds: (a.count + b.count) / 4000,
  }),
  run: async ({ a, b: given }, p, job) => {
    const b = featuresIn(given, a.crs);
    noteHeights(job, a, b);
    const out = await overlayPieces(job, a, b, PARTS[p.kind], ['the first set', 'the second set']);
    const result = out.features;
    const taken = (f: Features, rows: readonly number[]): Column[] =>
      f.columns.map((c) =>
        p.shares.includes(c.name) ? sharedOut(takeColumn(c, rows), f, rows, result) : takeColumn(c, rows),
      );
    result.columns = besideColumns(taken(a, out.fromA), p.kind === 'difference' ? [] : taken(b, out.fromB));
    const width = p.sliver ?? sliverWidth(a, b);
    const thin: number[] = [];
    for (let i = 0; i < featureCount(result); i++) if (meanWidth(result, i) < width) thin.push(i);
    if (featureCount(result) === 0)
      job.note('look', 'overlay.empty', 'Nothing is left: do the two sets lie in the same place?');
    if (thin.length)
      job.note(
        'look',
        'overlay.slivers',
        `${thin.length} of ${featureCount(result)} pieces are thinner than ${Number(width.toPrecision(3))} m on average; “Absorb small areas” lets them join a neighbour.`,
      );
    job.note('info', 'area.how', `Areas are ${measuredHow(a.crs)}.`);
    return {
      result,
      slivers: thin.length ? takeFeatures(result, thin) : undefined,
      figures: { areaA: totalArea(a), areaB: totalArea(b), area: totalArea(result), slivers: thin.length },
    };
  },
});
