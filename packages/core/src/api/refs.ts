import * as z from 'zod';

/** What projects, datasets, runs, recipes and run tables are known by. */
export const Id = z.string().regex(/^[a-z0-9]{6,32}$/);

/** An input of a run: a dataset, and where it matters one of its bands, counted from 0. */
export interface InputRef {
  dataset: string;
  band: number | null;
}

/** How it is written. */
export const REF = /^[a-z0-9]{6,32}(#[1-9]\d{0,4})?$/;

/** `abc123` or, for its second band, `abc123#2`. */
export function refOf(text: string): InputRef {
  const hash = text.indexOf('#');
  if (hash < 0) return { dataset: text, band: null };
  return { dataset: text.slice(0, hash), band: Number(text.slice(hash + 1)) - 1 };
}

export const refText = ({ dataset, band }: InputRef): string => (band === null ? dataset : `${dataset}#${band + 1}`);

/** Datasets that are named as inputs, whatever their roles and bands. */
export const datasetsIn = (inputs: Readonly<Record<string, readonly string[]>>): string[] =>
  Object.values(inputs)
    .flat()
    .map((r) => refOf(r).dataset);
