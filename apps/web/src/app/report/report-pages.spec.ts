import type { Block, Document } from '@helk/core/report/document';
import { eachItem, type DisplayItem, type DisplayList } from '../draw/display';
import { MM } from '../sheets/paper';
import { columnWidths, reportPages } from './report-pages';

const A4 = [210, 297] as const;
const doc = (blocks: Block[]): Document => ({
  title: 'Where it is steep',
  lines: ['A. Surveyor, 2026-03-02'],
  blocks,
  attached: [],
  foot: 'Made with Helk',
});
const pages = (blocks: Block[], drawings = new Map<string, DisplayList>()): DisplayList[] =>
  reportPages(doc(blocks), drawings, A4);
const texts = (p: DisplayList): (DisplayItem & { kind: 'text' })[] =>
  [...eachItem(p.items)].filter((i) => i.kind === 'text');
const words = (p: DisplayList): string[] => texts(p).map((t) => t.text);
const long = 'The ground north of the stream is steeper than anybody had thought before it was measured. '.repeat(6);

describe('the pages of a report', () => {
  it('are of the size asked for, numbered, and nothing stands in their margins', () => {
    const all = pages(Array.from({ length: 14 }, (): Block => ({ kind: 'text', text: long })));
    expect(all.length).toBeGreaterThan(1);
    for (const [i, p] of all.entries()) {
      expect(p.width).toBeCloseTo(210 * MM, 6);
      expect(words(p)).toContain(`${i + 1} of ${all.length}`);
      for (const t of texts(p)) {
        expect(t.y).toBeLessThanOrEqual(p.height - 17.9 * MM);
        expect(t.x).toBeGreaterThanOrEqual(17.9 * MM);
      }
    }
  });

  it('leave nothing out', () => {
    const items = Array.from({ length: 120 }, (_, i) => `source number ${i}`);
    const all = pages([{ kind: 'list', items }]).flatMap(words);
    for (const i of items) expect(all).toContain(i);
  });

  it('begin a table again with its head where it goes on, and cut no row', () => {
    const rows = Array.from({ length: 80 }, (_, i) => [
      `tile ${i}`,
      `EPSG:${i}`,
      'a long description of what it is '.repeat(4),
    ]);
    const head = [{ text: 'Source' }, { text: 'System' }, { text: 'About' }];
    const all = pages([{ kind: 'table', caption: 'Sources', head, rows }]);
    expect(all.length).toBeGreaterThan(2);
    for (const [i, p] of all.entries()) {
      expect(words(p)).toContain('Source');
      expect(words(p)).toContain(i ? 'Sources, continued' : 'Sources');
      const cells = words(p).filter((t) => t.startsWith('tile ')).length;
      expect(words(p).filter((t) => t.startsWith('EPSG:')).length).toBe(cells);
    }
  });

  it('keep a heading with what it is the heading of', () => {
    for (let n = 20; n < 60; n++) {
      const fill = Array.from({ length: n }, (_, i) => `line ${i}`);
      const all = pages([
        { kind: 'list', items: fill },
        { kind: 'heading', level: 2, text: 'What was done' },
        { kind: 'text', text: 'It was filled.' },
      ]);
      const at = all.findIndex((p) => words(p).includes('What was done'));
      expect(words(all[at]!)).withContext(String(n)).toContain('It was filled.');
    }
  });

  it('fit a figure with its words on one page, however large it was', () => {
    const list: DisplayList = {
      width: 4000,
      height: 9000,
      items: [{ kind: 'box', x: 0, y: 0, width: 4000, height: 9000, fill: '#123456' }],
    };
    const figure: Block = { kind: 'figure', drawing: 'd', title: 'Seen', note: long, caution: 'It was removed.' };
    const all = pages([{ kind: 'text', text: long.repeat(5) }, figure], new Map([['d', list]]));
    const on = all.find((p) => words(p).includes('Seen'))!;
    const group = on.items.find((i) => i.kind === 'group')!;
    expect(group.clip!.y + group.clip!.height).toBeLessThan(on.height - 18 * MM);
    expect(group.clip!.width / group.clip!.height).toBeCloseTo(4000 / 9000, 6);
    expect(words(on)).toContain('Out of date. It was removed.');
    expect(words(pages([figure])[0]!)).toContain('No picture of it was kept.');
  });

  it('give columns what they need where there is room, and share it where there is not', () => {
    const table = (rows: string[][]): Block & { kind: 'table' } => ({
      kind: 'table',
      caption: 'c',
      head: rows[0]!.map(() => ({ text: 'h' })),
      rows,
    });
    const roomy = columnWidths(table([['a', 'b']]), 600);
    expect(roomy[0]! + roomy[1]!).toBeCloseTo(600, 6);
    const tight = columnWidths(table([['id', long, long.repeat(3)]]), 600);
    expect(tight.reduce((s, w) => s + w, 0)).toBeCloseTo(600, 6);
    expect(tight[0]).toBeLessThan(60);
    expect(tight[2]).toBeGreaterThan(tight[1]!);
  });
});
