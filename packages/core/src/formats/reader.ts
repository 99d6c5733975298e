import { HelkError } from '../errors';
import type { Crs } from '../data/crs';
import type { AnyHandle, Dataset } from '../data/kinds';
import type { ByteSource } from './source';
import type { Note } from '../data/check';

/** One dataset found in a file, read or ready to be. */
export interface OpenLayer {
  name: string;
  handle: AnyHandle;
  /** What there is to say about it; it may grow while it is read. */
  notes: Note[];
  /** Where the file holds several of it (times, levels): what they are, and which one was read. */
  steps?: string[];
  step?: number;
  /** Ending of the file beside it that was read with it. */
  takes?: string;
}

/** One dataset that has been read from a file. */
export interface Layer {
  name: string;
  data: Dataset;
  notes: Note[];
  /** Where the file holds several of it (times, levels): what they are, and which one was read. */
  steps?: string[];
  step?: number;
  /** Ending of the file beside it that was read with it. */
  takes?: string;
}

export interface ReadOptions {
  /** Taken for data whose format should carry a CRS but does not. */
  crs?: Crs | null;
  /** Greatest number of cells, all bands together, or coordinates; more is refused. */
  maxCells: number;
  /** Greatest size of what an archive unpacks to, in bytes. */
  maxUnpacked: number;
  /** Bytes that may be asked for at once for what a file declares. */
  maxBytes: number;
  /** Only the layers of these names; all when not given. */
  only?: string[];
  /** Which step of a layer is read, by the layer's name, or all; when not given all of a time axis, else the first. */
  steps?: Record<string, number>;
  /** Another file of the same name with this ending (`dbf`), where a format is spread over several. */
  sibling?: (extension: string) => Uint8Array | undefined;
  progress?: (share: number, stage: string) => void;
  /** Reads a file that lies within another. */
  within?: (name: string, bytes: Uint8Array, options: ReadOptions) => Promise<Layer[]>;
}

/** In place of the number of a step: all of them, a band each. */
export const ALL_STEPS = -1;

export const READ_LIMITS: ReadOptions = { maxCells: 2_000_000_000, maxUnpacked: 8 * 2 ** 30, maxBytes: 8 * 2 ** 30 };

/** Datasets that are taken from one file; a file of more is cut up at its source, or its layers are chosen. */
export const MOST_LAYERS = 1000;
/** Columns of one dataset. The widest tables that are met (surveys, censuses) have a few thousand. */
export const MOST_COLUMNS = 4096;

/**
 * Called before memory is taken for what a file only declares: a few bytes can promise terabytes.
 *
 * @throws HelkError `file.tooLarge` with both figures
 */
export function claim(bytes: number, o: Pick<ReadOptions, 'maxBytes'>, name: string): void {
  if (bytes <= o.maxBytes) return;
  const gib = (b: number): string => (b / 2 ** 30).toFixed(1);
  throw new HelkError(
    'file.tooLarge',
    `"${name}" would need ${gib(bytes)} GiB of memory to be read, and ${gib(o.maxBytes)} GiB may be used. Clip it or thin it at its source.`,
    name,
  );
}

/** @throws HelkError `file.tooLarge` when the bands of a grid together have more cells than are taken in */
export function countCells(columns: number, rows: number, bands: number, o: ReadOptions, name: string): void {
  const cells = columns * rows * bands;
  const million = (n: number): string => (n / 1e6).toFixed(0);
  if (cells > o.maxCells)
    throw new HelkError(
      'file.tooLarge',
      `"${name}" has ${million(cells)} million cells${bands > 1 ? ` in ${bands} bands` : ''}; at most ${million(o.maxCells)} million are taken in. Clip it at its source.`,
      name,
    );
}

/** The same, and that memory holds them all. @throws HelkError `file.tooLarge` */
export function claimCells(columns: number, rows: number, bands: number, o: ReadOptions, name: string): void {
  countCells(columns, rows, bands, o, name);
  claim(columns * rows * bands * 8, o, name);
}

export interface FileFormat {
  id: string;
  title: string;
  extensions: string[];
  /** Whether the bytes begin like this format. */
  sniff(bytes: Uint8Array, name: string): boolean;
  /** Reads the whole file into memory. A format has this or `open`. */
  read?(bytes: Uint8Array, name: string, options: ReadOptions): Promise<Layer[]>;
  /** Finds out what is in the file; the bulk is read when it is asked for, in parts. */
  open?(source: ByteSource, name: string, options: ReadOptions): Promise<OpenLayer[]>;
}

/** `valley north.tif` -> `valley north`; folders are dropped. */
export function baseName(name: string): string {
  const file = name.split(/[\\/]/).pop() ?? name;
  return (
    file.replace(
      /\.(tiff?|nc4?|cdf|h5|hdf5|asc|geojson|json|csv|tsv|txt|zip|gpkg|shp|fgb|km[lz]|gpx|copc\.laz|las|laz|ply|xyz|pts)$/i,
      '',
    ) || file
  );
}

/** The beginning of a file as text, a byte-order mark removed; null when it is not text. */
export function headText(bytes: Uint8Array, most = 4096): string | null {
  const head = bytes.subarray(0, most);
  for (const b of head) if (b === 0) return null;
  return new TextDecoder('utf-8').decode(head).replace(/^\uFEFF/, '');
}

/** Bytes of the pieces in which text is read. */
export const PIECE = 2 ** 20;
/** Documents that are held whole while they are read (XML) may have this many bytes: the tree of one takes many times as much. */
const MOST_DOCUMENT = 2 ** 27;

/** UTF-8, or Windows-1252 when the bytes are not valid UTF-8 (said in a note). */
export function encodingOf(bytes: Uint8Array, notes: Note[]): 'utf-8' | 'windows-1252' {
  const decoder = new TextDecoder('utf-8', { fatal: true });
  try {
    for (let at = 0; at < bytes.length; at += PIECE) decoder.decode(bytes.subarray(at, at + PIECE), { stream: true });
    decoder.decode();
    return 'utf-8';
  } catch {
    notes.push({
      level: 'look',
      code: 'text.encoding',
      message: 'The text is not valid UTF-8; it was read as Windows-1252. Check names with accents.',
    });
    return 'windows-1252';
  }
}

/**
 * The whole file as text.
 *
 * @throws HelkError `file.tooLarge` for more than can be held as one text
 */
export function wholeText(bytes: Uint8Array, name: string, notes: Note[]): string {
  if (bytes.length > MOST_DOCUMENT)
    throw new HelkError(
      'file.tooLarge',
      `"${name}" has ${(bytes.length / 2 ** 20).toFixed(0)} MiB; of this kind of text at most ${MOST_DOCUMENT / 2 ** 20} MiB are read. Take a GeoPackage or GeoJSON of it.`,
      name,
    );
  return new TextDecoder(encodingOf(bytes, notes)).decode(bytes);
}

/** A text file piece by piece, without its byte-order mark; no letter is cut in two. */
export function* textPieces(bytes: Uint8Array, encoding: string): Generator<string> {
  const decoder = new TextDecoder(encoding);
  for (let at = 0; at < bytes.length; at += PIECE)
    yield decoder.decode(bytes.subarray(at, at + PIECE), { stream: at + PIECE < bytes.length });
}

/** No part of it can be read in two ways, so that a long row of digits is walked over once. */
export const NUMBER = /^[+-]?(\d+(\.\d*)?|\.\d+)(e[+-]?\d+)?$/i;

/** Whether a text is a number; leading zeros mean a code ("0123"). */
export const readsAsNumber = (t: string): boolean => t.length < 400 && NUMBER.test(t) && !/^[+-]?0\d/.test(t);
