import type { DisplayItem, DisplayList } from './display';

let tint: CanvasRenderingContext2D | null = null;
const known = new Map<string, string>();

/** A colour as the grey that is as light (luma of Rec. 709), as seen through as it was. */
export function greyOf(css: string): string {
  let grey = known.get(css);
  if (grey === undefined) {
    tint ??= document.createElement('canvas').getContext('2d', { willReadFrequently: true })!;
    tint.clearRect(0, 0, 1, 1);
    tint.fillStyle = css;
    tint.fillRect(0, 0, 1, 1);
    const [r, g, b, a] = tint.getImageData(0, 0, 1, 1).data;
    const v = Math.round(0.2126 * r! + 0.7152 * g! + 0.0722 * b!);
    grey = a === 255 ? `rgb(${v} ${v} ${v})` : `rgb(${v} ${v} ${v} / ${(a! / 255).toFixed(3)})`;
    known.set(css, grey);
  }
  return grey;
}

function greyed(image: HTMLCanvasElement | ImageBitmap): HTMLCanvasElement {
  const c = document.createElement('canvas');
  c.width = image.width;
  c.height = image.height;
  const g = c.getContext('2d')!;
  g.filter = 'grayscale(1)';
  g.drawImage(image, 0, 0);
  return c;
}

/** A drawing without colours, as a printer without them prints it. */
export function inGrey(list: DisplayList): DisplayList {
  const look = <T extends { fill?: string; stroke?: string }>(i: T): T => ({
    ...i,
    ...(i.fill ? { fill: greyOf(i.fill) } : {}),
    ...(i.stroke ? { stroke: greyOf(i.stroke) } : {}),
  });
  const one = (i: DisplayItem): DisplayItem => {
    switch (i.kind) {
      case 'group':
        return { ...i, items: i.items.map(one) };
      case 'image':
        return { ...i, image: greyed(i.image) };
      case 'made':
        return { ...i, make: async (part, finer) => greyed(await i.make(part, finer)) };
      case 'ramp':
        return { ...i, colours: i.colours.map(greyOf) };
      case 'text':
        return { ...look(i), ...(i.halo ? { halo: { ...i.halo, colour: greyOf(i.halo.colour) } } : {}) };
      default:
        return look(i);
    }
  };
  return { ...list, items: list.items.map(one) };
}
