import type { MapSheet, PaperBox } from './shape';

/** A line on paper that something has been laid along; where it is a gap, as wide as another one. */
export interface Guide {
  along: 'x' | 'y';
  /** Where, mm: of an upright line its x. */
  at: number;
  from: number;
  to: number;
  /** Two gaps that are equal, each from one place to another along the other direction. */
  gaps?: [number, number][];
}

export interface Snapped {
  dx: number;
  dy: number;
  guides: Guide[];
}

/** Which edges of a box are being moved. */
export interface Moving {
  left?: boolean;
  right?: boolean;
  top?: boolean;
  bottom?: boolean;
}

/** Everything moves. */
const ALL: Required<Moving> = { left: true, right: true, top: true, bottom: true };

interface Axis {
  along: 'x' | 'y';
  low: (b: PaperBox) => number;
  high: (b: PaperBox) => number;
  /** Across the axis, for how far a guide runs. */
  side: (b: PaperBox) => [number, number];
}
const AXES: readonly Axis[] = [
  { along: 'x', low: (b) => b.x, high: (b) => b.x + b.width, side: (b) => [b.y, b.y + b.height] },
  { along: 'y', low: (b) => b.y, high: (b) => b.y + b.height, side: (b) => [b.x, b.x + b.width] },
];

interface Hit {
  by: number;
  guide: Guide;
}

/**
 * How far a box still has to go so that it lies along something: edges, margins and the middle of the page, edges and middles of other
 * parts, or in equal gaps between two of them. The nearest that is within reach counts, in each direction by itself.
 *
 * @param box where it is being held
 * @param reach mm
 * @param moving edges that move; all of them where a part is moved whole
 */
export function snapped(
  box: PaperBox,
  others: readonly PaperBox[],
  page: MapSheet['page'],
  reach: number,
  moving: Moving = ALL,
): Snapped {
  const whole = moving.left && moving.right;
  const wholeY = moving.top && moving.bottom;
  const sheet: PaperBox = { x: 0, y: 0, width: page.width, height: page.height };
  const inner: PaperBox = {
    x: page.margin,
    y: page.margin,
    width: page.width - 2 * page.margin,
    height: page.height - 2 * page.margin,
  };
  const found = AXES.map((axis, k): Hit | null => {
    const all = k === 0 ? whole : wholeY;
    const ends = k === 0 ? [moving.left, moving.right] : [moving.top, moving.bottom];
    const [low, high] = [axis.low(box), axis.high(box)];
    const mine = [...(ends[0] ? [low] : []), ...(ends[1] ? [high] : []), ...(all ? [(low + high) / 2] : [])];
    const hits: Hit[] = [];
    for (const b of [sheet, inner, ...others]) {
      const at = [axis.low(b), axis.high(b), (axis.low(b) + axis.high(b)) / 2];
      const [f, t] = axis.side(b);
      const [mf, mt] = axis.side(box);
      for (const a of at)
        for (const m of mine)
          hits.push({ by: a - m, guide: { along: axis.along, at: a, from: Math.min(f, mf), to: Math.max(t, mt) } });
    }
    if (all) hits.push(...gapHits(axis, box, others));
    const near = hits.filter((h) => Math.abs(h.by) <= reach);
    return near.reduce<Hit | null>((a, b) => (!a || Math.abs(b.by) < Math.abs(a.by) - 1e-9 ? b : a), null);
  });
  return {
    dx: found[0]?.by ?? 0,
    dy: found[1]?.by ?? 0,
    guides: found.flatMap((h) => (h ? [h.guide] : [])),
  };
}

/** Places of a box between, before and after two others that stand beside it, at which the gaps are equal. */
function gapHits(axis: Axis, box: PaperBox, others: readonly PaperBox[]): Hit[] {
  const [mf, mt] = axis.side(box);
  const beside = others.filter((b) => axis.side(b)[0] < mt && axis.side(b)[1] > mf);
  const [low, high] = [axis.low(box), axis.high(box)];
  const size = high - low;
  const out: Hit[] = [];
  for (const a of beside)
    for (const b of beside) {
      const gap = axis.low(b) - axis.high(a);
      if (a === b || gap <= 0) continue;
      const at = (mf + mt) / 2;
      const hit = (to: number, gaps: [number, number][]): void => {
        out.push({ by: to - low, guide: { along: axis.along, at, from: gaps[0]![0], to: gaps[1]![1], gaps } });
      };
      const between = axis.high(a) + (gap - size) / 2;
      if (gap > size)
        hit(between, [
          [axis.high(a), between],
          [between + size, axis.low(b)],
        ]);
      const after = axis.high(b) + gap;
      hit(after, [
        [axis.high(a), axis.low(b)],
        [axis.high(b), after],
      ]);
      const before = axis.low(a) - gap - size;
      hit(before, [
        [before + size, axis.low(a)],
        [axis.high(a), axis.low(b)],
      ]);
    }
  return out;
}

export type Alignment = 'left' | 'centre' | 'right' | 'top' | 'middle' | 'bottom';

/** Boxes laid along one another: several along the outermost of them, one along the margins of its page. */
export function aligned<T extends PaperBox>(boxes: readonly T[], how: Alignment, page: MapSheet['page']): T[] {
  const { margin, width, height } = page;
  const one = boxes.length === 1;
  const x0 = one ? margin : Math.min(...boxes.map((b) => b.x));
  const x1 = one ? width - margin : Math.max(...boxes.map((b) => b.x + b.width));
  const y0 = one ? margin : Math.min(...boxes.map((b) => b.y));
  const y1 = one ? height - margin : Math.max(...boxes.map((b) => b.y + b.height));
  return boxes.map((b) => {
    switch (how) {
      case 'left':
        return { ...b, x: x0 };
      case 'centre':
        return { ...b, x: (x0 + x1 - b.width) / 2 };
      case 'right':
        return { ...b, x: x1 - b.width };
      case 'top':
        return { ...b, y: y0 };
      case 'middle':
        return { ...b, y: (y0 + y1 - b.height) / 2 };
      case 'bottom':
        return { ...b, y: y1 - b.height };
    }
  });
}

/** Three or more boxes with equal gaps between them, the outermost where they are. */
export function spread<T extends PaperBox>(boxes: readonly T[], along: 'x' | 'y'): T[] {
  if (boxes.length < 3) return [...boxes];
  const size = along === 'x' ? 'width' : 'height';
  const order = boxes.map((_, i) => i).sort((a, b) => boxes[a]![along] - boxes[b]![along]);
  const [first, last] = [boxes[order[0]!]!, boxes[order.at(-1)!]!];
  const room = last[along] + last[size] - first[along];
  const gap = (room - boxes.reduce((sum, b) => sum + b[size], 0)) / (boxes.length - 1);
  const out = [...boxes];
  let at = first[along];
  for (const i of order) {
    out[i] = { ...boxes[i]!, [along]: at };
    at += boxes[i]![size] + gap;
  }
  return out;
}

/** The box around several. */
export function around(boxes: readonly PaperBox[]): PaperBox {
  const x = Math.min(...boxes.map((b) => b.x));
  const y = Math.min(...boxes.map((b) => b.y));
  return {
    x,
    y,
    width: Math.max(...boxes.map((b) => b.x + b.width)) - x,
    height: Math.max(...boxes.map((b) => b.y + b.height)) - y,
  };
}
