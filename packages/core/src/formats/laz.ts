import { HelkError } from '../errors';
import type { LasHeader } from './las-header';
import type { ByteSource } from './source';

/** What is used of laz-perf, LASzip's decoder compiled to WebAssembly. */
interface LazPerf {
  HEAPU8: Uint8Array;
  _malloc(size: number): number;
  _free(at: number): void;
  LASZip: new () => {
    open(at: number, size: number): void;
    getPoint(at: number): void;
    getCount(): number;
    getPointLength(): number;
    delete(): void;
  };
}

let loaded: Promise<LazPerf> | null = null;
const lazPerf = (): Promise<LazPerf> =>
  (loaded ??= import('laz-perf').then(
    (m) => (m as { createLazPerf(): Promise<unknown> }).createLazPerf() as Promise<LazPerf>,
  ));

/** WebAssembly of 32 bits holds the file while it is unpacked. */
const MOST_BYTES = 1.5 * 2 ** 30;

/**
 * The points of a LAZ file, unpacked, some at a time. An index of chunks (COPC) is not needed to read all.
 *
 * @throws HelkError `file.damaged`, `file.tooLarge`
 */
export async function* lazBlocks(
  source: ByteSource,
  h: LasHeader,
  count: number,
  block: number,
  name: string,
): AsyncGenerator<{ bytes: Uint8Array; points: number }> {
  if (source.size > MOST_BYTES)
    throw new HelkError(
      'file.tooLarge',
      `"${name}" has ${(source.size / 2 ** 30).toFixed(1)} GiB packed; at most ${MOST_BYTES / 2 ** 30} GiB are unpacked. Cut it into tiles at its source.`,
      name,
    );
  const lib = await lazPerf();
  const damaged = (done: number): HelkError =>
    new HelkError(
      'file.damaged',
      `"${name}" is damaged: after ${done} of ${count} points nothing more can be unpacked.`,
      name,
    );
  const file = lib._malloc(source.size);
  const point = lib._malloc(h.record);
  const decoder = new lib.LASZip();
  let done = 0;
  try {
    lib.HEAPU8.set(await source.whole(), file);
    try {
      decoder.open(file, source.size);
      if (decoder.getPointLength() !== h.record || decoder.getCount() !== count) throw new Error('head');
    } catch {
      throw damaged(0);
    }
    while (done < count) {
      const points = Math.min(block, count - done);
      const bytes = new Uint8Array(points * h.record);
      try {
        for (let i = 0; i < points; i++) {
          decoder.getPoint(point);
          bytes.set(lib.HEAPU8.subarray(point, point + h.record), i * h.record);
        }
      } catch {
        throw damaged(done);
      }
      done += points;
      yield { bytes, points };
    }
  } finally {
    decoder.delete();
    lib._free(point);
    lib._free(file);
  }
}
