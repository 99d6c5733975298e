import { featureBoxes, featureCount, type Features } from '../data/features';
import { BoxIndex } from './boxes';
import { isInside } from './inside';

/** Whether two segments have a point in common. */
function cross(
  ax: number,
  ay: number,
  bx: number,
  by: number,
  cx: number,
  cy: number,
  dx: number,
  dy: number,
): boolean {
  const side = (px: number, py: number, qx: number, qy: number, rx: number, ry: number): number =>
    Math.sign((qx - px) * (ry - py) - (qy - py) * (rx - px));
  const [a, b] = [side(cx, cy, dx, dy, ax, ay), side(cx, cy, dx, dy, bx, by)];
  const [c, d] = [side(ax, ay, bx, by, cx, cy), side(ax, ay, bx, by, dx, dy)];
  if (a !== b && c !== d) return true;
  const on = (px: number, py: number, qx: number, qy: number, rx: number, ry: number): boolean =>
    Math.min(px, qx) <= rx && rx <= Math.max(px, qx) && Math.min(py, qy) <= ry && ry <= Math.max(py, qy);
  return (
    (a === 0 && on(cx, cy, dx, dy, ax, ay)) ||
    (b === 0 && on(cx, cy, dx, dy, bx, by)) ||
    (c === 0 && on(ax, ay, bx, by, cx, cy)) ||
    (d === 0 && on(ax, ay, bx, by, dx, dy))
  );
}

const span = (f: Features, i: number): [number, number] => [
  f.ringOffsets[f.partOffsets[f.featureOffsets[i]!]!]!,
  f.ringOffsets[f.partOffsets[f.featureOffsets[i + 1]!]!]!,
];

function anyInside(f: Features, i: number, g: Features, j: number): boolean {
  if (g.geometry !== 'polygon') return false;
  const [from, to] = span(f, i);
  for (let c = from; c < to; c++) if (isInside(g, j, f.xy[2 * c]!, f.xy[2 * c + 1]!)) return true;
  return false;
}

function edgesMeet(f: Features, i: number, g: Features, j: number): boolean {
  const rings = (h: Features, k: number): [number, number][] => {
    const out: [number, number][] = [];
    for (let p = h.featureOffsets[k]!; p < h.featureOffsets[k + 1]!; p++)
      for (let r = h.partOffsets[p]!; r < h.partOffsets[p + 1]!; r++)
        out.push([h.ringOffsets[r]!, h.ringOffsets[r + 1]!]);
    return out;
  };
  for (const [a0, a1] of rings(f, i))
    for (const [b0, b1] of rings(g, j))
      for (let a = a0; a < Math.max(a0 + 1, a1 - 1); a++) {
        const a2 = Math.min(a + 1, a1 - 1);
        for (let b = b0; b < Math.max(b0 + 1, b1 - 1); b++) {
          const b2 = Math.min(b + 1, b1 - 1);
          if (
            cross(
              f.xy[2 * a]!,
              f.xy[2 * a + 1]!,
              f.xy[2 * a2]!,
              f.xy[2 * a2 + 1]!,
              g.xy[2 * b]!,
              g.xy[2 * b + 1]!,
              g.xy[2 * b2]!,
              g.xy[2 * b2 + 1]!,
            )
          )
            return true;
        }
      }
  return false;
}

/**
 * Features that have any point in common with any of some others in the same coordinates: what a drawn area, or another set, picks.
 * Boxes first, then corners inside, then edges. Meant for what somebody points at; overlays use the topology library.
 *
 * @param only rows of `other` that count; all when absent
 * @returns 1 for each feature that is touched
 */
export function touching(f: Features, other: Features, only?: Uint8Array | null): Uint8Array {
  const out = new Uint8Array(featureCount(f));
  const index = new BoxIndex(f);
  const boxes = featureBoxes(other);
  for (let j = 0; j < featureCount(other); j++) {
    if (only && !only[j]) continue;
    for (const i of index.near(boxes[4 * j]!, boxes[4 * j + 1]!, boxes[4 * j + 2]!, boxes[4 * j + 3]!))
      if (!out[i] && (anyInside(f, i, other, j) || anyInside(other, j, f, i) || edgesMeet(f, i, other, j))) out[i] = 1;
  }
  return out;
}
