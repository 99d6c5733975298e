import { FeaturesBuilder, featureBoxes, type Features } from '../../data/features';
import type { Job } from '../../method/job';
import type { BoxIndex } from '../../numeric/boxes';
import type { Geos, Shape } from '../../numeric/geos';
import { emit } from './common';

/** Pieces of an overlay in the making: their parts, and the rows of both sets they come from (-1 for none). */
export interface Pieces {
  builder: FeaturesBuilder;
  fromA: number[];
  fromB: number[];
}

export const noPieces = (): Pieces => ({ builder: new FeaturesBuilder(), fromA: [], fromB: [] });

function add(g: Geos, out: Pieces, s: Shape, a: number, b: number): void {
  if (!emit(g, s, 'polygon', out.builder)) return;
  out.fromA.push(a);
  out.fromB.push(b);
}

/** Every common area of one feature of each set. Boxes first, then prepared shapes; whole features are taken as they are. */
export function intersections(
  g: Geos,
  A: Shape[],
  B: Shape[],
  a: Features,
  indexB: BoxIndex,
  job: Job,
  out: Pieces,
  progress: [number, number],
): void {
  const boxes = featureBoxes(a);
  for (let i = 0; i < A.length; i++) {
    if ((i & 15) === 0) job.progress(progress[0] + (progress[1] - progress[0]) * (i / A.length), 'intersecting');
    if (!A[i]) continue;
    const near = indexB.near(boxes[4 * i]!, boxes[4 * i + 1]!, boxes[4 * i + 2]!, boxes[4 * i + 3]!);
    if (near.length === 0) continue;
    const ready = g.prepare(A[i]!);
    for (const j of near) {
      if (!B[j] || !ready.intersects(B[j]!)) continue;
      if (ready.covers(B[j]!)) {
        add(g, out, B[j]!, i, j);
        continue;
      }
      const s = g.intersection(A[i]!, B[j]!);
      add(g, out, s, i, j);
      g.free(s);
    }
    ready.done();
  }
}

/** What is left of each feature of the first set when the second is taken away. `swapped` says that the first set is b. */
export function differences(
  g: Geos,
  A: Shape[],
  B: Shape[],
  a: Features,
  indexB: BoxIndex,
  job: Job,
  out: Pieces,
  progress: [number, number],
  swapped = false,
): void {
  const boxes = featureBoxes(a);
  for (let i = 0; i < A.length; i++) {
    if ((i & 15) === 0) job.progress(progress[0] + (progress[1] - progress[0]) * (i / A.length), 'taking away');
    if (!A[i]) continue;
    let left = A[i]!;
    const near = indexB.near(boxes[4 * i]!, boxes[4 * i + 1]!, boxes[4 * i + 2]!, boxes[4 * i + 3]!);
    if (near.length) {
      const ready = g.prepare(A[i]!);
      const touching = near.filter((j) => B[j] && ready.intersects(B[j]!));
      ready.done();
      for (const j of touching) {
        const next = g.difference(left, B[j]!);
        if (left !== A[i]) g.free(left);
        left = next;
        if (g.isEmpty(left)) break;
      }
    }
    add(g, out, left, swapped ? -1 : i, swapped ? i : -1);
    if (left !== A[i]) g.free(left);
  }
}
