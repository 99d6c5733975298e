import { Random } from './random';
import { outerAround } from './nesting';
import { isInside } from './inside';
import { FeaturesBuilder, ringArea2, type Features } from '../data/features';

type Box = [x: number, y: number, w: number, h: number];

/** Boxes within boxes: outer, hole, outer, … by depth; none touch but for those that share their lower left corner on purpose. */
function nested(r: Random, box: Box, depth: number, out: { box: Box; outer: boolean }[]): void {
  const [x, y, w, h] = box;
  out.push({ box, outer: depth % 2 === 0 });
  if (depth > 4) return;
  const n = 1 + Math.floor(3 * r.uniform());
  for (let k = 0; k < n; k++) {
    const [cw, left] = [w / n, x + (k * w) / n];
    nested(r, [left + 0.1 * cw, y + h * (0.1 + 0.3 * r.uniform()), 0.7 * cw, h * 0.4], depth + 1, out);
  }
}

/** A ring of slanted sides that holds the middle nine tenths of a box, clockwise for outer ones. */
function ringOf([x, y, w, h]: Box, outer: boolean): number[] {
  const c = [x, y + 0.03 * h, x + 0.97 * w, y, x + w, y + 0.97 * h, x + 0.03 * w, y + h, x, y + 0.03 * h];
  return outer ? c.reverse().flatMap((_, i, a) => (i % 2 ? [a[i]!, a[i - 1]!] : [])) : c;
}

function around(rings: number[][], outer: boolean[]): Int32Array {
  const offsets = [0];
  for (const r of rings) offsets.push(offsets[offsets.length - 1]! + r.length / 2);
  return outerAround(Float64Array.from(rings.flat()), offsets, (k) => outer[k]!);
}

describe('the outer ring around a ring', () => {
  it('is the smallest that holds it, as trying all of them finds', () => {
    const r = new Random(3);
    for (let turn = 0; turn < 20; turn++) {
      const all: { box: Box; outer: boolean }[] = [];
      nested(r, [0, 0, 100, 100], 0, all);
      nested(r, [150 * r.uniform() - 200, 20, 60, 70], 0, all);
      const rings = all.map((a) => ringOf(a.box, a.outer));
      const shapes = rings.map((c): Features => {
        const b = new FeaturesBuilder();
        for (let i = 0; i < c.length; i += 2) b.coordinate(c[i]!, c[i + 1]!);
        b.endRing();
        b.endPart();
        b.endFeature();
        return b.build('polygon', null, []);
      });
      const area = (k: number): number => Math.abs(ringArea2(shapes[k]!.xy, 0, shapes[k]!.xy.length / 2));
      const found = around(
        rings,
        all.map((a) => a.outer),
      );
      rings.forEach((c, k) => {
        let best = -1;
        for (let o = 0; o < rings.length; o++)
          if (o !== k && all[o]!.outer && isInside(shapes[o]!, 0, c[0]!, c[1]!) && (best < 0 || area(o) < area(best)))
            best = o;
        expect(found[k]).withContext(`ring ${k} of turn ${turn}`).toBe(best);
      });
    }
  });

  it('is found for a hole that touches it from within', () => {
    const outer = [0, 0, 0, 10, 10, 10, 10, 0, 0, 0];
    const atCorner = [0, 0, 3, 1, 1, 3, 0, 0];
    const atEdge = [0, 5, 2, 4, 2, 6, 0, 5];
    expect([...around([outer, atCorner, atEdge], [true, false, false])]).toEqual([-1, 0, 0]);
  });

  it('grows no worse than n log n: a hundred thousand rings one in another', () => {
    const n = 100_000;
    const rings = Array.from({ length: n }, (_, k) => ringOf([k, k, 3 * n - 2 * k, 3 * n - 2 * k], k % 2 === 0));
    const found = around(
      rings,
      rings.map((_, k) => k % 2 === 0),
    );
    expect(found[1]).toBe(0);
    expect(found[n - 1]).toBe(n - 2);
    expect(found[n - 2]).toBe(n - 4);
  });
});
