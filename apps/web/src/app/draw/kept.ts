import type { KeptDrawing } from '@helk/core/sheet/drawing';
import { canvasOf, type DisplayItem, type DisplayList } from './display';

/** Letters of a picture as text beyond which it is packed closer, at the loss of some sharpness. */
const LARGE = 3_000_000;

const dataOf = (image: HTMLCanvasElement | ImageBitmap): string => {
  const canvas = canvasOf(image);
  const png = canvas.toDataURL('image/png');
  return png.length > LARGE ? canvas.toDataURL('image/jpeg', 0.9) : png;
};
const round = (v: number): number => Math.round(v * 1000) / 1000;

/** A display list as it is kept in a project; nothing that is still to be made is in it. */
export function keep(list: DisplayList): string {
  const one = (i: DisplayItem): unknown[] => {
    if (i.kind === 'made') return [];
    if (i.kind === 'image') return [{ ...i, image: dataOf(i.image) }];
    if (i.kind === 'group') return [{ ...i, items: i.items.flatMap(one) }];
    return [i];
  };
  const whole = { width: list.width, height: list.height, items: list.items.flatMap(one) };
  return JSON.stringify(whole, (_, v: unknown) => (typeof v === 'number' ? round(v) : v));
}

/** What a data address holds; pages of Helk ask for nothing from such addresses. */
function blobOf(address: string): Blob {
  const [, type, body] = /^data:([\w/]+);base64,(.*)$/s.exec(address)!;
  return new Blob([Uint8Array.from(atob(body!), (c) => c.charCodeAt(0))], { type: type! });
}

/** A drawing of a project as a display list. */
export async function unkept(drawing: KeptDrawing): Promise<DisplayList> {
  const one = async (i: { kind: string }): Promise<DisplayItem> => {
    if (i.kind === 'image') {
      return {
        ...(i as unknown as DisplayItem & { kind: 'image' }),
        image: await createImageBitmap(blobOf((i as unknown as { image: string }).image)),
      };
    }
    if (i.kind === 'group') {
      const g = i as unknown as DisplayItem & { kind: 'group' };
      return { ...g, items: await Promise.all(g.items.map(one)) };
    }
    return i as unknown as DisplayItem;
  };
  return { ...drawing, items: await Promise.all((drawing.items as { kind: string }[]).map(one)) };
}
