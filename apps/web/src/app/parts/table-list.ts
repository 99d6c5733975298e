import { fitted, widthOf, type DisplayItem, type DisplayList } from '../draw/display';
import { PAPER_THEME } from '../draw/theme';
import { readCells, type CopiedTable } from './table-text';

/** Most rows of a table as a picture: more can't be read. */
export const MOST_PICTURED = 80;
const SIZE = 13;
const ROW = 24;
const GAP = 22;
const EDGE = 14;
/** Widest column, pixels. */
const WIDEST = 320;

/** A table as a drawing: heads, hairlines, numbers below each other. */
export function tableList(table: CopiedTable, title: string): DisplayList {
  const cells = readCells(table);
  const columns = cells[0]?.length ?? 0;
  const numbers = Array.from({ length: columns }, (_, i) => cells.slice(1).some((r) => r[i]?.number));
  const type = (i: number, head: boolean) =>
    head
      ? { size: SIZE, weight: 600 }
      : numbers[i]
        ? { size: SIZE - 1, face: 'mono' as const, weight: 400 }
        : { size: SIZE };
  const widths = Array.from({ length: columns }, (_, i) =>
    Math.min(WIDEST, Math.ceil(Math.max(...cells.map((r, k) => widthOf(r[i]?.text ?? '', type(i, k === 0)))))),
  );
  const head = title ? 30 : 6;
  const width = Math.max(
    2 * EDGE + widths.reduce((s, w) => s + w, 0) + GAP * Math.max(0, columns - 1),
    title ? 2 * EDGE + widthOf(title, { size: 14, weight: 600 }) : 0,
  );
  const height = head + cells.length * ROW + EDGE;
  const items: DisplayItem[] = [{ kind: 'box', x: 0, y: 0, width, height, fill: PAPER_THEME.paper }];
  if (title) items.push({ kind: 'text', x: EDGE, y: 22, text: title, size: 14, weight: 600, fill: PAPER_THEME.ink });
  cells.forEach((row, k) => {
    const y = head + k * ROW;
    let x = EDGE;
    row.forEach((c, i) => {
      const t = type(i, k === 0);
      const text = fitted(c.text, widths[i]!, t);
      const end = numbers[i];
      items.push({
        kind: 'text',
        x: end ? x + widths[i]! : x,
        y: y + 17,
        text,
        fill: PAPER_THEME.ink,
        anchor: end ? 'end' : 'start',
        ...t,
      });
      x += widths[i]! + GAP;
    });
    items.push({
      kind: 'path',
      points: [
        [EDGE, y + ROW - 0.5],
        [width - EDGE, y + ROW - 0.5],
      ],
      stroke: k ? '#ebe5d8' : PAPER_THEME.ink,
      line: 1,
    });
  });
  return { width, height, items };
}
