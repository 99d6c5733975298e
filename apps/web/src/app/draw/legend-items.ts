import type { Legend, Mark } from '../kinds/legend';
import { fitted, widthOf, wrapped, type DisplayItem, type TextItem } from './display';

/** Size of letters that all measures here are for, pixels. */
const PLAIN = 11;
const ROW = 15;

export interface LegendLook {
  ink: string;
  quiet: string;
  /** Size of letters, pixels. */
  size?: number;
  /** Words that are too long go on in the next line instead of being cut. */
  whole?: boolean;
}

type TextLook = Partial<Pick<TextItem, 'face' | 'weight' | 'anchor'>>;
export const textItem = (
  t: string,
  x: number,
  y: number,
  size: number,
  fill: string,
  look: TextLook = {},
): DisplayItem => ({ kind: 'text', text: t, x, y, size, fill, ...look });

/** One mark of a key, about a middle line. @param k how many times larger than 14 pixels wide */
function markItem(m: Mark, x: number, middle: number, k: number): DisplayItem {
  const stroke = m.outline ?? m.colour;
  if (m.shape === 'line')
    return {
      kind: 'path',
      points: [
        [x, middle],
        [x + 14 * k, middle],
      ],
      stroke: m.colour,
      line: 2 * k,
    };
  if (m.shape === 'point')
    return { kind: 'disc', x: x + 7 * k, y: middle, radius: 4 * k, fill: m.colour, stroke, line: k };
  return { kind: 'box', x, y: middle - 4.5 * k, width: 14 * k, height: 9 * k, fill: m.colour, stroke, line: k };
}

/** The legend of one layer in a column of some width. @returns what is drawn, and where it ends */
export function legendItems(
  legend: Legend,
  x: number,
  top: number,
  width: number,
  o: LegendLook,
): { items: DisplayItem[]; bottom: number } {
  const k = (o.size ?? PLAIN) / PLAIN;
  const items: DisplayItem[] = [];
  const row = ROW * k;
  let y = top + 12 * k;
  /** A text in as many lines as it needs and may have, the first at a place; answers how many. */
  const words = (
    t: string,
    left: number,
    at: number,
    room: number,
    size: number,
    fill: string,
    look: TextLook = {},
  ) => {
    const lines = o.whole ? wrapped(t, room, { size, ...look }) : [fitted(t, room, { size, ...look })];
    lines.forEach((l, i) => items.push(textItem(l, left, at + i * row, size, fill, look)));
    return lines.length;
  };
  const line = (t: string, fill: string): void => {
    y += words(t, x, y, width, PLAIN * k, fill) * row;
  };
  if (legend.mark) items.push(markItem(legend.mark, x, y - 4 * k, k));
  const left = legend.mark ? x + 20 * k : x;
  if (legend.title) {
    const look = { weight: legend.mark ? 450 : 600 };
    y += words(legend.title, left, y, x + width - left, 11.5 * k, o.ink, look) * row + (legend.ramp ? -5 : 1) * k;
  } else if (legend.mark) y += row;
  if (legend.ramp) {
    items.push({
      kind: 'ramp',
      x,
      y,
      width,
      height: 9 * k,
      colours: legend.ramp.colours,
      stepped: legend.ramp.stepped,
    });
    y += 21 * k;
    const n = legend.ramp.ticks.length;
    legend.ramp.ticks.forEach((t, i) =>
      items.push(
        textItem(t, x + (width * i) / Math.max(1, n - 1), y, 10.5 * k, o.ink, {
          face: 'mono',
          anchor: i === 0 ? 'start' : i === n - 1 ? 'end' : 'middle',
        }),
      ),
    );
    y += row;
  }
  // Short texts stand in two columns.
  const face = legend.numeric ? ('mono' as const) : ('sans' as const);
  const size = 10.5 * k;
  const widest = Math.max(0, ...legend.entries.map((e) => widthOf(e.text, { size, face })));
  const beside = legend.entries.length > 4 && widest + 24 * k < width / 2 ? 2 : 1;
  const rows = Math.ceil(legend.entries.length / beside);
  const ends = [y, y];
  legend.entries.forEach((e, i) => {
    const column = Math.floor(i / rows);
    const ex = x + column * (width / beside);
    const ey = ends[column]!;
    items.push(markItem(e, ex, ey - 4 * k, k));
    ends[column] = ey + words(e.text, ex + 20 * k, ey, width / beside - 22 * k, size, o.ink, { face }) * row;
  });
  if (legend.entries.length) y = Math.max(...ends);
  if (legend.more > 0) line(`and ${legend.more} more`, o.quiet);
  if (legend.notes.length) line(legend.notes.join(', '), o.quiet);
  for (const w of legend.warnings) line(w, o.ink);
  if (legend.missing) line(legend.missing, o.quiet);
  return { items, bottom: y - row + 4 * k };
}
