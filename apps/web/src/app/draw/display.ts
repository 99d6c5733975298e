import {
  FACES,
  type DisplayItem as Item,
  type DisplayList as List,
  type Face,
  type GroupItem as Group,
  type Point,
  type Rect,
  type Stroked,
  type TextItem,
} from '@helk/core/render/drawn';

export type { Face, Point, Rect, Stroked, TextItem };

/** A drawing as the page has it: its images are canvases, and some are made when it is known how fine they have to be. */
export type DisplayList = List<HTMLCanvasElement | ImageBitmap, MadeItem>;
export type DisplayItem = Item<HTMLCanvasElement | ImageBitmap, MadeItem>;
export type GroupItem = Group<HTMLCanvasElement | ImageBitmap, MadeItem>;

/** An image that is made when it is known how fine it has to be, in parts where it is large. */
export interface MadeItem extends Rect {
  kind: 'made';
  /** Part of it, so many times finer than the screen. */
  make: (part: Rect, finer: number) => Promise<HTMLCanvasElement>;
}

/** Adds some to a list one by one: as arguments of `push` a hundred thousand would overflow the stack. */
export function addAll<T>(to: T[], some: Iterable<T>): void {
  for (const x of some) to.push(x);
}

type Lettered = Pick<TextItem, 'size' | 'face' | 'weight'>;

export const fontOf = (t: Lettered): string =>
  `${t.face === 'voice' ? 'italic ' : ''}${t.weight ?? 450} ${t.size}px ${FACES[t.face ?? 'sans']}`;

let ruler: CanvasRenderingContext2D | null = null;

/** Width of a text, pixels. */
export function widthOf(text: string, t: Lettered): number {
  ruler ??= document.createElement('canvas').getContext('2d')!;
  ruler.font = fontOf(t);
  return ruler.measureText(text).width;
}

/** A text that is cut with an ellipsis where it is wider than it may be. */
export function fitted(text: string, room: number, t: Lettered): string {
  if (widthOf(text, t) <= room) return text;
  let [low, high] = [0, text.length];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (widthOf(`${text.slice(0, middle).trimEnd()}…`, t) <= room) low = middle;
    else high = middle - 1;
  }
  return `${text.slice(0, low).trimEnd()}…`;
}

/** A text in lines that are no wider than they may be, broken between words; a word that is too wide by itself is broken within. */
export function wrapped(text: string, room: number, t: Lettered): string[] {
  return text.split('\n').flatMap((paragraph) => {
    const lines: string[] = [];
    let line = '';
    for (const word of paragraph.split(/[ \t]+/)) {
      const longer = line ? `${line} ${word}` : word;
      if (widthOf(longer, t) <= room) {
        line = longer;
        continue;
      }
      if (line) lines.push(line);
      line = word;
      while (widthOf(line, t) > room && line.length > 1) {
        let n = line.length - 1;
        while (n > 1 && widthOf(line.slice(0, n), t) > room) n--;
        lines.push(line.slice(0, n));
        line = line.slice(n);
      }
    }
    return [...lines, line];
  });
}

/** A picture as a canvas, whose pixels can be read. */
export function canvasOf(image: HTMLCanvasElement | ImageBitmap): HTMLCanvasElement {
  if (image instanceof HTMLCanvasElement) return image;
  const canvas = document.createElement('canvas');
  canvas.width = image.width;
  canvas.height = image.height;
  canvas.getContext('2d')!.drawImage(image, 0, 0);
  return canvas;
}

/** Everything in a list that is in no group, and what is in its groups. */
export function* eachItem(items: readonly DisplayItem[]): Generator<DisplayItem> {
  for (const i of items)
    if (i.kind === 'group') yield* eachItem(i.items);
    else yield i;
}

/** Waits until the letters of a list can be drawn: fonts come when they are first needed. */
export async function lettersReady(list: DisplayList): Promise<void> {
  const wanted = new Map<string, Set<string>>();
  for (const i of eachItem(list.items))
    if (i.kind === 'text') {
      const font = fontOf({ ...i, size: 16 });
      const letters = wanted.get(font) ?? new Set();
      for (const c of i.text) letters.add(c);
      wanted.set(font, letters);
    }
  await Promise.all(
    [...wanted].map(([font, letters]) => document.fonts.load(font, [...letters].join('')).catch(() => [])),
  );
}
