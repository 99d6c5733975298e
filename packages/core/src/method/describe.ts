import type { Check, Method } from './define';
import { familyOf } from './registry';
import { paramSpecs, type ParamSpec } from './params';

/** A method without its functions: what forms, command line help, the HTTP API and the reference pages are made of. */
export interface MethodDescription {
  id: string;
  version: number;
  family: string;
  title: string;
  question: string;
  about: string;
  keywords: string[];
  sources: string[];
  inputs: Method['inputs'];
  params: Record<string, ParamSpec>;
  outputs: Method['outputs'];
  figures: Method['figures'];
}

export function describeMethod(m: Method): MethodDescription {
  const { id, version, title, question, about, keywords, sources, inputs, outputs, figures } = m;
  return {
    id,
    version,
    family: familyOf(m),
    title,
    question,
    about,
    keywords,
    sources,
    inputs,
    params: paramSpecs(m.params),
    outputs,
    figures,
  };
}

/** The unit a figure has whatever the data: empty for that of the first input's or the result's values, the setting's for `param:NAME`. */
export function figureUnit(unit: string | undefined, params: Record<string, unknown> = {}): string {
  if (!unit || unit === 'band' || unit === 'result') return '';
  return unit.startsWith('param:') ? String(params[unit.slice(6)] ?? '') : unit;
}

export type { Check };
