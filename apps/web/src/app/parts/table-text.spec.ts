import { eachItem } from '../draw/display';
import { tableList } from './table-list';
import { readCells, tabbed, tableHtml, type CopiedTable } from './table-text';

const table: CopiedTable = [
  ['class', 'area [ha]', 'cells'],
  ['moor, <wet>', 1234.56789, 12345],
  ['a\ttab\nand a line', 0.25, 3],
  ['unknown', NaN, null],
];

describe('a table that is copied', () => {
  it('keeps every digit for a spreadsheet, and one cell a cell', () => {
    expect(
      tabbed(table)
        .split('\n')
        .map((l) => l.split('\t')),
    ).toEqual([
      ['class', 'area [ha]', 'cells'],
      ['moor, <wet>', '1234.56789', '12345'],
      ['a tab and a line', '0.25', '3'],
      ['unknown', '', ''],
    ]);
  });

  it('is read with digits that are enough, also of small ones', () => {
    expect(
      readCells(table)
        .map((r) => r.map((c) => c.text))
        .slice(1),
    ).toEqual([
      ['moor, <wet>', '1\u202f234.57', '12\u202f345'],
      ['a\ttab\nand a line', '0.25', '3'],
      ['unknown', '', ''],
    ]);
  });

  it('is a table for a document, with its look in it and no text as markup', () => {
    const page = new DOMParser().parseFromString(tableHtml(table, 'Areas & more'), 'text/html');
    expect(page.querySelector('caption')!.textContent).toBe('Areas & more');
    expect([...page.querySelectorAll('tbody tr')].map((r) => r.children.length)).toEqual([3, 3, 3]);
    expect(page.querySelector('td')!.textContent).toBe('moor, <wet>');
    const sides = [...page.querySelectorAll('th')].map((h) => h.style.textAlign);
    expect(sides).toEqual(['left', 'right', 'right']);
  });

  it('is a drawing in which numbers stand below each other and nothing leaves the picture', () => {
    const list = tableList(table, 'Areas');
    const texts = [...eachItem(list.items)].filter((i) => i.kind === 'text');
    const ends = texts.filter((t) => t.anchor === 'end').map((t) => t.x);
    expect(new Set(ends).size).toBe(2);
    for (const t of texts) {
      expect(t.x).toBeLessThanOrEqual(list.width - 13);
      expect(t.y).toBeLessThan(list.height);
    }
  });
});
