import { fstatSync, readSync, writeSync } from 'node:fs';
import type { ByteSink, ByteSource } from '@helk/core/formats';

/** An open file as a source whose parts are read when they are asked for. */
export function fileSource(file: number): ByteSource {
  const { size } = fstatSync(file);
  const range = (from: number, to: number): Uint8Array => {
    const out = new Uint8Array(Math.max(0, Math.min(to, size) - from));
    for (let at = 0; at < out.length;) {
      const n = readSync(file, out, at, Math.min(out.length - at, 2 ** 30), from + at);
      // Shorter than it was when it was opened.
      if (n === 0) return out.subarray(0, at);
      at += n;
    }
    return out;
  };
  // What is thrown must reject.
  return {
    size,
    range: async (from, to) => range(from, to),
    whole: async () => range(0, size),
  };
}

/** An open file as a sink. */
export function fileSink(file: number): ByteSink {
  let at = 0;
  const put = (bytes: Uint8Array, where: number): void => {
    for (let done = 0; done < bytes.length;)
      done += writeSync(file, bytes, done, Math.min(bytes.length - done, 2 ** 30), where + done);
  };
  return {
    write: async (bytes) => {
      put(bytes, at);
      at += bytes.length;
    },
    patch: async (where, bytes) => put(bytes, where),
  };
}
