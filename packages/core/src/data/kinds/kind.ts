import type { z } from 'zod';
import { HelkError } from '../../errors';
import type { WriteFormat } from '../../formats/write-formats';
import type { Check, Note } from '../check';
import type { Crs, Extent } from '../crs';
import type { Handle, PieceStore, Progress, RasterHead, RasterSink } from '../handle';
import type { ColumnInfo, FeaturesInfo, GeometryType } from '../features';
import type { ClassEntry } from '../raster';

/** What may be given by hand to a dataset that lacks it. */
export interface Given {
  /** Code or definition. */
  crs?: string | undefined;
  /** Empty takes back one that was given by hand. */
  unit?: string | undefined;
  /** The unit that is there was given by hand, and may be another. */
  unitByHand?: boolean | undefined;
  classes?: ClassEntry[] | undefined;
  /** The band that is meant, from 0; the first where not given. */
  band?: number | undefined;
  bandName?: string | undefined;
  /** Null takes back what was said. */
  role?: string | null | undefined;
  /** nm. */
  wavelength?: number | null | undefined;
}

/** What is shown of a layer for confirmation before it is taken in. */
export interface ReviewFacts {
  extent: Extent | null;
  crs: { code: string | null; name: string; unit: string } | null;
  columns: number;
  rows: number;
  /** Of the first band; null where there is no value. */
  min: number | null;
  max: number | null;
  missing: number;
  unit: string | null;
  /** Whether a factor and an offset make sense. */
  scalable: boolean;
}

/** What an input asks of a dataset of the right kind. */
export interface Wants {
  band?: 'measure' | 'category';
  /** Dimension the values should have; only checked, never converted unseen. */
  unit?: 'length';
  geometry?: GeometryType;
}

/** A dataset that is being written part by part, and how it is ended. */
export interface Collector<S, T> {
  sink: S;
  /** When everything has come. */
  end(progress: Progress): Promise<T>;
}

/** How values are changed on the way in. */
export interface Rescaling {
  factor: number;
  offset: number;
  unit?: string | undefined;
}

/**
 * Everything that depends on what kind a dataset is: the one place to look, and to add to.
 *
 * `D` is the dataset in memory, `I` what there is to know of it without its bulk, `H` the handle by which methods read it.
 */
export interface KindRecord<N extends string, D, I, H extends Handle<D, I, N>> {
  readonly kind: N;
  /** What one, and several, of them are called in a sentence. */
  readonly words: { one: string; many: string };
  /** Whether it lies somewhere, so that it can lack a coordinate system. */
  readonly placed: boolean;
  /** What the description looks like in a project file; a file from outside is held to it. */
  readonly shape: z.ZodType;
  /** The same of the detail, where there is any. */
  readonly detailShape?: z.ZodType;

  /** What a way of drawing it looks like, where it can be drawn. */
  readonly lookShape?: z.ZodType;

  /** Everything there is to know of a dataset in memory, facts included. O(values). */
  info(data: D): I;
  /** The same of what a handle holds, by reading it where that is not known yet. */
  study(handle: H): Promise<I>;
  /** A description without what only those need who look closer, and that by itself: JSON, or null where there is none. */
  part(info: I): { info: I; detail: unknown };
  /** The whole description again. */
  join(info: I, detail: unknown): I;
  /** A description as an older project file has it, brought up to date. */
  upgrade?(raw: never): I;

  system(info: I): Crs | null;
  /** In its own system; null for what lies nowhere or is empty. */
  extent(info: I): Extent | null;
  /** Size of its smallest parts, by which it may reach beyond the ends of the earth; hardly anything where not given. */
  grain?(info: I): number;
  /** Unit of its values, where they have one. */
  unit(info: I): string | null;
  /** Whether a unit is wanted and not known. */
  lacksUnit(info: I): boolean;
  /** What it is, in one line: `raster · m · 30 m`. */
  summary(info: I): string;
  /** What it is, whatever its size and values: the same for tiles of one survey. Plain JSON. */
  make(info: I): unknown;
  /** Its size and values for whoever looks at it on arrival, apart from system and file. */
  arrival(info: I): string[];
  /** The same for whoever wants to know all. */
  details(info: I): { name: string; value: string }[];
  /** What an analyst should know before using it, beside what is true of every kind. Ordered by weight. */
  checks(info: I): Check[];
  /** Those of them that bear on whatever is computed from it, and are said again before a run. */
  doubts?(info: I): Check[];
  /** The same dataset with what was given by hand. @throws HelkError `request.invalid` for what it cannot have, or has already */
  give(info: I, given: Given): I;
  /** Its rows, where it has any: how many, of which columns, and what several of them are called. */
  rows?(info: I): { count: number; columns: ColumnInfo[]; noun: string };
  /** What has a value at every step, where there are steps. */
  variables?(info: I): ColumnInfo[];
  /** The features that it is stored, drawn and read by row as, where it is. */
  asFeatures?(info: I): FeaturesInfo;
  /** Names of the bands it has, where it has any. */
  bands?(info: I): string[];
  /** The same with one band only. */
  pickInfo?(info: I, band: number): I;
  pick?(handle: H, band: number): H;
  /** Why it cannot stand where such a one is wanted; null when it can. */
  misfit(info: I, wants: Wants): string | null;
  /** What `inspect` prints. */
  inspect(info: I): Record<string, unknown>;

  /** Bytes it takes in memory, about. */
  heldBytes(info: I): number;
  /** A clause that says what makes it one that nothing can work with; null when all is well. O(features and rings) */
  flaw(data: D): string | null;
  /** Makes infinite values missing ones, in place; says how many there were. O(values). */
  tame(data: D): number;

  /** What else there is to say of it on arrival that takes looking at all of it: outlines that are invalid. */
  remarks?(handle: H): Promise<Note[]>;
  review(handle: H): Promise<ReviewFacts>;
  /** The values times a factor plus an offset; nothing where that makes no sense. */
  rescaled?(handle: H, how: Rescaling): { handle: H; notes: Note[] };

  /** A handle on what is in memory. */
  wrap(data: D): H;
  /** A handle on what lies in a store. */
  open(info: I, store: Pick<PieceStore, 'get'>): H;
  /** Takes a new one part by part into memory; only of kinds that have a sink. */
  collect?(head: RasterHead): Collector<RasterSink, D>;
  /** Takes a new one part by part into a store. */
  collectInto?(head: RasterHead, store: PieceStore): Collector<RasterSink, I>;
  /** Writes it into a store, with whatever coarser levels drawing needs; gives the whole description. */
  pack(handle: H, store: PieceStore, progress: Progress): Promise<I>;
  /** Looks at every piece that should be there. @throws HelkError `file.damaged` when one is not, or is not what it should be */
  verify(info: I, store: Pick<PieceStore, 'get'>, progress: Progress): Promise<void>;

  /** Formats it can be written in; the first is the usual one. */
  readonly formats: readonly WriteFormat[];
  /** What a format cannot keep of it, in words. */
  losses(info: I, format: WriteFormat): string[];
}

/** The types of a kind, out of its record. */
export type DataOf<R> = R extends { info(data: infer D): unknown } ? D : never;
export type InfoOf<R> = R extends { info(data: never): infer I } ? I : never;
export type HandleOf<R> = R extends { wrap(data: never): infer H } ? H : never;

/** The refusal of something that is known already. */
export const given = (what: string): HelkError =>
  new HelkError('request.invalid', `The dataset has a ${what} already; use a method to change it.`, what);

/** Refuses what only a raster can be given. */
export function onlyPlace({ unit, classes, bandName, role, wavelength }: Given): void {
  if (unit !== undefined)
    throw new HelkError('request.invalid', 'Units of columns are set by a method (Calculate a column).', 'unit');
  if (classes)
    throw new HelkError('request.invalid', 'Only a raster of classes has class names and colours.', 'classes');
  if (bandName !== undefined || role !== undefined || wavelength !== undefined)
    throw new HelkError('request.invalid', 'Only a raster has bands.', 'band');
}

/** @throws HelkError `file.damaged` where columns or rows are others than the description says */
export function sameColumns(
  info: { columns: { name: string }[] },
  columns: { name: string }[],
  rows: number,
  said: number,
): void {
  const names = (all: { name: string }[]): string => all.map((c) => c.name).join('\n');
  if (rows !== said || names(columns) !== names(info.columns))
    throw new HelkError('file.damaged', 'Its columns and rows are others.');
}
