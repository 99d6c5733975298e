import { fitted, widthOf, type DisplayItem, type DisplayList } from '../draw/display';
import type { Legend, Mark } from '../kinds/legend';

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
const ROW = 15;

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

type TextLook = Partial<Pick<Extract<DisplayItem, { kind: 'text' }>, 'face' | 'weight' | 'anchor'>>;
const text = (t: string, x: number, y: number, size: number, fill: string, look: TextLook = {}): DisplayItem => ({
  kind: 'text',
  text: t,
  x,
  y,
  size,
  fill,
  ...look,
});

/** One mark of a key, 14 pixels wide, about a middle line. */
function markItem(m: Mark, x: number, middle: number): DisplayItem {
  const stroke = m.outline ?? m.colour;
  if (m.shape === 'line')
    return {
      kind: 'path',
      points: [
        [x, middle],
        [x + 14, middle],
      ],
      stroke: m.colour,
      line: 2,
    };
  if (m.shape === 'point') return { kind: 'disc', x: x + 7, y: middle, radius: 4, fill: m.colour, stroke };
  return { kind: 'box', x, y: middle - 4.5, width: 14, height: 9, fill: m.colour, stroke };
}

function legendItems(
  legend: Legend,
  x: number,
  top: number,
  width: number,
  c: Caption,
): { items: DisplayItem[]; bottom: number } {
  const items: DisplayItem[] = [];
  let y = top + 12;
  const line = (t: string, fill: string, left = x): void => {
    items.push(text(fitted(t, x + width - left, { size: 11 }), left, y, 11, fill));
    y += ROW;
  };
  if (legend.mark) items.push(markItem(legend.mark, x, y - 4));
  const left = legend.mark ? x + 20 : x;
  const head = { size: 11.5, weight: legend.mark ? 450 : 600 };
  items.push(text(fitted(legend.title, x + width - left, head), left, y, 11.5, c.ink, { weight: head.weight }));
  y += ROW + (legend.ramp ? -5 : 1);
  if (legend.ramp) {
    items.push({ kind: 'ramp', x, y, width, height: 9, colours: legend.ramp.colours, stepped: legend.ramp.stepped });
    y += 21;
    const n = legend.ramp.ticks.length;
    legend.ramp.ticks.forEach((t, i) =>
      items.push(
        text(t, x + (width * i) / Math.max(1, n - 1), y, 10.5, c.ink, {
          face: 'mono',
          anchor: i === 0 ? 'start' : i === n - 1 ? 'end' : 'middle',
        }),
      ),
    );
    y += ROW;
  }
  // Short texts stand in two columns.
  const face = legend.numeric ? ('mono' as const) : ('sans' as const);
  const widest = Math.max(0, ...legend.entries.map((e) => widthOf(e.text, { size: 10.5, face })));
  const beside = legend.entries.length > 4 && widest + 24 < width / 2 ? 2 : 1;
  const rows = Math.ceil(legend.entries.length / beside);
  legend.entries.forEach((e, i) => {
    const ex = x + Math.floor(i / rows) * (width / beside);
    const ey = y + (i % rows) * ROW;
    items.push(
      markItem(e, ex, ey - 4),
      text(fitted(e.text, width / beside - 22, { size: 10.5, face }), ex + 20, ey, 10.5, c.ink, { face }),
    );
  });
  y += rows * ROW;
  if (legend.more > 0) line(`and ${legend.more} more`, c.quiet);
  if (legend.notes.length) line(legend.notes.join(', '), c.quiet);
  for (const w of legend.warnings) line(w, c.ink);
  if (legend.missing) line(legend.missing, c.quiet);
  return { items, bottom: y - ROW + 4 };
}
