import { unzipSync } from 'fflate';
import { HelkError } from '../errors';
import type { FileFormat, Layer } from './reader';
import { readFile } from './index';

/** Files that complete a shapefile. */
const PART = /\.(dbf|shx|prj|cpg|sbn|sbx|qix|qpj|xml)$/i;

/** A zip archive of any of the other formats; folders are passed through, archives within archives are not opened. */
export const zip: FileFormat = {
  id: 'zip',
  title: 'Zip archive',
  extensions: ['zip', 'kmz'],
  sniff: (b) => b.length >= 4 && b[0] === 0x50 && b[1] === 0x4b && (b[2] === 3 || b[2] === 5),
  read: async (bytes, name, options) => {
    let total = 0;
    let files: Record<string, Uint8Array>;
    try {
      files = unzipSync(bytes, {
        filter: (f) => {
          total += f.originalSize;
          // The directory's own sizes are checked before a byte is unpacked.
          if (total > options.maxUnpacked) {
            throw new HelkError(
              'file.tooLarge',
              `"${name}" unpacks to more than ${(options.maxUnpacked / 2 ** 30).toFixed(1)} GiB; unpack it and take in what you need.`,
              name,
            );
          }
          return !f.name.endsWith('/') && !/(^|\/)(\.|__MACOSX)/.test(f.name);
        },
      });
    } catch (e) {
      if (e instanceof HelkError) throw e;
      throw new HelkError(
        'file.damaged',
        `"${name}" is a zip archive but cannot be unpacked; it may be cut off.`,
        name,
      );
    }
    const entries = Object.entries(files);
    if (entries.length === 0) throw new HelkError('file.content', `"${name}" is an empty archive.`, name);
    // Files that only complete another of the same name are read with it.
    const parts = new Map(entries.map(([entry, content]) => [entry.toLowerCase(), content]));
    const stem = (entry: string): string => entry.replace(/\.[^./]+$/, '').toLowerCase();
    const shapes = new Set(entries.filter(([e]) => /\.shp$/i.test(e)).map(([e]) => stem(e)));
    const layers: Layer[] = [];
    const refused: string[] = [];
    for (const [entry, content] of entries) {
      if (PART.test(entry) && shapes.has(stem(entry.replace(/\.shp\.xml$/i, '.xml')))) continue;
      if (zip.sniff(content, entry)) {
        refused.push(`${entry} (an archive within the archive)`);
        continue;
      }
      try {
        layers.push(
          ...(
            await readFile(entry, content, {
              ...options,
              sibling: (ext) => parts.get(`${stem(entry)}.${ext}`),
            })
          ).layers,
        );
      } catch (e) {
        if (!(e instanceof HelkError) || e.code !== 'file.unknown') throw e;
        refused.push(entry);
      }
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
