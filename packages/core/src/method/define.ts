import type { z } from 'zod';
import type { DatasetInfo, FeaturesInfo, RasterInfo } from '../data/dataset';
import type { Features, GeometryType } from '../data/features';
import type { Raster } from '../data/raster';
import type { Table } from '../data/table';
import type { Job } from './job';

export interface InputSpec {
  kind: 'raster' | 'features' | 'table';
  /** Features may stand in for a table: their columns are what is wanted. */
  orFeatures?: true;
  label: string;
  help?: string;
  /** Least number of datasets; 0 for one that may be left out. */
  least: number;
  /** Takes several datasets. */
  many: boolean;
  band?: 'measure' | 'category';
  /** Dimension the values should have; only checked, never converted unseen. */
  unit?: 'length';
  geometry?: GeometryType;
  /** Why a dataset of the right kind still cannot do, whatever the settings; null when it can. */
  refuses?: (info: DatasetInfo) => string | null;
}

type InputOptions = { label?: string; help?: string };

/** How a method declares what it takes. */
export const input = {
  raster: (o: InputOptions & { band?: 'measure' | 'category'; unit?: 'length' } = {}) =>
    ({ kind: 'raster', least: 1, many: false, label: 'Raster', ...o }) as const,
  rasters: (o: InputOptions & { least?: number } = {}) =>
    ({ kind: 'raster', least: 1, many: true, label: 'Rasters', ...o }) as const,
  features: (o: InputOptions & { geometry?: GeometryType; least?: 0 | 1 } = {}) =>
    ({ kind: 'features', least: 1, many: false, label: 'Features', ...o }) as const,
  featureSets: (o: InputOptions & { geometry?: GeometryType; least?: number } = {}) =>
    ({ kind: 'features', least: 1, many: true, label: 'Features', ...o }) as const,
  table: (o: InputOptions = {}) => ({ kind: 'table', least: 1, many: false, label: 'Table', ...o }) as const,
} satisfies Record<string, (o?: never) => InputSpec>;

export interface OutputSpec {
  kind: 'raster' | 'features' | 'table';
  label: string;
  /** Ending of the result's name, after the input's: `Mosaic`, `slope`. */
  suffix: string;
  /** There may be none of it. */
  optional?: true;
}

export const output = {
  raster: (label: string, suffix = label.toLowerCase()) => ({ kind: 'raster', label, suffix }) as const,
  features: (label: string, suffix = label.toLowerCase()) => ({ kind: 'features', label, suffix }) as const,
  maybeFeatures: (label: string, suffix = label.toLowerCase()) =>
    ({ kind: 'features', label, suffix, optional: true }) as const,
  table: (label: string, suffix = label.toLowerCase()) => ({ kind: 'table', label, suffix }) as const,
};

export interface FigureSpec {
  label: string;
  /** Unit symbol; `band` for the unit of the first input's values, `param:NAME` for the one a parameter names. */
  unit?: string;
}

/** Where a mend leads: settings to change, or another method to run first on an input. */
export interface Mend {
  label: string;
  set?: Record<string, unknown>;
  run?: { method: string; role: string; input: string; params?: Record<string, unknown> };
}

/** A finding before the run. `fine` is said too: an analyst wants to know what has been looked at. */
export interface Check {
  level: 'fine' | 'look' | 'refused';
  code: string;
  message: string;
  /** Input or parameter it is about. */
  about?: string;
  mend?: Mend;
}

export interface Suggestion {
  value: unknown;
  /** Where it comes from, in words. */
  reason: string;
}

export interface Estimate {
  cells: number;
  /** Working memory of the run. */
  bytes: number;
  seconds: number;
}

export type Figure = number | string | null;
export type Figures = Record<string, Figure>;

type DataOf<S extends InputSpec> = S['kind'] extends 'raster'
  ? Raster
  : S['kind'] extends 'features'
    ? Features
    : Table;
type InfoOf<S extends InputSpec> = S['kind'] extends 'raster'
  ? RasterInfo
  : S['kind'] extends 'features'
    ? FeaturesInfo
    : DatasetInfo;
type Held<S extends InputSpec, T> = S['many'] extends true ? T[] : S extends { least: 0 } ? T | undefined : T;

export type InputsOf<I extends Record<string, InputSpec>> = { [K in keyof I]: Held<I[K], DataOf<I[K]>> };
export type InfosOf<I extends Record<string, InputSpec>> = { [K in keyof I]: Held<I[K], InfoOf<I[K]>> };
type MadeOf<S extends OutputSpec> = S['kind'] extends 'raster'
  ? Raster
  : S['kind'] extends 'features'
    ? Features
    : Table;
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
  /** What chance decides in it; a method without it comes out alike whatever the seed. */
  random?: string;
  /** Name of the result where the output's label would not tell it from others; given the names of the inputs by role. */
  named?: (names: Record<string, string[]>, params: z.output<P>) => string;
  checks?: (inputs: InfosOf<I>, params: z.output<P>) => Check[];
  suggest?: (inputs: InfosOf<I>, params: Partial<z.output<P>>) => Record<string, Suggestion | undefined>;
  estimate?: (inputs: InfosOf<I>, params: z.output<P>) => Estimate;
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
