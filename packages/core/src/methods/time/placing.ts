import { plural } from '../../data/check';
import { featureCount, type Features } from '../../data/features';
import type { Job } from '../../method/job';
import { defineKernel } from '../../method/parallel';
import { BoxIndex } from '../../numeric/boxes';
import { isInside } from '../../numeric/inside';

interface Areas {
  areas: Features;
}
/** The boxes of areas, once a thread. */
const held = new WeakMap<object, BoxIndex>();

const kernel = defineKernel('time.placing', (s: Areas, xy: Float64Array): Int32Array => {
  let index = held.get(s);
  if (!index) held.set(s, (index = new BoxIndex(s.areas)));
  const out = new Int32Array(xy.length / 2).fill(-1);
  for (let i = 0; i < out.length; i++) {
    const [x, y] = [xy[2 * i]!, xy[2 * i + 1]!];
    if (x === x) out[i] = index.near(x, y, x, y).find((a) => isInside(s.areas, a, x, y)) ?? -1;
  }
  return out;
});

/** Points that a thread places in one go. */
const SOME = 50_000;

/** The area that each point lies in, the first where areas overlap; -1 for none. @param points in the system of the areas */
export async function placesOfPoints(areas: Features, points: Features, job: Job): Promise<Int32Array> {
  const n = featureCount(points);
  const out = new Int32Array(n).fill(-1);
  let placeless = 0;
  const blocks = function* (): Generator<Float64Array> {
    for (let from = 0; from < n; from += SOME) {
      const xy = new Float64Array(2 * Math.min(SOME, n - from)).fill(NaN);
      for (let i = 0; 2 * i < xy.length; i++) {
        const p = points.featureOffsets[from + i]!;
        if (p === points.featureOffsets[from + i + 1]) {
          placeless++;
          continue;
        }
        const c = points.ringOffsets[points.partOffsets[p]!]!;
        xy[2 * i] = points.xy[2 * c]!;
        xy[2 * i + 1] = points.xy[2 * c + 1]!;
      }
      yield xy;
    }
  };
  await job.parallel(kernel, { areas: { ...areas, columns: [] } }, blocks(), (r, i) => {
    out.set(r, i * SOME);
    job.progress(0.1 + (0.6 * Math.min(n, (i + 1) * SOME)) / Math.max(1, n), 'placing events');
  });
  if (placeless)
    job.note(
      'look',
      'points.noPlace',
      `${plural(placeless, 'event')} without a place ${placeless === 1 ? 'does' : 'do'} not count.`,
    );
  return out;
}
