import { unzlibSync, zlibSync } from 'fflate';

/** Zlib streams in memory. Pure JavaScript unless the surface brings a faster one (`useCodec` with node:zlib). */
export interface Codec {
  inflate(data: Uint8Array): Uint8Array;
  deflate(data: Uint8Array, level: number): Uint8Array;
}

let current: Codec = {
  inflate: (d) => unzlibSync(d),
  deflate: (d, level) => zlibSync(d, { level: level as 1 }),
};

export const codec = (): Codec => current;
export function useCodec(c: Codec): void {
  current = c;
}
