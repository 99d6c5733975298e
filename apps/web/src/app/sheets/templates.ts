import type { PageName } from '@helk/core/sheet/pages';
import type { PaperBox, PartOf } from '@helk/core/sheet/shape';

type Words = PaperBox & Pick<PartOf<'text'>, 'text' | 'size'> & Partial<PartOf<'text'>>;

/** Where everything goes on a page. */
export interface Layout {
  frames: PaperBox[];
  keys: PaperBox[];
  columns: number;
  bar: PaperBox;
  north: PaperBox;
  texts: Words[];
}

export type TemplateId = 'across' | 'upright' | 'wall' | 'slide';

/** A way to lay out a page, for any number of maps from one to four. */
export interface Template {
  id: TemplateId;
  label: string;
  about: string;
  page: PageName;
  across: boolean;
  margin: number;
  /** Of keys, points. */
  letters: number;
  layout(page: { width: number; height: number; margin: number }, maps: number): Layout;
}

/** A box cut into one, two, or two by two. */
function cut(box: PaperBox, n: number, gap: number): PaperBox[] {
  const columns = n === 1 ? 1 : box.width >= box.height || n > 2 ? 2 : 1;
  const rows = Math.ceil(n / columns);
  const width = (box.width - (columns - 1) * gap) / columns;
  const height = (box.height - (rows - 1) * gap) / rows;
  return Array.from({ length: n }, (_, i) => ({
    x: box.x + (i % columns) * (width + gap),
    y: box.y + Math.floor(i / columns) * (height + gap),
    width,
    height,
  }));
}

const SOURCE = '{system}\n{method}\n{source}';
const FOOT = '{project} · {date} · {scale}';

/** Map left, a column of words and key right: what reports are made of. */
function sideBySide(k: number): Template['layout'] {
  return (page, maps) => {
    const { width, height, margin: m } = page;
    const side = 62 * k;
    const head = 16 * k;
    const foot = 12 * k;
    const gap = 6 * k;
    const map = { x: m, y: m + head, width: width - 2 * m - side - gap, height: height - 2 * m - head - foot };
    const x = width - m - side;
    const north = { x: width - m - 28 * k, y: height - m - 52 * k, width: 28 * k, height: 26 * k };
    const keyTop = m + head;
    const keyRoom = north.y - keyTop - 4 * k;
    return {
      frames: cut(map, maps, 3 * k),
      keys: cut({ x, y: keyTop, width: side, height: keyRoom }, 1, 0).flatMap((b) =>
        Array.from({ length: maps }, (_, i) => ({
          ...b,
          y: b.y + (i * b.height) / maps,
          height: b.height / maps - 2 * k,
        })),
      ),
      columns: 1,
      bar: { x: m, y: height - m - foot + 5.5 * k, width: Math.min(100 * k, map.width * 0.6), height: 8 * k },
      north,
      texts: [
        { x: m, y: m - 1 * k, width: width - 2 * m, height: 9 * k, text: '{sheet}', size: 17 * k, bold: true },
        { x: m, y: m + 7.5 * k, width: width - 2 * m, height: 6 * k, text: '{layers}', size: 9 * k, colour: '#59656a' },
        { x, y: height - m - 23 * k, width: side, height: 23 * k, text: `${SOURCE}`, size: 6.5 * k, colour: '#59656a' },
        {
          x: m + map.width - 90 * k,
          y: height - m - foot + 5.5 * k,
          width: 90 * k,
          height: 5 * k,
          text: FOOT,
          size: 7 * k,
          align: 'end',
          face: 'mono',
          colour: '#59656a',
        },
      ],
    };
  };
}

/** Map above, key and words in a band below. */
const above: Template['layout'] = (page, maps) => {
  const { width, height, margin: m } = page;
  const head = 16;
  const foot = 62;
  const map = { x: m, y: m + head, width: width - 2 * m, height: height - 2 * m - head - foot };
  const y = map.y + map.height + 5;
  const room = height - m - y;
  return {
    frames: cut(map, maps, 3),
    keys: cut({ x: m, y: y + 12, width: width - 2 * m - 66, height: room - 12 }, Math.min(maps, 2), 4),
    columns: maps > 1 ? 1 : 2,
    bar: { x: m, y, width: 84, height: 8 },
    north: { x: width - m - 28, y, width: 28, height: 28 },
    texts: [
      { x: m, y: m - 1, width: width - 2 * m, height: 9, text: '{sheet}', size: 17, bold: true },
      { x: m, y: m + 7.5, width: width - 2 * m, height: 6, text: '{layers}', size: 9, colour: '#59656a' },
      {
        x: width - m - 62,
        y: y + 31,
        width: 62,
        height: room - 31,
        text: `${FOOT}\n${SOURCE}`,
        size: 6.5,
        align: 'end',
        colour: '#59656a',
      },
    ],
  };
};

/** For a slide: large letters, little furniture. */
const slide: Template['layout'] = (page, maps) => {
  const { width, height, margin: m } = page;
  const side = 78;
  const map = { x: m, y: m + 20, width: width - 2 * m - side - 6, height: height - 2 * m - 20 };
  const x = width - m - side;
  return {
    frames: cut(map, maps, 3),
    keys: Array.from({ length: maps }, (_, i) => ({
      x,
      y: m + 20 + (i * (map.height - 34)) / maps,
      width: side,
      height: (map.height - 34) / maps - 2,
    })),
    columns: 1,
    bar: { x, y: height - m - 26, width: side - 29, height: 9 },
    north: { x: width - m - 28, y: height - m - 26, width: 28, height: 26 },
    texts: [
      { x: m, y: m - 1, width: width - 2 * m, height: 16, text: '{sheet}', size: 26, bold: true },
      { x, y: height - m - 12, width: side - 30, height: 12, text: '{source}', size: 8, colour: '#59656a' },
    ],
  };
};

/** The layouts there are. */
export const TEMPLATES: readonly Template[] = [
  {
    id: 'across',
    label: 'Page across',
    about: 'A4, map left, key and words right',
    page: 'A4',
    across: true,
    margin: 14,
    letters: 8,
    layout: sideBySide(1),
  },
  {
    id: 'upright',
    label: 'Page upright',
    about: 'A4, map above, key and words below',
    page: 'A4',
    across: false,
    margin: 14,
    letters: 8,
    layout: above,
  },
  {
    id: 'wall',
    label: 'For a wall',
    about: 'A2, everything twice as large',
    page: 'A2',
    across: true,
    margin: 24,
    letters: 15,
    layout: sideBySide(2),
  },
  {
    id: 'slide',
    label: 'Slide',
    about: '16:9, large letters',
    page: 'Slide 16:9',
    across: true,
    margin: 12,
    letters: 13,
    layout: slide,
  },
];
