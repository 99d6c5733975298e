import type { z } from 'zod';
import type { Check } from '../data/check';
import type { GeometryType } from '../data/features';
import type { RasterSink } from '../data/handle';
import type { DatasetInfo, DatasetKind, Kinds } from '../data/kinds';
import type { Wants } from '../data/kinds/kind';
import type { Chain } from './chain';
import type { Job } from './job';
import type { Previewed, Served, Shows } from './shows';

export interface InputSpec extends Wants {
  kind: DatasetKind;
  /** Another kind that may stand in for it: the columns of features for a table. */
  or?: DatasetKind;
  label: string;
  help?: string;
  /** Least number of datasets; 0 for one that may be left out. */
  least: number;
  /** One that fits is taken at first, though it may be left out. */
  eager?: true;
  /** Takes several datasets. */
  many: boolean;
  /** Of rasters: works on every band; else on one, the first where none is chosen. */
  bands?: 'all';
  /** The method reads it part by part through its handle; else it is loaded whole. */
  parts?: true;
  /** Why a dataset of the right kind still cannot do, whatever the settings; null when it can. */
  refuses?: (info: DatasetInfo) => string | null;
}

type InputOptions = Partial<Pick<InputSpec, 'help' | 'bands' | 'parts' | 'or' | 'eager'>> & { label?: string };
type One<K extends DatasetKind> = { kind: K; least: 1; many: false; label: string };
type Many<K extends DatasetKind> = { kind: K; least: 1; many: true; label: string };

const one =
  <K extends DatasetKind, W>(kind: K, label: string) =>
  <const O extends InputOptions & W>(o: O): Omit<One<K>, keyof O> & O =>
    ({ kind, least: 1, many: false, label, ...o }) as unknown as Omit<One<K>, keyof O> & O;
const many =
  <K extends DatasetKind, W>(kind: K, label: string) =>
  <const O extends InputOptions & W>(o: O): Omit<Many<K>, keyof O> & O =>
    ({ kind, least: 1, many: true, label, ...o }) as unknown as Omit<Many<K>, keyof O> & O;

type RasterWants = Pick<Wants, 'band' | 'unit'>;
type PlaceWants = { geometry?: GeometryType };

/** How a method declares what it takes. */
export const input = {
  raster: one<'raster', RasterWants & { least?: 0 | 1 }>('raster', 'Raster'),
  rasters: many<'raster', RasterWants & { least?: number }>('raster', 'Rasters'),
  features: one<'features', PlaceWants & { least?: 0 | 1 }>('features', 'Features'),
  featureSets: many<'features', PlaceWants & { least?: number }>('features', 'Features'),
  table: one<'table', { least?: 0 | 1 }>('table', 'Table'),
  cloud: one<'cloud', object>('cloud', 'Cloud'),
  clouds: many<'cloud', { least?: number }>('cloud', 'Clouds'),
  network: one<'network', object>('network', 'Network'),
  timetable: one<'timetable', { least?: 0 | 1 }>('timetable', 'Timetable'),
  weights: one<'weights', { least?: 0 | 1 }>('weights', 'Weights'),
  stack: one<'stack', object>('stack', 'Time stack'),
};

/** What a result is, whatever the data. */
export interface Holds {
  geometry?: GeometryType;
  band?: 'measure' | 'category';
  /** In words, where it is not a symbol: `degrees or percent`. */
  unit?: string;
  /** Role of the input that it is like in all this. */
  as?: string;
}

export interface OutputSpec {
  kind: DatasetKind;
  label: string;
  /** Ending of the result's name, after the input's: `Mosaic`, `slope`. */
  suffix: string;
  /** What is known of it before there are any data: what a recipe is checked by. */
  holds?: Holds;
  /** There may be none of it. */
  optional?: true;
  shows?: Shows;
}

const made =
  <K extends DatasetKind>(kind: K) =>
  (label: string, suffix = label.toLowerCase(), holds?: Holds) =>
    ({ kind, label, suffix, ...(holds ? { holds } : {}) }) as { kind: K; label: string; suffix: string; holds?: Holds };

export const output = {
  raster: made('raster'),
  features: made('features'),
  maybeFeatures: (label: string, suffix = label.toLowerCase()) =>
    ({ kind: 'features', label, suffix, optional: true }) as const,
  table: made('table'),
  maybeTable: (label: string, suffix = label.toLowerCase()) =>
    ({ kind: 'table', label, suffix, optional: true }) as const,
  cloud: made('cloud'),
  network: made('network'),
  weights: made('weights'),
  stack: made('stack'),
  maybeRaster: (label: string, suffix = label.toLowerCase()) =>
    ({ kind: 'raster', label, suffix, optional: true }) as const,
};

/** A result with how it is shown. */
export const shown = <const O extends OutputSpec>(spec: O, shows: Shows): O & { shows: Shows } => ({ ...spec, shows });

export interface FigureSpec {
  label: string;
  /** Unit symbol; `share` for one from 0 to 1, which people are told in hundredths; `band` for the unit of the first input's values, `param:NAME` for the one a parameter names. */
  unit?: string;
}

export interface Suggestion {
  value: unknown;
  /** Where it comes from, in words. */
  reason: string;
}

export interface Estimate {
  cells: number;
  /** What is counted, where it is no cells. */
  of?: string;
  /** Working memory of the run. */
  bytes: number;
  seconds: number;
}

export type Figure = number | string | null;
export type Figures = Record<string, Figure>;

type GivenOf<S extends InputSpec> = Kinds[S['kind']][S extends { parts: true } ? 'handle' : 'data'];
type InfoOf<S extends InputSpec> = S extends { or: DatasetKind } ? DatasetInfo : Kinds[S['kind']]['info'];
type Held<S extends InputSpec, T> = S['many'] extends true ? T[] : S extends { least: 0 } ? T | undefined : T;

export type InputsOf<I extends Record<string, InputSpec>> = { [K in keyof I]: Held<I[K], GivenOf<I[K]>> };
export type InfosOf<I extends Record<string, InputSpec>> = { [K in keyof I]: Held<I[K], InfoOf<I[K]>> };
/** Sinks by kind, where a kind can be written part by part. */
interface Sinks {
  raster: RasterSink;
}
type MadeOf<S extends OutputSpec> =
  Kinds[S['kind']]['data'] | (S['kind'] extends keyof Sinks ? Sinks[S['kind']] : never);
type OutputsOf<O extends Record<string, OutputSpec>> = {
  [K in keyof O]: O[K] extends { optional: true } ? MadeOf<O[K]> | undefined : MadeOf<O[K]>;
};

/**
 * A method, defined once: its form, command, HTTP call, reference page and lineage all come from this.
 * `checks`, `suggest` and `estimate` see no cells, so every surface can call them while the analyst types.
 */
export interface Method<
  I extends Record<string, InputSpec> = Record<string, InputSpec>,
  P extends z.ZodObject = z.ZodObject,
  O extends Record<string, OutputSpec> = Record<string, OutputSpec>,
> {
  /** `family.name`, as in the catalogue. */
  id: string;
  version: number;
  title: string;
  question: string;
  /** What it does, what it assumes, how missing cells are treated. */
  about: string;
  /** Words an analyst may look for that are in neither title nor question. */
  keywords: string[];
  sources: string[];
  inputs: I;
  params: P;
  outputs: O;
  figures: Record<string, FigureSpec>;
  preview?: Previewed;
  /** A job of the workbench that it does. */
  serves?: Served;
  /** What chance decides in it; a method without it comes out alike whatever the seed. */
  random?: string;
  /** Name of the result where the output's label would not tell it from others; given the names of the inputs by role, and the role of the result. */
  named?: (names: Record<string, string[]>, params: z.output<P>, role: string) => string;
  checks?: (inputs: InfosOf<I>, params: z.output<P>) => Check[];
  suggest?: (inputs: InfosOf<I>, params: Partial<z.output<P>>) => Record<string, Suggestion | undefined>;
  estimate?: (inputs: InfosOf<I>, params: z.output<P>) => Estimate;
  /** Made of other methods: these are run one after the other in place of `run`. */
  chain?: Chain;
  run: (
    inputs: InputsOf<I>,
    params: z.output<P>,
    job: Job,
  ) => Promise<OutputsOf<O> & { figures: Figures }> | (OutputsOf<O> & { figures: Figures });
}

export function defineMethod<
  I extends Record<string, InputSpec>,
  P extends z.ZodObject,
  O extends Record<string, OutputSpec>,
>(m: Method<I, P, O>): Method {
  // The registry holds methods of every shape; inputs are checked against `inputs` before `run` sees them.
  return m as unknown as Method;
}
