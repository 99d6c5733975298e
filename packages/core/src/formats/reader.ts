import type { Crs } from '../data/crs';
import type { Dataset } from '../data/dataset';
import type { Note } from '../method/job';

/** One dataset found in a file. */
export interface Layer {
  name: string;
  data: Dataset;
  notes: Note[];
  /** Where the file holds several of it (times, levels): what they are, and which one was read. */
  steps?: string[];
  step?: number;
}

export interface ReadOptions {
  /** Taken for data whose format should carry a CRS but does not. */
  crs?: Crs | null;
  /** Greatest number of cells or coordinates; more is refused. */
  maxCells: number;
  /** Greatest size of what an archive unpacks to, in bytes. */
  maxUnpacked: number;
  /** Only the layers of these names; all when not given. */
  only?: string[];
  /** Which step of a layer is read, by the layer's name; the first when not given. */
  steps?: Record<string, number>;
  /** Another file of the same name with this ending (`dbf`), where a format is spread over several. */
  sibling?: (extension: string) => Uint8Array | undefined;
  progress?: (share: number, stage: string) => void;
}

export const READ_LIMITS: ReadOptions = { maxCells: 400_000_000, maxUnpacked: 8 * 2 ** 30 };

export interface FileFormat {
  id: string;
  title: string;
  extensions: string[];
  /** Whether the bytes begin like this format. */
  sniff(bytes: Uint8Array, name: string): boolean;
  read(bytes: Uint8Array, name: string, options: ReadOptions): Promise<Layer[]>;
}

/** `valley north.tif` -> `valley north`; folders are dropped. */
export function baseName(name: string): string {
  const file = name.split(/[\\/]/).pop() ?? name;
  return (
    file.replace(/\.(tiff?|nc4?|cdf|h5|hdf5|asc|geojson|json|csv|tsv|txt|zip|gpkg|shp|fgb|km[lz]|gpx)$/i, '') || file
  );
}

/** The beginning of a file as text, a byte-order mark removed; null when it is not text. */
export function headText(bytes: Uint8Array, most = 4096): string | null {
  const head = bytes.subarray(0, most);
  for (const b of head) if (b === 0) return null;
  return new TextDecoder('utf-8').decode(head).replace(/^\uFEFF/, '');
}

/** The whole file as text: UTF-8, or Windows-1252 when it is not valid UTF-8 (said in a note). */
export function wholeText(bytes: Uint8Array, notes: Note[]): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes).replace(/^\uFEFF/, '');
  } catch {
    notes.push({
      level: 'look',
      code: 'text.encoding',
      message: 'The text is not valid UTF-8; it was read as Windows-1252. Check names with accents.',
    });
    return new TextDecoder('windows-1252').decode(bytes);
  }
}

/** Whether a text is a number; leading zeros mean a code ("0123"). */
export const readsAsNumber = (t: string): boolean =>
  /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(t) && !/^[+-]?0\d/.test(t);
