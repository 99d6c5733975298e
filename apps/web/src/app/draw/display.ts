/**
 * A drawing as a list of simple things, from back to front, in pixels of the screen (1/96 inch on paper): what pictures in every format
 * are made of, so that what one shows the others show too.
 */
export interface DisplayList {
  width: number;
  height: number;
  items: DisplayItem[];
}

export interface Rect {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** How something is filled and stroked. */
export interface Stroked {
  fill?: string;
  stroke?: string;
  line?: number;
  dash?: number[];
}

export type Point = [number, number];

export type DisplayItem =
  | ({ kind: 'box' } & Rect & Stroked)
  | ({ kind: 'path'; points: Point[]; closed?: boolean } & Stroked)
  /** Several lines drawn as one, or an area with holes (by the even-odd rule). */
  | ({ kind: 'shape'; rings: Point[][]; closed: boolean } & Stroked)
  | ({ kind: 'disc'; x: number; y: number; radius: number } & Stroked)
  | ({ kind: 'ramp'; colours: string[]; stepped: boolean } & Rect)
  | TextItem
  | ({ kind: 'image'; image: HTMLCanvasElement | ImageBitmap } & Rect)
  /** An image that is made when it is known how fine it has to be, in parts where it is large. */
  | MadeItem
  | GroupItem;

/** Things that are cut off at a box, seen through together, or that have a measure of their own. */
export interface GroupItem {
  kind: 'group';
  clip?: Rect;
  alpha?: number;
  /** Where what lies within begins, and how large a pixel of it is. The box is told in pixels of the outside. */
  move?: { x: number; y: number; scale: number };
  items: DisplayItem[];
}

export interface TextItem {
  kind: 'text';
  x: number;
  /** Of the baseline. */
  y: number;
  text: string;
  size: number;
  fill: string;
  face?: Face;
  weight?: number;
  anchor?: 'start' | 'middle' | 'end';
  /** Degrees clockwise about its place. */
  turn?: number;
  /** Behind the letters, so that they can be read on anything. */
  halo?: { colour: string; width: number };
}

export interface MadeItem extends Rect {
  kind: 'made';
  /** Part of it, so many times finer than the screen. */
  make: (part: Rect, finer: number) => Promise<HTMLCanvasElement>;
}

export type Face = 'sans' | 'mono' | 'voice';

/** Letters of other alphabets come from the fonts named behind. */
const OTHERS = '"Noto Sans Arabic", "Noto Sans Hebrew", "Noto Sans"';
export const FACES: Record<Face, string> = {
  sans: `"Instrument Sans Variable", "Instrument Sans", ${OTHERS}, sans-serif`,
  mono: `"IBM Plex Mono", ${OTHERS}, monospace`,
  voice: `"Newsreader Variable", ${OTHERS}, serif`,
};

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

/** Where each colour of a ramp stands, 0 to 1. */
export function stopsOf(colours: readonly string[], stepped: boolean): [number, string][] {
  const n = colours.length;
  return colours.flatMap((c, i): [number, string][] =>
    stepped
      ? [
          [i / n, c],
          [(i + 1) / n, c],
        ]
      : [[n === 1 ? 0 : i / (n - 1), c]],
  );
}
