import { deflateSync, inflateSync } from 'node:zlib';
import { useCrsCatalogue, type CrsEntry } from '@helk/core';
import { useCodec } from '@helk/core/formats';
import epsg from '@helk/core/data/epsg.json' with { type: 'json' };

/** Gives the core what Node.js has: the native zlib and the EPSG list. Called once by every Node surface. */
export function setupNode(): void {
  useCodec({
    inflate: (d) => view(inflateSync(d, { maxOutputLength: 2 ** 31 })),
    deflate: (d, level) => view(deflateSync(d, { level })),
  });
  useCrsCatalogue(epsg as unknown as CrsEntry[]);
}

const view = (b: Buffer): Uint8Array => new Uint8Array(b.buffer, b.byteOffset, b.byteLength);
