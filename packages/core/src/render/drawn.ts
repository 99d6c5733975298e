/**
 * A drawing as a list of simple things, from back to front, in pixels of the screen (1/96 inch on paper): what pictures in every format
 * are made of, so that what one shows the others show too.
 *
 * `I` is what an image is held as, `M` what stands for things that are still to be made.
 */
export interface DisplayList<I, M extends Unmade = never> {
  width: number;
  height: number;
  items: DisplayItem<I, M>[];
}

/** Something in a drawing that is not there yet. */
export interface Unmade {
  kind: 'made';
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

export type DisplayItem<I, M extends Unmade = never> =
  | ({ kind: 'box' } & Rect & Stroked)
  | ({ kind: 'path'; points: Point[]; closed?: boolean } & Stroked)
  /** Several lines drawn as one, or an area with holes (by the even-odd rule). */
  | ({ kind: 'shape'; rings: Point[][]; closed: boolean } & Stroked)
  | ({ kind: 'disc'; x: number; y: number; radius: number } & Stroked)
  | ({ kind: 'ramp'; colours: string[]; stepped: boolean } & Rect)
  | TextItem
  | ({ kind: 'image'; image: I } & Rect)
  | GroupItem<I, M>
  | M;

/** Things that are cut off at a box, seen through together, or that have a measure of their own. */
export interface GroupItem<I, M extends Unmade = never> {
  kind: 'group';
  clip?: Rect;
  alpha?: number;
  /** Where what lies within begins, and how large a pixel of it is. The box is told in pixels of the outside. */
  move?: { x: number; y: number; scale: number };
  items: DisplayItem<I, M>[];
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

export type Face = 'sans' | 'mono' | 'voice';

/** Letters of other alphabets come from the fonts named behind. */
const OTHERS = '"Noto Sans Arabic", "Noto Sans Hebrew", "Noto Sans"';
export const FACES: Record<Face, string> = {
  sans: `"Instrument Sans Variable", "Instrument Sans", ${OTHERS}, sans-serif`,
  mono: `"IBM Plex Mono", ${OTHERS}, monospace`,
  voice: `"Newsreader Variable", Newsreader, ${OTHERS}, serif`,
};

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
