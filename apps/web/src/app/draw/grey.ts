import { channels, hexOf } from '@helk/core/render/seen';
import { canvasOf, type DisplayItem, type DisplayList } from './display';

/** Greys that some colours are to have, by `#1d282c`. */
export type Greys = ReadonlyMap<string, string>;
const NONE: Greys = new Map();

let tint: CanvasRenderingContext2D | null = null;
const known = new Map<string, readonly [number, number, number, number]>();

/** Channels of a colour of CSS, and how much is seen through it, 0 to 255. */
function rgbaOf(css: string): readonly [number, number, number, number] {
  let rgba = known.get(css);
  if (!rgba) {
    tint ??= document.createElement('canvas').getContext('2d', { willReadFrequently: true })!;
    tint.clearRect(0, 0, 1, 1);
    tint.fillStyle = css;
    tint.fillRect(0, 0, 1, 1);
    const [r, g, b, a] = tint.getImageData(0, 0, 1, 1).data;
    rgba = [r!, g!, b!, a!];
    known.set(css, rgba);
  }
  return rgba;
}

/** A colour of CSS as `#1d282c`, whatever is seen through it. */
export const plainColour = (css: string): string => {
  const [r, g, b] = rgbaOf(css);
  return hexOf([r, g, b]);
};

/** Luma of Rec. 709. */
const luma = (r: number, g: number, b: number): number => Math.round(0.2126 * r + 0.7152 * g + 0.0722 * b);

/** A colour as the grey that is as light (luma of Rec. 709), or as the one it is to have; as seen through as it was. */
export function greyOf(css: string, greys: Greys = NONE): string {
  const [r, g, b, a] = rgbaOf(css);
  const own = greys.size ? greys.get(plainColour(css)) : undefined;
  const v = own ? channels(own)[0] : luma(r, g, b);
  return a === 255 ? `rgb(${v} ${v} ${v})` : `rgb(${v} ${v} ${v} / ${(a / 255).toFixed(3)})`;
}

function greyed(image: HTMLCanvasElement | ImageBitmap, greys: Greys): HTMLCanvasElement {
  const c = document.createElement('canvas');
  c.width = image.width;
  c.height = image.height;
  const g = c.getContext('2d', { willReadFrequently: greys.size > 0 })!;
  if (!greys.size) {
    g.filter = 'grayscale(1)';
    g.drawImage(image, 0, 0);
    return c;
  }
  const source = canvasOf(image);
  const pixels = source.getContext('2d')!.getImageData(0, 0, source.width, source.height);
  const own = new Map([...greys].map(([from, to]) => [parseInt(from.slice(1), 16), channels(to)[0]]));
  const { data } = pixels;
  for (let i = 0; i < data.length; i += 4) {
    const [r, g2, b] = [data[i]!, data[i + 1]!, data[i + 2]!];
    const v = own.get((r << 16) | (g2 << 8) | b) ?? luma(r, g2, b);
    data[i] = data[i + 1] = data[i + 2] = v;
  }
  g.putImageData(pixels, 0, 0);
  return c;
}

/**
 * A drawing without colours, as a printer without them prints it.
 *
 * @param greys colours that have a grey of their own, so that classes are told apart
 */
export function inGrey(list: DisplayList, greys: Greys = NONE): DisplayList {
  const grey = (css: string): string => greyOf(css, greys);
  const look = <T extends { fill?: string; stroke?: string }>(i: T): T => ({
    ...i,
    ...(i.fill ? { fill: grey(i.fill) } : {}),
    ...(i.stroke ? { stroke: grey(i.stroke) } : {}),
  });
  const one = (i: DisplayItem): DisplayItem => {
    switch (i.kind) {
      case 'group':
        return { ...i, items: i.items.map(one) };
      case 'image':
        return { ...i, image: greyed(i.image, greys) };
      case 'made':
        return { ...i, make: async (part, finer) => greyed(await i.make(part, finer), greys) };
      case 'ramp':
        return { ...i, colours: i.colours.map(grey) };
      case 'text':
        return { ...look(i), ...(i.halo ? { halo: { ...i.halo, colour: grey(i.halo.colour) } } : {}) };
      default:
        return look(i);
    }
  };
  return { ...list, items: list.items.map(one) };
}
