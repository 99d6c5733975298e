import type { DisplayItem } from '../draw/display';
import { widthOf } from '../draw/display';
import { NO_LEGEND, type Legend } from '../kinds/legend';
import { captioned } from './caption';

const map = document.createElement('canvas');
const words = { project: 'Landscape plan', crs: 'EPSG:32627', ink: '#111111', quiet: '#666666', paper: '#ffffff' };
const bar = { width: 80, text: '2 km' };

const plain = (title: string): Legend => ({ ...NO_LEGEND, title, mark: { shape: 'line', colour: '#aa0000' } });
const classes = (title: string, n: number, text = 'class'): Legend => ({
  ...NO_LEGEND,
  title,
  entries: Array.from({ length: n }, (_, i) => ({ shape: 'area', colour: '#00aa00', text: `${text} ${i + 1}` })),
  more: 3,
});
const ramp = (title: string): Legend => ({
  ...NO_LEGEND,
  title,
  ramp: { colours: ['#000', '#fff'], stepped: false, ticks: ['≤ 1', '428', '855'] },
  notes: ['shared scale'],
  missing: 'missing inside: 12 cells',
});
const six = [
  plain('mapped streams'),
  classes('land cover: class', 7),
  ramp('Filled, m'),
  ramp('Slope, °'),
  plain('gauge'),
  classes('parishes: solar roofs per 1000 households', 5, '12.5 to 18.75'),
];

/** What an item covers, left, top, right, bottom. */
function boxOf(i: DisplayItem): [number, number, number, number] | null {
  if (i.kind === 'box' || i.kind === 'ramp') return [i.x, i.y, i.x + i.width, i.y + i.height];
  if (i.kind === 'disc') return [i.x - i.radius, i.y - i.radius, i.x + i.radius, i.y + i.radius];
  if (i.kind !== 'text') return null;
  const w = widthOf(i.text, i);
  const x = i.anchor === 'end' ? i.x - w : i.anchor === 'middle' ? i.x - w / 2 : i.x;
  return [x, i.y - 0.75 * i.size, x + w, i.y + 0.2 * i.size];
}

describe('the picture of a pane', () => {
  for (const width of [320, 640, 944, 1600])
    it(`of six layers shows every key whole, none over another, at a width of ${width}`, () => {
      const list = captioned(map, width, 400, { ...words, title: 'Six of them', legends: six, bar });
      const texts = list.items.flatMap((i) => (i.kind === 'text' ? [i.text] : []));
      for (const t of [
        'mapped streams',
        'class 7',
        '855',
        'shared scale',
        'missing inside: 12 cells',
        'and 3 more',
        '2 km',
      ])
        expect(texts).toContain(t);
      const boxes = list.items.slice(2).flatMap((i) => {
        const b = boxOf(i);
        return b ? [{ i, b }] : [];
      });
      for (const { i, b } of boxes) {
        const what = JSON.stringify(i).slice(0, 90);
        expect(b[0]).withContext(what).toBeGreaterThanOrEqual(0);
        expect(b[2])
          .withContext(what)
          .toBeLessThanOrEqual(width + 0.5);
        expect(b[1]).withContext(what).toBeGreaterThanOrEqual(400);
        expect(b[3]).withContext(what).toBeLessThanOrEqual(list.height);
      }
      const written = boxes.filter(({ i }) => i.kind === 'text');
      for (const [k, p] of written.entries())
        for (const q of written.slice(k + 1)) {
          const apart = p.b[2] <= q.b[0] || q.b[2] <= p.b[0] || p.b[3] <= q.b[1] || q.b[3] <= p.b[1];
          expect(apart)
            .withContext(`${(p.i as { text: string }).text} over ${(q.i as { text: string }).text}`)
            .toBeTrue();
        }
    });

  it('cuts long names, and grows only as far as there are keys', () => {
    const long = 'a very long name of something that nobody would ever call like this, but somebody does';
    const none = captioned(map, 500, 300, { ...words, title: long, legends: [], bar: null });
    const one = captioned(map, 500, 300, { ...words, title: 'x', legends: [plain(long)], bar: null });
    expect(none.height).toBe(346);
    expect(one.height).toBeGreaterThan(none.height);
    for (const l of [none, one])
      for (const i of l.items) if (i.kind === 'text') expect(boxOf(i)![2]).toBeLessThanOrEqual(500);
    expect(none.items.some((i) => i.kind === 'text' && i.text.endsWith('…'))).toBeTrue();
  });

  it('may do without its title, and has an arrow to north where one is wanted', () => {
    const made = (more: object) => captioned(map, 640, 400, { ...words, title: 'Named', legends: [], bar, ...more });
    const texts = (list: ReturnType<typeof captioned>): string[] =>
      list.items.flatMap((i) => (i.kind === 'text' ? [i.text] : []));
    expect(texts(made({}))).toEqual(['Named', 'Landscape plan · EPSG:32627', '2 km']);
    expect(texts(made({ title: '' }))).toEqual(['Landscape plan · EPSG:32627', '2 km']);
    const turned = made({ north: 90 });
    const n = turned.items.find((i) => i.kind === 'text' && i.text === 'N') as { x: number; y: number };
    const disc = turned.items.find((i) => i.kind === 'disc') as { x: number; y: number };
    // North lies to the right of the picture: so does the letter.
    expect(n.x).toBeGreaterThan(disc.x + 15);
    expect(Math.abs(n.y - disc.y)).toBeLessThan(10);
    expect(texts(made({ north: NaN }))).not.toContain('N');
  });
});
