import { addDecoder, BaseDecoder } from 'geotiff';
import { HelkError } from '../errors';
import { codec } from './codec';
import { lzwDecode } from './lzw';

/** What a decoder is told of the blocks of an image. */
export interface Block {
  tileWidth: number;
  tileHeight: number;
  predictor: number;
  planarConfiguration: number;
  bitsPerSample: number[];
}

interface Directory {
  hasTag(name: string): boolean;
  loadValue(name: string): Promise<unknown>;
}

const list = (v: unknown): number[] =>
  typeof v === 'number' ? [v] : v && typeof v === 'object' ? Array.from(v as ArrayLike<number>, Number) : [1];

/** Of a strip at most the rows that the image has: a file may promise four thousand million. */
export async function blockOf(dir: Directory): Promise<Block> {
  const tiled = !dir.hasTag('StripOffsets');
  const number = async (tag: string, otherwise: number): Promise<number> =>
    Number((await dir.loadValue(tag)) ?? otherwise) || otherwise;
  const rows = await number('ImageLength', 1);
  return {
    tileWidth: await number(tiled ? 'TileWidth' : 'ImageWidth', 1),
    tileHeight: tiled ? await number('TileLength', 1) : Math.min(rows, await number('RowsPerStrip', rows)),
    predictor: await number('Predictor', 1),
    planarConfiguration: await number('PlanarConfiguration', 1),
    bitsPerSample: list(await dir.loadValue('BitsPerSample')),
  };
}

/** Bytes that the cells of a block take. */
export function blockBytes({ tileWidth, tileHeight, planarConfiguration, bitsPerSample }: Block): number {
  const bits = planarConfiguration === 2 ? Math.max(...bitsPerSample) : bitsPerSample.reduce((a, b) => a + b, 0);
  return Math.ceil((tileWidth * bits) / 8) * tileHeight;
}

/** Some programs pad what they pack; nothing has twice as many bytes as there are cells for. */
const mostOf = (b: Block): number => 2 * blockBytes(b) + 2 ** 16;

/** An ArrayBuffer of just these bytes; a Buffer's own `slice` would share its pool. */
export const standalone = (u: Uint8Array): ArrayBuffer =>
  (u.byteLength === u.buffer.byteLength
    ? u.buffer
    : u.buffer.slice(u.byteOffset, u.byteOffset + u.byteLength)) as ArrayBuffer;

class Bounded extends BaseDecoder {
  protected get block(): Block {
    return (this as unknown as { parameters: Block }).parameters;
  }
}

class Deflate extends Bounded {
  override decodeBlock(buffer: ArrayBufferLike): ArrayBufferLike {
    return standalone(codec().inflate(new Uint8Array(buffer), mostOf(this.block)));
  }
}

class Lzw extends Bounded {
  override decodeBlock(buffer: ArrayBufferLike): ArrayBufferLike {
    return standalone(lzwDecode(new Uint8Array(buffer), blockBytes(this.block), mostOf(this.block)));
  }
}

class PackBits extends Bounded {
  override decodeBlock(buffer: ArrayBufferLike): ArrayBufferLike {
    return standalone(packBitsDecode(new Uint8Array(buffer), blockBytes(this.block)));
  }
}

/**
 * PackBits (TIFF 6.0, section 9) of a block of `size` bytes; what comes behind them is not looked at. O(size).
 *
 * @throws HelkError `file.damaged` when the bytes end before the block is full
 */
export function packBitsDecode(input: Uint8Array, size: number): Uint8Array {
  const out = new Uint8Array(size);
  let at = 0;
  for (let i = 0; at < size;) {
    if (i >= input.length) throw new HelkError('file.damaged', 'A PackBits block ends early.');
    const head = (input[i++]! << 24) >> 24;
    if (head === -128) continue;
    if (head < 0) {
      const end = Math.min(size, at + 1 - head);
      out.fill(input[i++] ?? 0, at, end);
      at = end;
    } else {
      const part = input.subarray(i, i + Math.min(head + 1, size - at));
      out.set(part, at);
      at += part.length;
      i += head + 1;
    }
  }
  return out;
}

addDecoder([8, 32946], () => Promise.resolve(Deflate as never), blockOf as never, false);
addDecoder(5, () => Promise.resolve(Lzw as never), blockOf as never, false);
addDecoder(32773, () => Promise.resolve(PackBits as never), blockOf as never, false);
/** Columns and rows that a JPEG stream gives itself, in its frame header (ITU-T T.81, B.2.2). */
export function jpegSize(b: Uint8Array): { width: number; height: number } | null {
  for (let i = 2; i + 9 < b.length && b[i] === 0xff;) {
    const marker = b[i + 1]!;
    if (marker >= 0xc0 && marker <= 0xcf && marker !== 0xc4 && marker !== 0xc8 && marker !== 0xcc)
      return { height: (b[i + 5]! << 8) | b[i + 6]!, width: (b[i + 7]! << 8) | b[i + 8]! };
    i += 2 + ((b[i + 2]! << 8) | b[i + 3]!);
  }
  return null;
}
