import type { Features } from '../data/features';

/**
 * Whether a place lies in a polygon feature, holes taken off; a place on an edge counts for the polygon to the east and north of it, so
 * that areas that share an edge never both claim it. Even-odd rule over all rings. O(corners).
 */
export function isInside(f: Features, i: number, x: number, y: number): boolean {
  const { xy } = f;
  let inside = false;
  const first = f.partOffsets[f.featureOffsets[i]!]!;
  const last = f.partOffsets[f.featureOffsets[i + 1]!]!;
  for (let r = first; r < last; r++) {
    const e = f.ringOffsets[r + 1]! - 1;
    for (let c = f.ringOffsets[r]!; c < e; c++) {
      const ay = xy[2 * c + 1]!;
      const by = xy[2 * c + 3]!;
      if (ay > y === by > y) continue;
      const ax = xy[2 * c]!;
      if (x < ax + ((y - ay) / (by - ay)) * (xy[2 * c + 2]! - ax)) inside = !inside;
    }
  }
  return inside;
}
