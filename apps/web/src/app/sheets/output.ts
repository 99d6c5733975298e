import { frameMap } from '@helk/core/sheet/ground';
import type { Frame } from '@helk/core/sheet/shape';
import type { DisplayItem, DisplayList, Rect } from '../draw/display';
import { inGrey, type Greys } from '../draw/grey';
import { made, paintWindow, partsOf } from '../draw/paint';
import { pngOf, tiffOf, worldFile, type Placed, type Strips } from '../draw/strips';
import { toSvg } from '../draw/svg';
import { MM } from './paper';

export const FORMATS = ['pdf', 'svg', 'png', 'jpeg', 'tiff'] as const;
export type SheetFormat = (typeof FORMATS)[number];

export interface OutputWish {
  format: SheetFormat;
  /** Of pictures, and of what of a document is one. */
  dpi: number;
  grey: boolean;
  /** In grey: greys that colours of classes have, so that they are told apart. */
  greys?: Greys;
  /** Where the map lies: within the file (TIFF), or in one beside it. */
  place: 'none' | 'tags' | 'world';
}

/** Pixels of a picture that is packed as it is made, and of one that has to be whole in memory before. */
const MOST = { strips: 500e6, whole: 130e6 };
/** Side of the largest canvas. */
const WIDEST = 16_000;
/** Pixels of a strip. */
const STRIP = 8e6;

export class Stopped extends Error {}

/** Width and height of a page in pixels. */
export const pixelsOf = (list: Pick<DisplayList, 'width' | 'height'>, dpi: number): [number, number] => [
  Math.round((list.width * dpi) / 96),
  Math.round((list.height * dpi) / 96),
];

/** Pixels of what is to be made of a list, so many times finer. */
function madePixels(items: readonly DisplayItem[], finer: number): number {
  let n = 0;
  for (const i of items)
    if (i.kind === 'group') n += madePixels(i.items, finer * (i.move?.scale ?? 1));
    else if (i.kind === 'made') n += i.width * i.height * finer * finer;
  return n;
}

const millions = (n: number): string => `${(n / 1e6).toFixed(n < 1e7 ? 1 : 0)} million`;

/** Why a list cannot be made as it is wished, with both figures and what to do; null where it can. */
export function refusal(list: DisplayList, { format, dpi }: OutputWish): string | null {
  const finer = dpi / 96;
  const [w, h] = pixelsOf(list, dpi);
  const size = `${w} × ${h} pixels at ${dpi} dpi`;
  if (format === 'pdf' || format === 'svg') {
    const n = madePixels(list.items, finer);
    const most = format === 'pdf' ? MOST.strips : MOST.whole / 2;
    return n > most
      ? `The maps of this sheet would have ${millions(n)} pixels at ${dpi} dpi; a ${format.toUpperCase()} file takes up to ${millions(most)}. ${lower(dpi, n, most)}`
      : null;
  }
  const most = format === 'jpeg' ? MOST.whole : MOST.strips;
  if (w * h > most)
    return `This sheet has ${size}, ${millions(w * h)}; up to ${millions(most)} can be written as ${format.toUpperCase()}. ${lower(dpi, w * h, most)}${format === 'jpeg' ? ' TIFF and PNG take more.' : ''}`;
  if (w > WIDEST || (format === 'jpeg' && h > WIDEST))
    return `This sheet has ${size}; pictures may be up to ${WIDEST} wide. ${lower(dpi, Math.max(w, h) ** 2, WIDEST ** 2)}`;
  return null;
}

const lower = (dpi: number, n: number, most: number): string =>
  `${Math.floor((dpi * Math.sqrt(most / n)) / 10) * 10} dpi would do.`;

/** About how many bytes a file will have, from what such files have had. */
export function estimate(list: DisplayList, { format, dpi }: OutputWish): number {
  const finer = dpi / 96;
  const [w, h] = pixelsOf(list, dpi);
  const maps = madePixels(list.items, finer);
  const lines = count(list.items);
  if (format === 'pdf') return 90_000 + 0.9 * maps + 12 * lines;
  if (format === 'svg') return 20_000 + 2 * maps + 16 * lines;
  return (format === 'jpeg' ? 0.25 : 0.5) * w * h;
}

function count(items: readonly DisplayItem[]): number {
  let n = 0;
  for (const i of items)
    if (i.kind === 'group') n += count(i.items);
    else n += i.kind === 'shape' ? i.rings.reduce((s, r) => s + r.length, 0) : 4;
  return n;
}

/** Where a page lies on the ground by one of its frames, as a picture of some resolution. */
export function placeOf(frame: Frame, dpi: number): Placed {
  const m = frameMap(frame);
  // Millimetres to a pixel.
  const k = 25.4 / dpi;
  const [c, f] = m.toGround(0, 0);
  const [x1, y1] = m.toGround(k, 0);
  const [x2, y2] = m.toGround(0, k);
  const code = /^EPSG:(\d+)$/.exec(frame.crs.code ?? '')?.[1];
  return {
    a: x1 - c,
    b: x2 - c,
    c,
    d: y1 - f,
    e: y2 - f,
    f,
    code: code ? Number(code) : null,
    geographic: frame.crs.geographic,
  };
}

export interface Told {
  /** Share of the work that is done. */
  progress: (share: number) => void;
  stopped: () => boolean;
}

/** A list whose parts are counted as they are made, and that stops when it is told to. */
function counted(list: DisplayList, finer: number, told: Told): DisplayList {
  let total = 0;
  let done = 0;
  const one = (i: DisplayItem, f: number): DisplayItem => {
    if (i.kind === 'group') return { ...i, items: i.items.map((x) => one(x, f * (i.move?.scale ?? 1))) };
    if (i.kind !== 'made') return i;
    total += partsOf(i, f).length;
    return {
      ...i,
      make: async (part, fine) => {
        if (told.stopped()) throw new Stopped('stopped');
        const c = await i.make(part, fine);
        told.progress(Math.min(0.98, ++done / Math.max(1, total)));
        return c;
      },
    };
  };
  return { ...list, items: list.items.map((i) => one(i, finer)) };
}

/** A page in strips of rows, from the top. */
async function* stripsOf(list: DisplayList, dpi: number, told: Told): Strips {
  const finer = dpi / 96;
  const [width, height] = pixelsOf(list, dpi);
  const rows = Math.max(16, Math.floor(STRIP / width / 16) * 16);
  for (let y = 0; y < height; y += rows) {
    if (told.stopped()) throw new Stopped('stopped');
    const n = Math.min(rows, height - y);
    const window: Rect = { x: 0, y: y / finer, width: width / finer, height: n / finer };
    const canvas = paintWindow(await made(list, finer, { window }), finer, window);
    const { data } = canvas.getContext('2d')!.getImageData(0, 0, width, n);
    const rgb = new Uint8Array(3 * width * n);
    for (let i = 0, o = 0; i < data.length; i += 4, o += 3) {
      rgb[o] = data[i]!;
      rgb[o + 1] = data[i + 1]!;
      rgb[o + 2] = data[i + 2]!;
    }
    yield rgb;
    told.progress(Math.min(0.99, (y + n) / height));
  }
}

/** Sheets one after the other as one document. */
export async function documentOf(
  pages: AsyncIterable<DisplayList>,
  wish: OutputWish,
  o: { title: string; count: number } & Told,
): Promise<Blob> {
  const { toPdf } = await import('../draw/pdf');
  const finer = wish.dpi / 96;
  const stops = { progress: () => undefined, stopped: o.stopped };
  async function* ready(): AsyncGenerator<DisplayList> {
    for await (const p of pages) {
      const why = refusal(p, wish);
      if (why) throw new Error(why);
      yield counted(wish.grey ? inGrey(p, wish.greys) : p, finer, stops);
    }
  }
  const progress = (page: number): void => o.progress(page / o.count);
  return new Blob([await toPdf(ready(), { title: o.title, finer, progress })], { type: mime.pdf });
}

const mime = { pdf: 'application/pdf', svg: 'image/svg+xml', jpeg: 'image/jpeg' };

/**
 * Pages as a file; formats other than PDF take one page.
 *
 * @param frame by which the page is placed on the ground, where that is wished
 * @throws Error in a sentence where it is too large; `Stopped` when it was stopped
 */
export async function fileOf(
  page: DisplayList,
  wish: OutputWish,
  o: { title: string; frame: Frame | null } & Told,
): Promise<{ blob: Blob; world: string | null }> {
  const why = refusal(page, wish);
  if (why) throw new Error(why);
  const finer = wish.dpi / 96;
  // Strips tell how far they are themselves.
  const told = wish.format === 'png' || wish.format === 'tiff' ? { ...o, progress: () => undefined } : o;
  const list = counted(wish.grey ? inGrey(page, wish.greys) : page, finer, told);
  const place = o.frame && wish.place !== 'none' ? placeOf(o.frame, wish.dpi) : null;
  const world = place && wish.place === 'world' ? worldFile(place) : null;
  const [width, height] = pixelsOf(page, wish.dpi);
  const head = { width, height, dpi: wish.dpi };
  switch (wish.format) {
    case 'pdf': {
      const { toPdf } = await import('../draw/pdf');
      return { blob: new Blob([await toPdf(list, { title: o.title, finer })], { type: mime.pdf }), world };
    }
    case 'svg':
      return {
        blob: new Blob([toSvg(await made(list, finer), { title: o.title, paper: true })], { type: mime.svg }),
        world,
      };
    case 'png':
      return { blob: await pngOf(stripsOf(list, wish.dpi, o), head), world };
    case 'tiff':
      return {
        blob: await tiffOf(stripsOf(list, wish.dpi, o), head, wish.place === 'tags' ? place : null),
        world,
      };
    case 'jpeg': {
      const window = { x: 0, y: 0, width: width / finer, height: height / finer };
      const canvas = paintWindow(await made(list, finer), finer, window);
      const blob = await new Promise<Blob | null>((done) => canvas.toBlob(done, mime.jpeg, 0.92));
      if (!blob) throw new Error('The picture could not be made.');
      return { blob: await withDensity(blob, wish.dpi), world };
    }
  }
}

/** A JPEG file with its resolution in the JFIF header (ITU-T T.871). */
async function withDensity(blob: Blob, dpi: number): Promise<Blob> {
  const bytes = new Uint8Array(await blob.arrayBuffer());
  if (bytes[2] === 0xff && bytes[3] === 0xe0) {
    const v = new DataView(bytes.buffer);
    bytes[13] = 1;
    v.setUint16(14, dpi);
    v.setUint16(16, dpi);
  }
  return new Blob([bytes], { type: mime.jpeg });
}

/** Pixels of a list to one of the screen at a zoom. */
export const finerAt = (zoom: number, ratio: number): number => (zoom * ratio) / MM;
