import { FACES, stopsOf, type DisplayItem, type DisplayList, type Point, type Stroked, type Unmade } from './drawn';
import { escaped } from './escaped';

const round = (v: number): number => Math.round(v * 100) / 100;

function look(i: Stroked & { kind: string }): string {
  const dash = i.stroke && i.dash?.length ? ` stroke-dasharray="${i.dash.join(' ')}"` : '';
  const ends = i.kind === 'shape' ? ' stroke-linecap="round"' : '';
  const stroke = i.stroke
    ? ` stroke="${escaped(i.stroke)}" stroke-width="${round(i.line ?? 1)}" stroke-linejoin="round"${ends}${dash}`
    : '';
  return `fill="${i.fill ? escaped(i.fill) : 'none'}"${i.fill && i.kind === 'shape' ? ' fill-rule="evenodd"' : ''}${stroke}`;
}
const at = (i: { x: number; y: number; width: number; height: number }): string =>
  `x="${round(i.x)}" y="${round(i.y)}" width="${round(i.width)}" height="${round(i.height)}"`;
const line = (points: readonly Point[], closed: boolean | undefined): string =>
  `M${points.map((p) => p.map(round).join(' ')).join('L')}${closed ? 'Z' : ''}`;

/**
 * A drawing as SVG 1.1; images lie within it. Nothing that is still to be made is in it.
 *
 * @param href address of an image, as of `data:`
 * @param title what it shows, for those who hear it
 * @param paper its size on paper is said in millimetres
 * @param marks what its parts are called by begins with this, where several stand in one document
 */
export function svgOf<I, M extends Unmade>(
  list: DisplayList<I, M>,
  o: { href: (image: I) => string; title?: string; paper?: boolean; marks?: string },
): string {
  const marks = o.marks ?? '';
  const defs: string[] = [];
  const write = (items: readonly DisplayItem<I, M>[]): string => items.map(one).join('\n');
  const one = (i: DisplayItem<I, M>): string => {
    switch (i.kind) {
      case 'box':
        return `<rect ${at(i)} ${look(i)}/>`;
      case 'disc':
        return `<circle cx="${round(i.x)}" cy="${round(i.y)}" r="${round(i.radius)}" ${look(i)}/>`;
      case 'path':
        return `<path d="${line(i.points, i.closed)}" ${look(i)}/>`;
      case 'shape':
        return `<path d="${i.rings.map((r) => line(r, i.closed)).join('')}" ${look(i)}/>`;
      case 'ramp': {
        const id = `${marks}r${defs.length}`;
        const stops = stopsOf(i.colours, i.stepped).map(
          ([t, c]) => `<stop offset="${round(t * 100)}%" stop-color="${escaped(c)}"/>`,
        );
        defs.push(`<linearGradient id="${id}">${stops.join('')}</linearGradient>`);
        return `<rect ${at(i)} fill="url(#${id})"/>`;
      }
      case 'text': {
        const [x, y] = [round(i.x), round(i.y)];
        const turn = i.turn ? ` transform="rotate(${round(i.turn)} ${x} ${y})"` : '';
        const halo = i.halo
          ? ` stroke="${escaped(i.halo.colour)}" stroke-width="${i.halo.width}" stroke-linejoin="round" paint-order="stroke"`
          : '';
        const slant = i.face === 'voice' ? ' font-style="italic"' : '';
        return `<text x="${x}" y="${y}" font-family="${escaped(FACES[i.face ?? 'sans'])}" font-size="${round(i.size)}" font-weight="${i.weight ?? 450}"${slant} fill="${escaped(i.fill)}"${halo} text-anchor="${i.anchor ?? 'start'}"${turn} xml:space="preserve">${escaped(i.text)}</text>`;
      }
      case 'image':
        return `<image ${at(i)} preserveAspectRatio="none" href="${o.href(i.image)}"/>`;
      case 'group': {
        let clip = '';
        if (i.clip) {
          const id = `${marks}c${defs.length}`;
          defs.push(`<clipPath id="${id}"><rect ${at(i.clip)}/></clipPath>`);
          clip = ` clip-path="url(#${id})"`;
        }
        const alpha = i.alpha !== undefined && i.alpha < 1 ? ` opacity="${round(i.alpha)}"` : '';
        const { x, y, scale } = i.move ?? { x: 0, y: 0, scale: 1 };
        const inner = i.move
          ? `<g transform="translate(${round(x)} ${round(y)}) scale(${Number(scale.toPrecision(6))})">${write(i.items)}</g>`
          : write(i.items);
        return `<g${clip}${alpha}>${inner}</g>`;
      }
      case 'made':
        return '';
    }
  };
  const body = write(list.items);
  const { width, height } = list;
  const mm = (px: number): string => `${round((px / 96) * 25.4)}mm`;
  const size = o.paper ? `width="${mm(width)}" height="${mm(height)}"` : `width="${width}" height="${height}"`;
  const title = o.title ? `<title>${escaped(o.title)}</title>` : '';
  const told = o.title ? ` role="img" aria-label="${escaped(o.title)}"` : '';
  return `<svg xmlns="http://www.w3.org/2000/svg"${told} ${size} viewBox="0 0 ${round(width)} ${round(height)}">${title}<defs>${defs.join('')}</defs>${body}</svg>\n`;
}
