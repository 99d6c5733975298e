import { CHECK_WORDS, paragraphs, type Block, type Document, type Fact } from '@helk/core/report/document';
import { wrapped, widthOf, type DisplayItem, type DisplayList, type TextItem } from '../draw/display';
import { INK, MM, QUIET } from '../sheets/paper';

/** Margin of a page, and room for what stands at its foot, pixels. */
const MARGIN = 18 * MM;
const FOOT = 9 * MM;
const LINE = '#ddd5c5';
const SOFT = '#ebe5d8';
const CHECK_COLOURS = { fine: '#3c6a3f', look: '#8a5a00', refused: '#a3261b' } as const;
/** Share of a page's height that a figure takes at most. */
const TALLEST = 0.55;
/** Room between two columns of a table. */
const GUTTER = 12;

type Type = Pick<TextItem, 'size' | 'face' | 'weight'>;
const BODY: Type = { size: 13 };
const SMALL: Type = { size: 11.5 };
const NUMBER: Type = { size: 11, face: 'mono', weight: 400 };
const HEAD: Type = { size: 12, weight: 600 };

/** Lines of letters one below the other. */
interface Lines {
  lines: string[];
  type: Type;
  /** From one to the next. */
  step: number;
}
const set = (text: string, room: number, type: Type): Lines => ({
  lines: wrapped(text, room, type),
  type,
  step: Math.round(type.size * 1.42),
});
const tall = (l: Lines): number => l.lines.length * l.step;

/**
 * A document on pages: its blocks one below the other, what belongs together kept together, rows never cut, heads of tables again on the
 * next page, pages numbered.
 *
 * @param drawings figures by the id of their drawing
 * @param page mm
 */
export function reportPages(
  doc: Document,
  drawings: ReadonlyMap<string, DisplayList>,
  page: readonly [width: number, height: number],
): DisplayList[] {
  const flow = new Flow(page[0] * MM, page[1] * MM);
  flow.lines(set(doc.title, flow.room, { size: 27, face: 'voice', weight: 400 }), INK, 4);
  for (const l of doc.lines) flow.lines(set(l, flow.room, SMALL), QUIET);
  flow.gap(6);
  flow.rule(LINE);
  for (const [i, b] of doc.blocks.entries()) flow.block(b, doc.blocks[i + 1], drawings);
  return flow.done(doc.foot);
}

class Flow {
  private readonly pages: DisplayItem[][] = [[]];
  private y = MARGIN;
  readonly room: number;
  constructor(
    private readonly width: number,
    private readonly height: number,
  ) {
    this.room = width - 2 * MARGIN;
  }

  private get bottom(): number {
    return this.height - MARGIN - FOOT;
  }
  private put(...items: DisplayItem[]): void {
    this.pages.at(-1)!.push(...items);
  }
  private turn(): void {
    this.pages.push([]);
    this.y = MARGIN;
  }
  /** Begins a page where something does not fit on this one any more, and would on the next. */
  private need(height: number): boolean {
    if (this.y + height <= this.bottom || this.y === MARGIN) return false;
    this.turn();
    return true;
  }
  gap(px: number): void {
    if (this.y > MARGIN) this.y += px;
  }
  rule(colour: string, x = MARGIN, to = MARGIN + this.room): void {
    this.put({
      kind: 'path',
      points: [
        [x, this.y],
        [to, this.y],
      ],
      stroke: colour,
      line: 1,
    });
  }

  /** Lines that go on on the next page where they have to. */
  lines(l: Lines, fill: string, after = 0, x = MARGIN): void {
    for (const text of l.lines) {
      this.need(l.step);
      this.put({ kind: 'text', x, y: this.y + l.type.size, text, fill, ...l.type });
      this.y += l.step;
    }
    this.y += after;
  }

  /** Lines at a place, which is left as it was. */
  private at(l: Lines, x: number, y: number, fill: string, anchor: TextItem['anchor'] = 'start'): void {
    l.lines.forEach((text, i) =>
      this.put({ kind: 'text', x, y: y + l.type.size + i * l.step, text, fill, anchor, ...l.type }),
    );
  }

  block(b: Block, next: Block | undefined, drawings: ReadonlyMap<string, DisplayList>): void {
    switch (b.kind) {
      case 'heading':
        return this.heading(b, next);
      case 'text':
        for (const p of paragraphs(b.text)) {
          const type: Type = b.voice ? { size: 16, face: 'voice', weight: 400 } : b.quiet ? SMALL : BODY;
          this.gap(3);
          this.lines(set(p, this.room, type), b.quiet ? QUIET : INK, 3);
        }
        return;
      case 'list':
        b.items.forEach((t, i) => {
          const l = set(t, this.room - 18, BODY);
          this.need(Math.min(tall(l), 3 * l.step));
          const mark = b.numbered ? `${i + 1}.` : '·';
          this.put({ kind: 'text', x: MARGIN + 4, y: this.y + BODY.size, text: mark, fill: QUIET, ...BODY });
          this.lines(l, INK, 2, MARGIN + 18);
        });
        return;
      case 'facts':
        return this.facts(b.title, b.rows);
      case 'table':
        return this.table(b);
      case 'checks':
        return this.checks(b.items);
      case 'figure':
        return this.figure(b, drawings.get(b.drawing ?? ''));
      case 'code': {
        const l = set(b.text, this.room - 20, NUMBER);
        this.need(tall(l) + 14);
        this.gap(4);
        const box = { x: MARGIN, y: this.y, width: this.room, height: tall(l) + 12 };
        this.put({ kind: 'box', ...box, fill: '#f6f2e9', stroke: SOFT, line: 1 });
        this.at(l, MARGIN + 10, this.y + 6, INK);
        this.y += box.height + 6;
        return;
      }
      case 'attached':
        this.gap(3);
        return this.lines(set(`${b.text} ${b.name}, attached to this document.`, this.room, BODY), INK, 3);
    }
  }

  private heading(b: Block & { kind: 'heading' }, next: Block | undefined): void {
    const large = b.level === 2;
    const type: Type = large ? { size: 20, face: 'voice', weight: 400 } : { size: 14, weight: 600 };
    const x = b.mark ? 30 : 0;
    const l = set(b.text, this.room - x, type);
    // A heading stands with what it is the heading of.
    this.need((large ? 26 : 16) + tall(l) + (next?.kind === 'figure' ? 220 : 60));
    this.gap(large ? 22 : 14);
    if (b.mark) {
      const y = this.y + l.step / 2;
      this.put(
        { kind: 'disc', x: MARGIN + 10, y, radius: 10, stroke: QUIET, line: 1 },
        { kind: 'text', x: MARGIN + 10, y: y + 4, text: b.mark, fill: INK, anchor: 'middle', ...NUMBER },
      );
    }
    this.lines(l, INK, 3, MARGIN + x);
  }

  private facts(title: string, rows: readonly Fact[]): void {
    const left = this.room * 0.38;
    const right = this.room - left;
    this.caption(title, 2 * 18);
    for (const r of rows) {
      const name = set(r.name, left - GUTTER, SMALL);
      const value = set(r.value, right, NUMBER);
      const more = r.more ? set(r.more, right, SMALL) : null;
      // A short addition stands behind the value.
      const last = value.lines.at(-1)!;
      const beside = more && more.lines.length === 1 ? widthOf(last, NUMBER) + 8 : null;
      const fits = beside !== null && beside + widthOf(more!.lines[0]!, SMALL) <= right;
      const height = Math.max(tall(name), tall(value) + (more && !fits ? tall(more) : 0)) + 5;
      if (this.need(height)) this.caption(`${title}, continued`, 0);
      this.at(name, MARGIN, this.y + 2, QUIET);
      this.at(value, MARGIN + left, this.y + 2, INK);
      if (more && fits) this.at(more, MARGIN + left + beside!, this.y + 2 + tall(value) - value.step, QUIET);
      else if (more) this.at(more, MARGIN + left, this.y + 2 + tall(value), QUIET);
      this.y += height;
      this.rule(SOFT);
    }
    this.gap(8);
  }

  private caption(text: string, with_: number): void {
    const l = set(text, this.room, SMALL);
    this.need(tall(l) + 8 + with_);
    this.gap(5);
    this.lines(l, QUIET, 2);
    this.rule(LINE);
  }

  private table(b: Block & { kind: 'table' }): void {
    const widths = columnWidths(b, this.room);
    const from = widths.map((_, i) => widths.slice(0, i).reduce((s, w) => s + w, 0));
    const row = (
      cells: readonly string[],
      type: (i: number) => Type,
      fill: string,
    ): { height: number; draw: () => void } => {
      const all = cells.map((c, i) => set(c, widths[i]! - GUTTER, type(i)));
      const height = Math.max(...all.map(tall)) + 5;
      return {
        height,
        draw: () => {
          all.forEach((l, i) => {
            const end = b.head[i]?.numbers;
            const x = MARGIN + from[i]! + (end ? widths[i]! - GUTTER : 0);
            this.at(l, x, this.y + 2, fill, end ? 'end' : 'start');
          });
          this.y += height;
        },
      };
    };
    const head = row(
      b.head.map((h) => h.text),
      () => HEAD,
      INK,
    );
    const begin = (title: string, first: number): void => {
      this.caption(title, head.height + first);
      head.draw();
      this.rule(LINE);
    };
    const rows = b.rows.map((r) => row(r, (i) => (i ? NUMBER : SMALL), INK));
    begin(b.caption, rows[0]?.height ?? 0);
    for (const r of rows) {
      if (this.need(r.height)) begin(`${b.caption}, continued`, 0);
      r.draw();
      this.rule(SOFT);
    }
    this.gap(8);
  }

  private checks(items: (Block & { kind: 'checks' })['items']): void {
    this.gap(4);
    for (const c of items) {
      const colour = CHECK_COLOURS[c.level];
      const word = `${CHECK_WORDS[c.level]}.`;
      const indent = widthOf(word, HEAD) + 7;
      const l = set(c.text, this.room - 12 - indent, SMALL);
      const height = tall(l) + 4;
      this.need(height);
      this.put({ kind: 'box', x: MARGIN, y: this.y, width: 2.5, height: height - 2, fill: colour });
      this.put({ kind: 'text', x: MARGIN + 12, y: this.y + SMALL.size + 1, text: word, fill: colour, ...HEAD });
      this.at(l, MARGIN + 12 + indent, this.y + 1, INK);
      this.y += height;
    }
    this.gap(4);
  }

  private figure(b: Block & { kind: 'figure' }, list: DisplayList | undefined): void {
    const title = set(b.title, this.room, HEAD);
    const note = paragraphs(b.note).map((p) => set(p, this.room, SMALL));
    const caution = b.caution ? set(`Out of date. ${b.caution}`, this.room, SMALL) : null;
    const words = tall(title) + note.reduce((s, l) => s + tall(l), 0) + (caution ? tall(caution) : 0);
    const most = Math.min((this.height - 2 * MARGIN) * TALLEST, this.bottom - MARGIN - words - 24);
    const scale = list ? Math.min(this.room / list.width, most / list.height, 1) : 0;
    const height = list ? list.height * scale : 18;
    this.need(height + words + 22);
    this.gap(10);
    if (list) {
      const box = { x: MARGIN, y: this.y, width: list.width * scale, height };
      this.put(
        { kind: 'group', clip: box, move: { x: MARGIN, y: this.y, scale }, items: list.items },
        { kind: 'box', ...box, stroke: LINE, line: 1 },
      );
    } else this.at(set('No picture of it was kept.', this.room, SMALL), MARGIN, this.y, QUIET);
    this.y += height + 6;
    this.lines(title, INK, 1);
    for (const l of note) this.lines(l, INK);
    if (caution) this.lines(caution, CHECK_COLOURS.look);
    this.gap(10);
  }

  /** The pages, each with its number among them. */
  done(foot: string): DisplayList[] {
    return this.pages.map((items, i) => {
      const y = this.height - MARGIN;
      const number = `${i + 1} of ${this.pages.length}`;
      return {
        width: this.width,
        height: this.height,
        items: [
          { kind: 'box', x: 0, y: 0, width: this.width, height: this.height, fill: '#ffffff' },
          ...items,
          { kind: 'text', x: MARGIN, y, text: foot, fill: QUIET, ...SMALL },
          { kind: 'text', x: this.width - MARGIN, y, text: number, fill: QUIET, anchor: 'end', ...NUMBER },
        ],
      };
    });
  }
}

/** Widths of the columns of a table: as wide as what stands in them where there is room, narrower the wider they would be. */
export function columnWidths(b: Block & { kind: 'table' }, room: number): number[] {
  const natural = b.head.map((h, i) =>
    Math.ceil(
      Math.max(
        widthOf(h.text, HEAD),
        ...b.rows.flatMap((r) => (r[i] ?? '').split('\n').map((t) => widthOf(t, i ? NUMBER : SMALL))),
      ) + GUTTER,
    ),
  );
  const total = natural.reduce((s, w) => s + w, 0);
  if (total <= room) {
    // What is left goes to the first, so that rows reach across.
    return natural.map((w, i) => (i ? w : w + room - total));
  }
  // Columns that are narrower than their share keep what they need; the others share the rest.
  const wide = new Set(natural.keys());
  let [left, count] = [room, natural.length];
  for (;;) {
    const narrow = [...wide].filter((i) => natural[i]! <= left / count);
    if (!narrow.length) break;
    for (const i of narrow) {
      wide.delete(i);
      left -= natural[i]!;
      count--;
    }
  }
  const sum = [...wide].reduce((s, i) => s + Math.sqrt(natural[i]!), 0);
  return natural.map((w, i) => (wide.has(i) ? (left * Math.sqrt(w)) / sum : w));
}
