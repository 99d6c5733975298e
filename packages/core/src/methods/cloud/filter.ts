import * as z from 'zod';
import { HelkError } from '../../errors';
import { attributeOf, classesOf, placesOf, pointCount, takePoints, type Cloud } from '../../data/cloud';
import { featureBoxes, featuresIn, type Features } from '../../data/features';
import { defineMethod, input, output, shown } from '../../method/define';
import { bounds, choice, number, numbers } from '../../method/params';
import { BoxIndex } from '../../numeric/boxes';
import { isInside } from '../../numeric/inside';
import { classChecks, classList, pointsEstimate } from './common';

export const filter = defineMethod({
  id: 'cloud.filter',
  version: 1,
  title: 'Keep some points',
  question: 'Which points are wanted?',
  about:
    'Points of some classes, of some returns, within an area or bounds, between two heights; all that is given must hold. Points keep their order and everything they have.',
  keywords: ['filter', 'clip', 'select points', 'classes', 'first return', 'last return', 'crop'],
  sources: ['ASPRS, LAS specification 1.4 R15'],
  inputs: {
    cloud: input.cloud({}),
    area: { ...input.features({ label: 'Area', geometry: 'polygon' }), least: 0 as const },
  },
  params: z.object({
    classes: numbers({
      label: 'Classes',
      help: 'By number, apart by commas; empty for all.',
      min: 0,
      max: 255,
    }).optional(),
    returns: choice(
      { all: 'all', first: 'first of a pulse', last: 'last of a pulse', only: 'only one of a pulse' },
      { label: 'Returns' },
    ).default('all'),
    bounds: bounds({ label: 'Bounds' }).optional(),
    zmin: number({ label: 'Lowest height', help: 'In the unit of the heights.' }).optional(),
    zmax: number({ label: 'Highest height' }).optional(),
  }),
  outputs: { filtered: shown(output.cloud('Points kept', 'kept'), { like: 'cloud' }) },
  figures: { kept: { label: 'Points kept' }, dropped: { label: 'Points dropped' } },
  checks: ({ cloud }, p) => [
    ...classChecks(cloud, p.classes, 'classes'),
    ...(p.returns !== 'all' && !cloud.attributes.some((a) => a.name === 'returnNumber')
      ? [
          {
            level: 'refused' as const,
            code: 'cloud.noReturns',
            about: 'returns',
            message: 'The points do not say which return of a pulse they are.',
          },
        ]
      : []),
    ...(p.zmin !== undefined && p.zmax !== undefined && p.zmin > p.zmax
      ? [
          {
            level: 'refused' as const,
            code: 'cloud.heights',
            about: 'zmax',
            message: `The highest height (${p.zmax}) is below the lowest (${p.zmin}).`,
          },
        ]
      : []),
  ],
  estimate: ({ cloud }) => pointsEstimate(cloud, 60, 8e6),
  run: ({ cloud, area }, p, job) => {
    const n = pointCount(cloud);
    const keep = new Uint8Array(n).fill(1);
    const wanted = classList(p.classes, 'classes');
    if (wanted) {
      const classes = classesOf(cloud);
      for (let i = 0; i < n; i++) if (!wanted.has(classes[i]!)) keep[i] = 0;
    }
    byReturn(cloud, p.returns, keep);
    if (p.zmin !== undefined || p.zmax !== undefined || p.bounds || area) {
      const at = placesOf(cloud);
      const [low, high] = [p.zmin ?? -Infinity, p.zmax ?? Infinity];
      const [w, s, e, t] = p.bounds ?? [-Infinity, -Infinity, Infinity, Infinity];
      for (let i = 0; i < n; i++)
        if (at.z[i]! < low || at.z[i]! > high || at.x[i]! < w || at.x[i]! > e || at.y[i]! < s || at.y[i]! > t)
          keep[i] = 0;
      if (area)
        within(featuresIn(area, cloud.crs), at, keep, (share) => job.progress(share, 'looking who lies inside'));
    }
    let kept = 0;
    for (const k of keep) kept += k;
    if (kept === 0) throw new HelkError('method.input', 'No point is all of that; nothing would be left.', 'cloud');
    const rows = new Uint32Array(kept);
    let k = 0;
    for (let i = 0; i < n; i++) if (keep[i]) rows[k++] = i;
    return { filtered: takePoints(cloud, rows), figures: { kept, dropped: n - kept } };
  },
});

function byReturn(c: Cloud, which: 'all' | 'first' | 'last' | 'only', keep: Uint8Array): void {
  if (which === 'all') return;
  const number = attributeOf(c, 'returnNumber')!;
  const returns = attributeOf(c, 'returns') ?? number;
  for (let i = 0; i < keep.length; i++) {
    const fits = which === 'first' ? number[i] === 1 : which === 'last' ? number[i] === returns[i] : returns[i] === 1;
    if (!fits) keep[i] = 0;
  }
}

/** Takes from `keep` what lies in none of some areas. */
export function within(
  f: Features,
  at: { x: Float64Array; y: Float64Array },
  keep: Uint8Array,
  tell: (share: number) => void,
): void {
  const boxes = featureBoxes(f);
  const index = new BoxIndex(f);
  const few = boxes.length / 4 <= 8;
  const all = Array.from({ length: boxes.length / 4 }, (_, k) => k);
  for (let i = 0; i < keep.length; i++) {
    if ((i & 65_535) === 0) tell(i / keep.length);
    if (!keep[i]) continue;
    const [x, y] = [at.x[i]!, at.y[i]!];
    const near = few ? all : index.near(x, y, x, y);
    const inside = near.some(
      (k) =>
        x >= boxes[4 * k]! &&
        y >= boxes[4 * k + 1]! &&
        x <= boxes[4 * k + 2]! &&
        y <= boxes[4 * k + 3]! &&
        isInside(f, k, x, y),
    );
    if (!inside) keep[i] = 0;
  }
}
