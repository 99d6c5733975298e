import { formatFigure } from '../data/number-words';
import type { InputSpec, Method } from './define';
import { FAMILIES, familyOf } from './registry';
import type { Previewed, Served } from './shows';
import { paramSpecs, type ParamSpec } from './params';
import { kindOf, type Dataset, type DatasetInfo } from '../data/kinds';

/** A method without its functions: what forms, command line help, the HTTP API and the reference pages are made of. */
export interface MethodDescription {
  id: string;
  version: number;
  family: string;
  /** What the family is called. */
  familyTitle: string;
  title: string;
  question: string;
  about: string;
  keywords: string[];
  sources: string[];
  inputs: Record<string, Omit<InputSpec, 'refuses'>>;
  params: Record<string, ParamSpec>;
  outputs: Method['outputs'];
  figures: Method['figures'];
  preview: Previewed | null;
  serves: Served | null;
  /** What chance decides, by a seed; null where nothing is left to it. */
  random: string | null;
}

export function describeMethod(m: Method): MethodDescription {
  const { id, version, title, question, about, keywords, sources, inputs, outputs, figures } = m;
  return {
    id,
    version,
    family: familyOf(m),
    familyTitle: FAMILIES[familyOf(m)] ?? familyOf(m),
    title,
    question,
    about,
    keywords,
    sources,
    inputs: Object.fromEntries(Object.entries(inputs).map(([role, { refuses: _, ...spec }]) => [role, spec])),
    params: paramSpecs(m.params),
    outputs,
    figures,
    preview: m.preview ?? null,
    serves: m.serves ?? null,
    random: m.random ?? null,
  };
}

/**
 * The unit a figure has: its own, the setting's for `param:NAME`, that of the first input's values for `band` and of the first
 * result's for `result`; empty where it is not known.
 */
export function figureUnit(
  unit: string | undefined,
  params: Record<string, unknown> = {},
  of: { band?: Dataset | DatasetInfo | undefined; result?: Dataset | DatasetInfo | undefined } = {},
): string {
  if (!unit) return '';
  if (unit === 'band' || unit === 'result') {
    const info = of[unit];
    return info ? (kindOf(info).unit(info as DatasetInfo) ?? '') : '';
  }
  return unit.startsWith('param:') ? String(params[unit.slice(6)] ?? '') : unit;
}

/** A figure as it is read, with its unit. */
export const figureWords = (v: number | string | null, unit: string): string =>
  v === null ? '–' : typeof v === 'number' ? formatFigure(v, unit) : v;
