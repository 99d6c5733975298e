import { stopsOf } from '@helk/core/render/drawn';
import { fontOf, lettersReady, type DisplayItem, type DisplayList, type Rect, type Stroked } from './display';

/** Side of the largest part of an image that is made at once, in its own pixels. */
export const PART = 2048;

/**
 * A list without anything that is still to be made, at a fineness.
 *
 * @param o.window the part of the list that is wanted; all of it where not given
 * @param o.loose parts begin where what they are of begins, not at whole pixels: they stay what they are while it is moved about
 */
export async function made(
  list: DisplayList,
  finer: number,
  o: { window?: Rect; loose?: boolean } = {},
): Promise<DisplayList> {
  const within = o.window ?? { x: 0, y: 0, width: list.width, height: list.height };
  return { ...list, items: await madeItems(list.items, finer, within, o.loose ? null : [0, 0]) };
}

/** @param from where the list begins, in pixels of the picture; null where that does not matter */
async function madeItems(
  items: readonly DisplayItem[],
  finer: number,
  within: Rect,
  from: readonly [number, number] | null,
): Promise<DisplayItem[]> {
  const out: DisplayItem[] = [];
  for (const i of items) {
    if (i.kind === 'group') {
      const inner = i.clip ? common(i.clip, within) : within;
      const { x, y, scale } = i.move ?? { x: 0, y: 0, scale: 1 };
      if (!inner) continue;
      const moved = {
        x: (inner.x - x) / scale,
        y: (inner.y - y) / scale,
        width: inner.width / scale,
        height: inner.height / scale,
      };
      out.push({
        ...i,
        items: await madeItems(i.items, finer * scale, moved, from && [from[0] + x * finer, from[1] + y * finer]),
      });
    } else if (i.kind !== 'made') out.push(i);
    else {
      const box = common(i, within);
      // Parts begin at whole pixels of the picture, so that nothing is blurred where they are laid.
      for (const part of box ? partsOf(from ? box : whole(i, box), finer, from ?? undefined) : [])
        out.push({ kind: 'image', ...part, image: await i.make(part, finer) });
    }
  }
  return out;
}

/** What is only partly wanted now is made whole where it will be wanted again. */
const whole = (i: Rect, box: Rect): Rect => (i.width * i.height < 4 * box.width * box.height ? i : box);

/** What two boxes share; null where that is nothing. */
function common(a: Rect, b: Rect): Rect | null {
  const [x, y] = [Math.max(a.x, b.x), Math.max(a.y, b.y)];
  const width = Math.min(a.x + a.width, b.x + b.width) - x;
  const height = Math.min(a.y + a.height, b.y + b.height) - y;
  return width > 0 && height > 0 ? { x, y, width, height } : null;
}

/** A box in parts of whole pixels of a picture. @param from where its list begins in the picture, pixels of that */
export function partsOf(box: Rect, finer: number, [fx, fy]: readonly [number, number] = [0, 0], side = PART): Rect[] {
  const [x0, y0] = [Math.floor(fx + box.x * finer + 1e-6), Math.floor(fy + box.y * finer + 1e-6)];
  const x1 = Math.ceil(fx + (box.x + box.width) * finer - 1e-6);
  const y1 = Math.ceil(fy + (box.y + box.height) * finer - 1e-6);
  const out: Rect[] = [];
  for (let y = y0; y < y1; y += side)
    for (let x = x0; x < x1; x += side)
      out.push({
        x: (x - fx) / finer,
        y: (y - fy) / finer,
        width: Math.min(side, x1 - x) / finer,
        height: Math.min(side, y1 - y) / finer,
      });
  return out;
}

/** Draws a list at a multiple of its size; of what is still to be made nothing is drawn. */
export function paint(list: DisplayList, times: number): HTMLCanvasElement {
  const canvas = document.createElement('canvas');
  canvas.width = Math.round(list.width * times);
  canvas.height = Math.round(list.height * times);
  const g = canvas.getContext('2d')!;
  g.scale(times, times);
  drawItems(g, list.items);
  return canvas;
}

/** A part of a list as a picture; what is to be made in it has been made. @param window whole pixels of the picture */
export function paintWindow(list: DisplayList, times: number, window: Rect): HTMLCanvasElement {
  const canvas = document.createElement('canvas');
  canvas.width = Math.round(window.width * times);
  canvas.height = Math.round(window.height * times);
  const g = canvas.getContext('2d')!;
  g.setTransform(times, 0, 0, times, -Math.round(window.x * times), -Math.round(window.y * times));
  drawItems(g, list.items);
  return canvas;
}

/** A list as a picture, with everything that is to be made first. */
export async function painted(list: DisplayList, times: number): Promise<HTMLCanvasElement> {
  await lettersReady(list);
  return paint(await made(list, times), times);
}

function finish(g: CanvasRenderingContext2D, i: Stroked): void {
  if (i.fill) {
    g.fillStyle = i.fill;
    g.fill('evenodd');
  }
  if (i.stroke) {
    g.strokeStyle = i.stroke;
    g.lineWidth = i.line ?? 1;
    g.setLineDash(i.dash ?? []);
    g.stroke();
  }
}

/** Draws items where a context stands. */
export function drawItems(g: CanvasRenderingContext2D, items: readonly DisplayItem[]): void {
  g.lineJoin = 'round';
  for (const i of items) {
    g.beginPath();
    switch (i.kind) {
      case 'box':
        g.rect(i.x, i.y, i.width, i.height);
        finish(g, i);
        break;
      case 'disc':
        g.arc(i.x, i.y, i.radius, 0, 2 * Math.PI);
        finish(g, i);
        break;
      case 'path':
      case 'shape':
        for (const ring of i.kind === 'path' ? [i.points] : i.rings) {
          ring.forEach(([x, y], k) => (k ? g.lineTo(x, y) : g.moveTo(x, y)));
          if (i.closed) g.closePath();
        }
        g.lineCap = i.kind === 'shape' ? 'round' : 'butt';
        finish(g, i);
        break;
      case 'ramp': {
        const blend = g.createLinearGradient(i.x, 0, i.x + i.width, 0);
        for (const [at, colour] of stopsOf(i.colours, i.stepped)) blend.addColorStop(at, colour);
        g.fillStyle = blend;
        g.fillRect(i.x, i.y, i.width, i.height);
        break;
      }
      case 'text':
        g.save();
        g.translate(i.x, i.y);
        if (i.turn) g.rotate((i.turn * Math.PI) / 180);
        g.font = fontOf(i);
        g.textAlign = i.anchor === 'middle' ? 'center' : i.anchor === 'end' ? 'right' : 'left';
        if (i.halo) {
          g.strokeStyle = i.halo.colour;
          g.lineWidth = i.halo.width;
          g.setLineDash([]);
          g.strokeText(i.text, 0, 0);
        }
        g.fillStyle = i.fill;
        g.fillText(i.text, 0, 0);
        g.restore();
        break;
      case 'image':
        g.drawImage(i.image, i.x, i.y, i.width, i.height);
        break;
      case 'group':
        drawGroup(g, i);
        break;
      case 'made':
    }
  }
}

function drawGroup(g: CanvasRenderingContext2D, i: Extract<DisplayItem, { kind: 'group' }>): void {
  g.save();
  if (i.clip) {
    g.rect(i.clip.x, i.clip.y, i.clip.width, i.clip.height);
    g.clip();
  }
  if (i.move) {
    g.translate(i.move.x, i.move.y);
    g.scale(i.move.scale, i.move.scale);
  }
  if (i.alpha === undefined || i.alpha >= 1) drawItems(g, i.items);
  else {
    // Seen through as one: drawn by itself first, so that what overlaps in it does not show through.
    const layer = document.createElement('canvas');
    layer.width = g.canvas.width;
    layer.height = g.canvas.height;
    const h = layer.getContext('2d')!;
    h.setTransform(g.getTransform());
    drawItems(h, i.items);
    g.globalAlpha *= i.alpha;
    g.setTransform(1, 0, 0, 1, 0, 0);
    g.drawImage(layer, 0, 0);
  }
  g.restore();
}
