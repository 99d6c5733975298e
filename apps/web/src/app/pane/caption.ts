import { fitted, type DisplayItem, type DisplayList } from '../draw/display';
import { legendItems, textItem as text } from '../draw/legend-items';
import type { Legend } from '../kinds/legend';

/** What is said beneath the picture of a pane. */
export interface Caption {
  title: string;
  project: string;
  crs: string;
  legends: Legend[];
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
    text(fitted(c.title, room, { size: 15, weight: 600 }), EDGE, height + 20, 15, c.ink, { weight: 600 }),
    text(fitted([c.project, c.crs].filter(Boolean).join(' · '), room, { size: 11 }), EDGE, height + 36, 11, c.quiet),
  );
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
