import Tree from 'splaytree';
import { ringArea2 } from '../data/features';

/** An edge of a ring from west to east; `above` tells on which side of it the ring's inside lies. */
interface Edge {
  ring: number;
  x1: number;
  y1: number;
  x2: number;
  y2: number;
  above: boolean;
}

/** Which of two edges that do not cross lies lower, where both have begun; of those that begin in one place the one that falls or rises less. */
function lower(a: Edge, b: Edge): number {
  const x = Math.max(a.x1, b.x1);
  const d = heightAt(a, x) - heightAt(b, x);
  if (d) return d;
  const steeper = slope(a) - slope(b);
  return steeper || a.ring - b.ring || a.x1 - b.x1 || a.y1 - b.y1;
}

const slope = (e: Edge): number => (e.y2 - e.y1) / (e.x2 - e.x1);
const heightAt = (e: Edge, x: number): number => (x === e.x1 ? e.y1 : x === e.x2 ? e.y2 : e.y1 + slope(e) * (x - e.x1));

/**
 * For each ring the smallest outer ring around it, or -1: a line is swept from west to east over the edges, and what lies directly below
 * the westernmost corner of a ring tells in what it lies. O(n log n) for rings that touch but do not cross; for crossing ones the answer
 * is some outer ring or none.
 *
 * Source: Preparata and Shamos, Computational Geometry, 1985, on plane sweeps; the use for nesting is common practice.
 *
 * @param xy corners of all rings, x and y in turn; each ring closed
 * @param offsets start of each ring in corners, one more than there are rings
 * @param isOuter whether a ring is an outer one
 */
export function outerAround(
  xy: Float64Array,
  offsets: ArrayLike<number>,
  isOuter: (ring: number) => boolean,
): Int32Array {
  const rings = offsets.length - 1;
  const around = new Int32Array(rings).fill(-1);
  const size = Float64Array.from({ length: rings }, (_, r) => ringArea2(xy, offsets[r]!, offsets[r + 1]!));
  const starts: Edge[] = [];
  for (let r = 0; r < rings; r++) {
    const turn = size[r]! > 0;
    for (let c = offsets[r]!; c + 1 < offsets[r + 1]!; c++) {
      const [ax, ay, bx, by] = [xy[2 * c]!, xy[2 * c + 1]!, xy[2 * c + 2]!, xy[2 * c + 3]!];
      if (ax < bx) starts.push({ ring: r, x1: ax, y1: ay, x2: bx, y2: by, above: turn });
      else if (bx < ax) starts.push({ ring: r, x1: bx, y1: by, x2: ax, y2: ay, above: !turn });
    }
  }
  const ends = [...starts].sort((a, b) => a.x2 - b.x2);
  // Of rings that begin in one place the larger comes first, so that the smaller one finds it.
  starts.sort(
    (a, b) => a.x1 - b.x1 || Math.abs(size[b.ring]!) - Math.abs(size[a.ring]!) || a.y1 - b.y1 || slope(a) - slope(b),
  );
  const active = new Tree<Edge, null>(lower);
  const seen = new Uint8Array(rings);
  let e = 0;
  for (const edge of starts) {
    while (e < ends.length && ends[e]!.x2 <= edge.x1) active.remove(ends[e++]!);
    const node = active.insert(edge, null);
    if (seen[edge.ring]) continue;
    seen[edge.ring] = 1;
    const below = active.prev(node)?.key;
    if (below && below.ring !== edge.ring)
      around[edge.ring] = below.above && isOuter(below.ring) ? below.ring : around[below.ring]!;
  }
  return around;
}
