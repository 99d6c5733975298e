import { crc32 } from './crc';

/** Rows of a picture from the top, as they come: red, green and blue, a byte each. */
export type Strips = AsyncIterable<Uint8Array<ArrayBuffer>>;

export interface PictureHead {
  width: number;
  height: number;
  dpi: number;
}

const metres = (dpi: number): number => Math.round(dpi / 0.0254);

function chunk(type: string, body: Uint8Array<ArrayBuffer>): Uint8Array<ArrayBuffer>[] {
  const name = Uint8Array.from(type, (c) => c.charCodeAt(0));
  const [head, tail] = [new Uint8Array(8), new Uint8Array(4)];
  new DataView(head.buffer).setUint32(0, body.length);
  head.set(name, 4);
  new DataView(tail.buffer).setUint32(0, crc32(name, body));
  return [head, body, tail];
}

/** Each row as what it differs by from the pixel to its left, which packs flat colours and slow changes alike. */
function rowsFiltered(rgb: Uint8Array, width: number): Uint8Array<ArrayBuffer> {
  const row = 3 * width;
  const rows = rgb.length / row;
  const out = new Uint8Array(rows * (row + 1));
  for (let y = 0; y < rows; y++) {
    const [from, to] = [y * row, y * (row + 1) + 1];
    out[to - 1] = 1;
    for (let x = 0; x < row; x++) out[to + x] = rgb[from + x]! - (x < 3 ? 0 : rgb[from + x - 3]!);
  }
  return out;
}

/** A PNG file (W3C PNG) of rows as they come, with its resolution; never more of it unpacked than one strip. */
export async function pngOf(strips: Strips, { width, height, dpi }: PictureHead): Promise<Blob> {
  const head = new Uint8Array(13);
  const h = new DataView(head.buffer);
  h.setUint32(0, width);
  h.setUint32(4, height);
  head.set([8, 2, 0, 0, 0], 8);
  const phys = new Uint8Array(9);
  const p = new DataView(phys.buffer);
  p.setUint32(0, metres(dpi));
  p.setUint32(4, metres(dpi));
  phys[8] = 1;
  const parts: BlobPart[] = [
    Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a),
    ...chunk('IHDR', head),
    ...chunk('pHYs', phys),
  ];
  const packed = new CompressionStream('deflate');
  const writer = packed.writable.getWriter();
  const feeding = (async () => {
    try {
      for await (const rgb of strips) await writer.write(rowsFiltered(rgb, width));
      await writer.close();
    } catch (e) {
      await writer.abort(e).catch(() => undefined);
      throw e;
    }
  })();
  feeding.catch(() => undefined);
  const reader = packed.readable.getReader();
  try {
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      parts.push(...chunk('IDAT', value));
    }
  } catch (e) {
    await feeding;
    throw e;
  }
  await feeding;
  return new Blob([...parts, ...chunk('IEND', new Uint8Array(0))], { type: 'image/png' });
}

/** What says where a picture lies: its coordinates at the middle of its first pixel, and steps along its rows and columns. */
export interface Placed {
  /** x = a·column + b·row + c, y = d·column + e·row + f, of corners of pixels. */
  a: number;
  b: number;
  c: number;
  d: number;
  e: number;
  f: number;
  /** EPSG code, where there is one, and whether it is of longitude and latitude. */
  code: number | null;
  geographic: boolean;
}

/** The six lines of a world file: of middles of pixels. */
export const worldFile = ({ a, b, c, d, e, f }: Placed): string =>
  [a, d, b, e, c + (a + b) / 2, f + (d + e) / 2].map((v) => v.toPrecision(15)).join('\n') + '\n';

type Tag = [id: number, type: 3 | 4 | 2 | 5 | 12, values: readonly number[] | string];
const SIZE = { 2: 1, 3: 2, 4: 4, 5: 8, 12: 8 };

/**
 * A TIFF file (TIFF 6.0) of rows as they come: strips packed by deflate, its resolution, and where it lies (GeoTIFF 1.1, OGC 19-008r4)
 * where that is wanted. Never more of it unpacked than one strip.
 */
export async function tiffOf(strips: Strips, { width, height, dpi }: PictureHead, place: Placed | null): Promise<Blob> {
  const packed: Uint8Array<ArrayBuffer>[] = [];
  let rows = 0;
  for await (const rgb of strips) {
    rows ||= rgb.length / (3 * width);
    const differences = new Uint8Array(rgb.length);
    for (let y = 0; y < rgb.length; y += 3 * width)
      for (let x = 0; x < 3 * width; x++) differences[y + x] = rgb[y + x]! - (x < 3 ? 0 : rgb[y + x - 3]!);
    const stream = new Blob([differences]).stream().pipeThrough(new CompressionStream('deflate'));
    packed.push(new Uint8Array(await new Response(stream).arrayBuffer()));
  }
  const offsets: number[] = [];
  let at = 8;
  for (const p of packed) {
    offsets.push(at);
    at += p.length + (p.length & 1);
  }
  const geo = place ? geoTags(place) : [];
  const tags: Tag[] = [
    [256, 4, [width]],
    [257, 4, [height]],
    [258, 3, [8, 8, 8]],
    [259, 3, [8]],
    [262, 3, [2]],
    [273, 4, offsets],
    [277, 3, [3]],
    [278, 4, [rows]],
    [279, 4, packed.map((p) => p.length)],
    [282, 5, [Math.round(dpi * 1000), 1000]],
    [283, 5, [Math.round(dpi * 1000), 1000]],
    [284, 3, [1]],
    [296, 3, [2]],
    [305, 2, 'Helk\0'],
    [317, 3, [2]],
    ...geo,
  ];
  const { directory, more } = written(tags, at);
  const head = new Uint8Array(8);
  const h = new DataView(head.buffer);
  head.set([0x49, 0x49, 42, 0]);
  h.setUint32(4, at, true);
  const padded = packed.flatMap((p) => (p.length & 1 ? [p, new Uint8Array(1)] : [p]));
  return new Blob([head, ...padded, directory, more], { type: 'image/tiff' });
}

function geoTags({ a, b, c, d, e, f, code, geographic }: Placed): Tag[] {
  const keys = [1, 1, 0, 2, 1024, 0, 1, geographic ? 2 : 1, 1025, 0, 1, 1];
  if (code !== null) {
    keys[3] = 3;
    keys.push(geographic ? 2048 : 3072, 0, 1, code);
  }
  return [
    [34264, 12, [a, b, 0, c, d, e, 0, f, 0, 0, 0, 0, 0, 0, 0, 1]],
    [34735, 3, keys],
  ];
}

/** A directory of tags that begins at a place, and what does not fit into it. */
function written(
  tags: readonly Tag[],
  at: number,
): { directory: Uint8Array<ArrayBuffer>; more: Uint8Array<ArrayBuffer> } {
  const directory = new Uint8Array(2 + 12 * tags.length + 4);
  const d = new DataView(directory.buffer);
  d.setUint16(0, tags.length, true);
  const bodies: Uint8Array[] = [];
  let end = at + directory.length;
  tags.forEach(([id, type, values], i) => {
    const n = type === 5 ? values.length / 2 : values.length;
    const body = new Uint8Array(Math.max(4, n * SIZE[type]));
    const v = new DataView(body.buffer);
    if (typeof values === 'string') body.set(Uint8Array.from(values, (x) => x.charCodeAt(0)));
    else
      values.forEach((x, k) => {
        if (type === 3) v.setUint16(2 * k, x, true);
        else if (type === 12) v.setFloat64(8 * k, x, true);
        else v.setUint32(4 * k, x, true);
      });
    const o = 2 + 12 * i;
    d.setUint16(o, id, true);
    d.setUint16(o + 2, type, true);
    d.setUint32(o + 4, n, true);
    if (n * SIZE[type] <= 4) directory.set(body.subarray(0, 4), o + 8);
    else {
      d.setUint32(o + 8, end, true);
      bodies.push(body);
      end += body.length + (body.length & 1);
    }
  });
  const more = new Uint8Array(end - at - directory.length);
  let k = 0;
  for (const b of bodies) {
    more.set(b, k);
    k += b.length + (b.length & 1);
  }
  return { directory, more };
}
