import { deflateSync, inflateSync } from 'node:zlib';
import { useCrsCatalogue, type CrsEntry } from '@helk/core';
import { useCodec, useHdf5 } from '@helk/core/formats';
import { useGeos } from '@helk/core/numeric/geos';
import epsg from '@helk/core/data/epsg.json' with { type: 'json' };

/** Gives the core what Node.js has: the native zlib, the HDF5 and topology libraries and the EPSG list. Called once by every Node surface. */
export function setupNode(): void {
  useCodec({
    inflate: (d) => view(inflateSync(d, { maxOutputLength: 2 ** 31 })),
    deflate: (d, level) => view(deflateSync(d, { level })),
  });
  useHdf5(() => import('h5wasm/node'));
  useGeos(async (onError) =>
    (await import('geos-wasm')).default({
      errorHandler: (m: string) => onError(m),
      noticeHandler: () => undefined,
    } as never),
  );
  useCrsCatalogue(epsg as unknown as CrsEntry[]);
}

const view = (b: Buffer): Uint8Array => new Uint8Array(b.buffer, b.byteOffset, b.byteLength);
