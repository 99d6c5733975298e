import { Geodesic, type PolygonObject } from './geodesic';
import { metresPerUnit } from './crs';
import { ringArea2, type Features } from './features';

/**
 * Area of a polygon feature in m²: planar in a projected system (in its units, converted), geodesic on the ellipsoid in a geographic one
 * (Karney 2013, doi:10.1007/s00190-012-0578-z). Holes are taken off whatever their direction. 0 for other features. O(corners).
 */
export function featureArea(f: Features, i: number): number {
  if (f.geometry !== 'polygon') return 0;
  let sum = 0;
  for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
    for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++) {
      const a = Math.abs(ringArea(f, f.ringOffsets[r]!, f.ringOffsets[r + 1]!));
      sum += r === f.partOffsets[p] ? a : -a;
    }
  }
  return sum;
}

function ringArea(f: Features, start: number, end: number): number {
  if (!f.crs?.geographic) {
    const m = f.crs ? metresPerUnit(f.crs) : 1;
    return (ringArea2(f.xy, start, end) / 2) * m * m;
  }
  const poly: PolygonObject = Geodesic.Polygon(false);
  // The first corner is not repeated for this one.
  for (let c = start; c < end - 1; c++) poly.AddPoint(f.xy[2 * c + 1]!, f.xy[2 * c]!);
  return poly.Compute(false, true).area ?? 0;
}

/** Length in m of a line feature, or of the outlines of a polygon; planar or geodesic as `featureArea`. O(corners). */
export function featureLength(f: Features, i: number): number {
  if (f.geometry === 'point') return 0;
  let sum = 0;
  const m = f.crs && !f.crs.geographic ? metresPerUnit(f.crs) : 1;
  for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
    for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++) {
      for (let c = f.ringOffsets[r]!; c < f.ringOffsets[r + 1]! - 1; c++) {
        const [ax, ay, bx, by] = [f.xy[2 * c]!, f.xy[2 * c + 1]!, f.xy[2 * c + 2]!, f.xy[2 * c + 3]!];
        sum += f.crs?.geographic
          ? (Geodesic.Inverse(ay, ax, by, bx, Geodesic.DISTANCE).s12 ?? 0)
          : Math.hypot(bx - ax, by - ay) * m;
      }
    }
  }
  return sum;
}

/** How areas and lengths of a system are measured, in words. */
export const measuredHow = (crs: Features['crs']): string =>
  crs?.geographic
    ? 'geodesic, on the ellipsoid'
    : crs
      ? `planar, in ${crs.code ?? crs.name}`
      : 'planar, in the units of the data';
