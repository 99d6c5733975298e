import { fitted, type DisplayItem, type DisplayList } from '../draw/display';
import { legendItems, textItem as text } from '../draw/legend-items';
import type { Legend } from '../kinds/legend';

/** What is said beneath the picture of a pane. */
export interface Caption {
  title: string;
  project: string;
  crs: string;
  /** What lies under the data, and whose it is. */
  ground?: string;
  legends: Legend[];
  /** Degrees clockwise from the top of the picture to north, where an arrow is wanted. */
  north?: number | null;
  bar: { width: number; text: string } | null;
  ink: string;
  quiet: string;
  paper: string;
}

const EDGE = 14;
const HEAD = 46;
const GAP = 18;
/** Least width of a column of keys. */
const COLUMN = 180;

/**
 * A picture of a map with title, place and scale beneath it, and below them every key in full, in as many columns as there is room for.
 *
 * @param image the map, at whatever resolution
 */
export function captioned(image: HTMLCanvasElement, width: number, height: number, c: Caption): DisplayList {
  const items: DisplayItem[] = [];
  const columns = Math.max(1, Math.floor((width - 2 * EDGE + GAP) / (COLUMN + GAP)));
  const each = (width - 2 * EDGE - (columns - 1) * GAP) / columns;
  const depth = new Array<number>(columns).fill(height + HEAD);
  for (const legend of c.legends) {
    const k = depth.indexOf(Math.min(...depth));
    const block = legendItems(legend, EDGE + k * (each + GAP), depth[k]!, each, c);
    items.push(...block.items);
    depth[k] = block.bottom + 12;
  }
  const foot = Math.max(height + HEAD, ...depth) + (c.legends.length ? 4 : 0);
  const bar = c.bar ? c.bar.width + EDGE + 24 : EDGE;
  const room = width - EDGE - bar;
  items.unshift(
    { kind: 'box', x: 0, y: 0, width, height: foot, fill: c.paper },
    { kind: 'image', x: 0, y: 0, width, height, image },
    ...(c.title
      ? [text(fitted(c.title, room, { size: 15, weight: 600 }), EDGE, height + 20, 15, c.ink, { weight: 600 })]
      : []),
    text(
      fitted([c.project, c.crs, c.ground].filter(Boolean).join(' · '), room, { size: 11 }),
      EDGE,
      height + (c.title ? 36 : 26),
      11,
      c.quiet,
    ),
  );
  if (Number.isFinite(c.north)) items.push(...arrow(width - EDGE - 16, EDGE + 26, 18, c.north!, c));
  if (c.bar) {
    const left = width - c.bar.width - EDGE;
    items.push(text(c.bar.text, left + c.bar.width / 2, height + 18, 11, c.ink, { face: 'mono', anchor: 'middle' }), {
      kind: 'path',
      points: [
        [left, height + 24],
        [left, height + 30],
        [left + c.bar.width, height + 30],
        [left + c.bar.width, height + 24],
      ],
      stroke: c.ink,
      line: 1.5,
    });
  }
  return { width, height: foot, items };
}

/** The needle of a field compass, one half of it dark, on a disc of paper. */
function arrow(
  x: number,
  y: number,
  radius: number,
  degrees: number,
  c: Pick<Caption, 'ink' | 'paper'>,
): DisplayItem[] {
  const a = (degrees * Math.PI) / 180;
  const at = (dx: number, dy: number): [number, number] => [
    x + dx * Math.cos(a) - dy * Math.sin(a),
    y + dx * Math.sin(a) + dy * Math.cos(a),
  ];
  const half = (side: number, fill: string): DisplayItem => ({
    kind: 'path',
    closed: true,
    points: [at(0, -radius), at(side * 0.3 * radius, 0.75 * radius), at(0, 0.45 * radius)],
    fill,
    stroke: c.ink,
    line: 0.8,
  });
  const [nx, ny] = at(0, -radius - 7);
  return [
    { kind: 'disc', x, y: y - 3, radius: radius + 12, fill: c.paper },
    half(-1, c.ink),
    half(1, c.paper),
    text('N', nx, ny + 4, 11, c.ink, { weight: 600, anchor: 'middle' }),
  ];
}
