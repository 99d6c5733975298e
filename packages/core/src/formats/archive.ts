import { configure, Uint8ArrayReader, ZipReader, type FileEntry } from '@zip.js/zip.js';
import { HelkError } from '../errors';
import { BUNDLES } from './bundles';
import type { FileFormat, Layer, ReadOptions } from './reader';
import { claim, MOST_LAYERS } from './reader';

// Everything happens in the worker that reads the file anyway.
configure({ useWebWorkers: false });

/** Files that complete a shapefile. */
const PART = /\.(dbf|shx|prj|cpg|sbn|sbx|qix|qpj|xml)$/i;
/** Deflate packs at most so many bytes into one. */
const TIGHTEST = 1032;
/** Entries of one archive; a directory of more is longer than the data of anybody. */
const MOST_ENTRIES = 65_535;

/**
 * A zip archive of any of the other formats; folders are passed through, archives within archives are not opened. Every entry is held to
 * the size and the check sum (CRC-32) that the archive gives for it.
 */
export const zip: FileFormat = {
  id: 'zip',
  title: 'Zip archive',
  extensions: ['zip', 'kmz'],
  sniff: (b) => b.length >= 4 && b[0] === 0x50 && b[1] === 0x4b && (b[2] === 3 || b[2] === 5),
  read: async (bytes, name, options) => {
    const entries = await unpack(bytes, name, options);
    if (entries.length === 0) throw new HelkError('file.content', `"${name}" is an empty archive.`, name);
    const bundle = BUNDLES.find((b) => b.fits(entries.map(([e]) => e)));
    if (bundle) return bundle.read(entries, name, options);
    // Files that only complete another of the same name are read with it.
    const parts = new Map(entries.map(([entry, content]) => [entry.toLowerCase(), content]));
    const stem = (entry: string): string => entry.replace(/\.[^./]+$/, '').toLowerCase();
    const shapes = new Set(entries.filter(([e]) => /\.shp$/i.test(e)).map(([e]) => stem(e)));
    const layers: Layer[] = [];
    const refused: string[] = [];
    const taken = new Set<string>();
    for (const [k, [entry, content]] of entries.entries()) {
      options.progress?.(k / entries.length, `reading ${entry.slice(-40)}`);
      if (PART.test(entry) && shapes.has(stem(entry.replace(/\.shp\.xml$/i, '.xml')))) continue;
      if (taken.has(entry.toLowerCase())) continue;
      if (zip.sniff(content, entry)) {
        refused.push(`${entry} (an archive within the archive)`);
        continue;
      }
      try {
        const sibling = (ext: string): Uint8Array | undefined => parts.get(`${stem(entry)}.${ext}`);
        const read = await options.within!(entry, content, { ...options, sibling });
        for (const { takes } of read) if (takes) taken.add(`${stem(entry)}.${takes}`);
        layers.push(...read);
      } catch (e) {
        if (!(e instanceof HelkError) || e.code !== 'file.unknown') throw e;
        refused.push(entry);
      }
      if (layers.length > MOST_LAYERS)
        throw new HelkError(
          'file.tooLarge',
          `"${name}" holds more than ${MOST_LAYERS} datasets; that many are taken in at once at most. Unpack it and take in what you need.`,
          name,
        );
    }
    if (layers.length === 0)
      throw new HelkError(
        'file.content',
        `"${name}" holds nothing Helk reads (${refused.slice(0, 3).join(', ')}).`,
        name,
      );
    if (refused.length)
      layers[0]!.notes.push({
        level: 'info',
        code: 'zip.passedOver',
        message: `Passed over in the archive: ${refused.slice(0, 5).join(', ')}${refused.length > 5 ? ' …' : ''}.`,
      });
    return layers;
  },
};

/** All files of an archive by their names, in their order. */
export async function unpack(bytes: Uint8Array, name: string, options: ReadOptions): Promise<[string, Uint8Array][]> {
  const damaged = (why: string): HelkError =>
    new HelkError('file.damaged', `"${name}" is a zip archive but ${why}. Get the file again from its source.`, name);
  const reader = new ZipReader(new Uint8ArrayReader(bytes), { checkOverlappingEntry: true, checkSignature: true });
  const out: [string, Uint8Array][] = [];
  let total = 0;
  let entry: string | null = null;
  try {
    const wanted: FileEntry[] = [];
    let listed = 0;
    for await (const e of reader.getEntriesGenerator()) {
      if (++listed > MOST_ENTRIES)
        throw new HelkError('file.tooLarge', `"${name}" holds more than ${MOST_ENTRIES} files.`, name);
      if (e.directory || /(^|\/)(\.|__MACOSX)/.test(e.filename)) continue;
      if (e.encrypted)
        throw new HelkError('file.unsupported', `"${name}" is locked by a password; unpack it first.`, name);
      wanted.push(e);
      // The directory's own sizes are checked before a byte is unpacked.
      total += e.uncompressedSize;
      if (total > options.maxUnpacked)
        throw new HelkError(
          'file.tooLarge',
          `"${name}" unpacks to more than ${(options.maxUnpacked / 2 ** 30).toFixed(1)} GiB; unpack it and take in what you need.`,
          name,
        );
      entry = e.filename;
      if (e.uncompressedSize > (e.compressedSize + 16) * TIGHTEST)
        throw damaged(`the size it gives for ${e.filename.slice(-60)} cannot be`);
    }
    claim(total, options, name);
    for (const e of wanted) {
      entry = e.filename;
      const sink = exactly(e.uncompressedSize);
      await e.getData(sink.writable);
      const content = sink.content();
      if (!content) throw damaged(`${entry.slice(-60)} is shorter than it says`);
      out.push([e.filename, content]);
    }
  } catch (e) {
    if (e instanceof HelkError) throw e;
    throw damaged(
      entry === null
        ? 'its directory cannot be read; it may be cut off'
        : `${entry.slice(-60)} in it is damaged (its content does not agree with its check sum or size)`,
    );
  } finally {
    await reader.close().catch(() => undefined);
  }
  return out;
}

/** Takes exactly so many bytes and refuses the first one too many. */
function exactly(size: number): { writable: WritableStream<Uint8Array>; content: () => Uint8Array | null } {
  const out = new Uint8Array(size);
  let at = 0;
  const writable = new WritableStream<Uint8Array>({
    write: (chunk) => {
      if (at + chunk.length > size) throw new RangeError('longer than it says');
      out.set(chunk, at);
      at += chunk.length;
    },
  });
  return { writable, content: () => (at === size ? out : null) };
}
