import { Delaunay } from 'd3-delaunay';
import * as z from 'zod';
import { featureCount, featuresExtent, featuresIn, FeaturesBuilder, takeColumn } from '../../data/features';
import { HelkError } from '../../errors';
import { defineMethod, input, output } from '../../method/define';
import { bounds } from '../../method/params';
import { withGeos } from '../../numeric/geos';
import { planeChecks, shapesOf } from '../features/common';
import { surfaceInputs } from './common';

export const thiessen = defineMethod({
  id: 'surface.thiessen',
  version: 1,
  title: 'Thiessen polygons',
  question: 'Which area does each point stand for?',
  about:
    'For every point the area that is nearer to it than to any other, with the columns of the point, cut to the bounds and, where given, to the areas within. Of several points at one place the first has the area.',
  keywords: ['voronoi', 'dirichlet', 'area of influence', 'nearest', 'catchment'],
  sources: [
    'Thiessen 1911, doi:10.1175/1520-0493(1911)39<1082b:PAFLA>2.0.CO;2',
    'Shewchuk 1996, doi:10.1007/BFb0014497 (robust predicates)',
  ],
  // One point has all the land.
  inputs: { ...surfaceInputs, points: input.features({ label: 'Measured points', geometry: 'point' }) },
  params: z.object({
    bounds: bounds({
      label: 'Bounds',
      auto: true,
      help: 'Empty for the extent of the points and a margin.',
    }).optional(),
  }),
  outputs: { polygons: output.features('Thiessen polygons', 'thiessen', { geometry: 'polygon' }) },
  figures: { polygons: { label: 'Polygons' } },
  checks: ({ points }) => planeChecks(points, 'Nearness', 'points'),
  estimate: ({ points }) => ({ cells: points.count, bytes: points.count * 3000, seconds: points.count / 1e4 }),
  run: async ({ points, within }, p, job) => {
    const e = featuresExtent(points);
    if (!e) throw new HelkError('method.input', 'No point has a place.', 'points');
    const margin = 0.05 * Math.max(e[2] - e[0], e[3] - e[1]) || 1;
    const box = p.bounds ?? [e[0] - margin, e[1] - margin, e[2] + margin, e[3] + margin];
    const rows: number[] = [];
    const places: number[] = [];
    const seen = new Set<string>();
    for (let i = 0; i < featureCount(points); i++) {
      for (let part = points.featureOffsets[i]!; part < points.featureOffsets[i + 1]!; part++) {
        const c = points.ringOffsets[points.partOffsets[part]!]!;
        const key = `${points.xy[2 * c]},${points.xy[2 * c + 1]}`;
        if (seen.has(key)) continue;
        seen.add(key);
        rows.push(i);
        // From a local origin, so that large coordinates keep their digits.
        places.push(points.xy[2 * c]! - box[0], points.xy[2 * c + 1]! - box[1]);
        break;
      }
    }
    if (rows.length < featureCount(points))
      job.note(
        'look',
        'points.doubled',
        `${featureCount(points) - rows.length} points without a place, or where another lies, have no area.`,
      );
    const voronoi = new Delaunay(Float64Array.from(places)).voronoi([0, 0, box[2] - box[0], box[3] - box[1]]);
    const b = new FeaturesBuilder();
    const kept: number[] = [];
    rows.forEach((row, k) => {
      const ring = voronoi.cellPolygon(k) as [number, number][] | null;
      if (!ring) return;
      for (const [x, y] of ring) b.coordinate(x + box[0], y + box[1]);
      b.endRing();
      b.endPart();
      b.endFeature();
      kept.push(row);
    });
    const whole = b.build(
      'polygon',
      points.crs,
      points.columns.map((c) => takeColumn(c, kept)),
    );
    if (!within) return { polygons: whole, figures: { polygons: kept.length } };
    const cut = new FeaturesBuilder();
    const left: number[] = [];
    await withGeos((g) => {
      const land = g.unionAll(shapesOf(g, featuresIn(within, points.crs), job, 'the areas').filter(Boolean));
      const ready = g.prepare(land);
      shapesOf(g, whole, job, 'the polygons').forEach((s, k) => {
        if (!ready.intersects(s)) return;
        const part = ready.covers(s) ? s : g.intersection(s, land);
        if (g.append(part, 'polygon', cut)) {
          cut.endFeature();
          left.push(kept[k]!);
        }
      });
      ready.done();
    });
    const polygons = cut.build(
      'polygon',
      points.crs,
      points.columns.map((c) => takeColumn(c, left)),
    );
    return { polygons, figures: { polygons: left.length } };
  },
});
