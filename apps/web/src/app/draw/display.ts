/**
 * A drawing as a list of simple things, from back to front, in pixels of the screen: what pictures in every format are made of, so that
 * what one shows the others show too.
 */
export interface DisplayList {
  width: number;
  height: number;
  items: DisplayItem[];
}

export type DisplayItem =
  | { kind: 'box'; x: number; y: number; width: number; height: number; fill?: string; stroke?: string; line?: number }
  | { kind: 'path'; points: [number, number][]; closed?: boolean; fill?: string; stroke?: string; line?: number }
  | { kind: 'disc'; x: number; y: number; radius: number; fill?: string; stroke?: string; line?: number }
  | { kind: 'ramp'; x: number; y: number; width: number; height: number; colours: string[]; stepped: boolean }
  | {
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
    }
  | { kind: 'image'; x: number; y: number; width: number; height: number; image: HTMLCanvasElement };

export type Face = 'sans' | 'mono';

const FACES: Record<Face, string> = {
  sans: '"Instrument Sans Variable", "Instrument Sans", sans-serif',
  mono: '"IBM Plex Mono", monospace',
};

const fontOf = (t: { size: number; face?: Face; weight?: number }): string =>
  `${t.weight ?? 450} ${t.size}px ${FACES[t.face ?? 'sans']}`;

let ruler: CanvasRenderingContext2D | null = null;

/** Width of a text, pixels. */
export function widthOf(text: string, t: { size: number; face?: Face; weight?: number }): number {
  ruler ??= document.createElement('canvas').getContext('2d')!;
  ruler.font = fontOf(t);
  return ruler.measureText(text).width;
}

/** A text that is cut with an ellipsis where it is wider than it may be. */
export function fitted(text: string, room: number, t: { size: number; face?: Face; weight?: number }): string {
  if (widthOf(text, t) <= room) return text;
  let [low, high] = [0, text.length];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (widthOf(`${text.slice(0, middle).trimEnd()}…`, t) <= room) low = middle;
    else high = middle - 1;
  }
  return `${text.slice(0, low).trimEnd()}…`;
}

/** Draws a list at a multiple of its size. */
export function paint(list: DisplayList, times: number): HTMLCanvasElement {
  const canvas = document.createElement('canvas');
  canvas.width = Math.round(list.width * times);
  canvas.height = Math.round(list.height * times);
  const g = canvas.getContext('2d')!;
  g.scale(times, times);
  const finish = (i: { fill?: string; stroke?: string; line?: number }): void => {
    if (i.fill) {
      g.fillStyle = i.fill;
      g.fill();
    }
    if (i.stroke) {
      g.strokeStyle = i.stroke;
      g.lineWidth = i.line ?? 1;
      g.stroke();
    }
  };
  for (const i of list.items) {
    g.beginPath();
    switch (i.kind) {
      case 'box':
        g.rect(i.x, i.y, i.width, i.height);
        finish(i);
        break;
      case 'disc':
        g.arc(i.x, i.y, i.radius, 0, 2 * Math.PI);
        finish(i);
        break;
      case 'path':
        i.points.forEach(([x, y], k) => (k ? g.lineTo(x, y) : g.moveTo(x, y)));
        if (i.closed) g.closePath();
        finish(i);
        break;
      case 'ramp': {
        const blend = g.createLinearGradient(i.x, 0, i.x + i.width, 0);
        for (const [at, colour] of stopsOf(i.colours, i.stepped)) blend.addColorStop(at, colour);
        g.fillStyle = blend;
        g.fillRect(i.x, i.y, i.width, i.height);
        break;
      }
      case 'text':
        g.font = fontOf(i);
        g.fillStyle = i.fill;
        g.textAlign = i.anchor === 'middle' ? 'center' : (i.anchor ?? 'start');
        g.fillText(i.text, i.x, i.y);
        break;
      case 'image':
        g.drawImage(i.image, i.x, i.y, i.width, i.height);
    }
  }
  return canvas;
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

const escaped = (text: string): string =>
  text.replace(/[&<>"']/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' })[c]!);
const round = (v: number): number => Math.round(v * 100) / 100;

/** The same as SVG 1.1; images lie within it. */
export function toSvg(list: DisplayList): string {
  const defs: string[] = [];
  const look = (i: { fill?: string; stroke?: string; line?: number }): string =>
    `fill="${i.fill ?? 'none'}"${i.stroke ? ` stroke="${i.stroke}" stroke-width="${i.line ?? 1}"` : ''}`;
  const at = (i: { x: number; y: number; width: number; height: number }): string =>
    `x="${round(i.x)}" y="${round(i.y)}" width="${round(i.width)}" height="${round(i.height)}"`;
  const body = list.items.map((i) => {
    switch (i.kind) {
      case 'box':
        return `<rect ${at(i)} ${look(i)}/>`;
      case 'disc':
        return `<circle cx="${round(i.x)}" cy="${round(i.y)}" r="${round(i.radius)}" ${look(i)}/>`;
      case 'path':
        return `<path d="M${i.points.map((p) => p.map(round).join(' ')).join('L')}${i.closed ? 'Z' : ''}" ${look(i)}/>`;
      case 'ramp': {
        const id = `r${defs.length}`;
        const stops = stopsOf(i.colours, i.stepped).map(
          ([t, c]) => `<stop offset="${round(t * 100)}%" stop-color="${c}"/>`,
        );
        defs.push(`<linearGradient id="${id}">${stops.join('')}</linearGradient>`);
        return `<rect ${at(i)} fill="url(#${id})"/>`;
      }
      case 'text':
        return `<text x="${round(i.x)}" y="${round(i.y)}" font-family="${escaped(FACES[i.face ?? 'sans'])}" font-size="${i.size}" font-weight="${i.weight ?? 450}" fill="${i.fill}" text-anchor="${i.anchor ?? 'start'}">${escaped(i.text)}</text>`;
      case 'image':
        return `<image ${at(i)} preserveAspectRatio="none" href="${i.image.toDataURL('image/png')}"/>`;
    }
  });
  const { width, height } = list;
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}"><defs>${defs.join('')}</defs>${body.join('\n')}</svg>\n`;
}
