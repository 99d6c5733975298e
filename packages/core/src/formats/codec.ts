import { Unzlib, zlibSync } from 'fflate';
import { joinBytes } from './bytes';

/** Zlib streams in memory. Pure JavaScript unless the surface brings a faster one (`useCodec` with node:zlib). */
export interface Codec {
  /** @throws when the stream is damaged or holds more than `most` bytes */
  inflate(data: Uint8Array, most: number): Uint8Array;
  deflate(data: Uint8Array, level: number): Uint8Array;
  /** The same beside other work, where the surface has threads for it. */
  inflateLater(data: Uint8Array, most: number): Promise<Uint8Array>;
  deflateLater(data: Uint8Array, level: number): Promise<Uint8Array>;
}

function inflate(data: Uint8Array, most: number): Uint8Array {
  const parts: Uint8Array[] = [];
  let size = 0;
  const stream = new Unzlib((part) => {
    size += part.length;
    if (size > most) throw new RangeError('The stream is longer than it may be.');
    parts.push(part);
  });
  // Some at a time, so that a swelling stream is noticed early.
  const step = 2 ** 16;
  for (let at = 0; at < data.length; at += step) stream.push(data.subarray(at, at + step), at + step >= data.length);
  return joinBytes(parts);
}

const deflate = (d: Uint8Array, level: number): Uint8Array => zlibSync(d, { level: level as 1 });

let current: Codec = {
  inflate,
  deflate,
  inflateLater: async (d, most) => inflate(d, most),
  deflateLater: (d, level) => Promise.resolve(deflate(d, level)),
};

export const codec = (): Codec => current;
export function useCodec(c: Codec): void {
  current = c;
}
