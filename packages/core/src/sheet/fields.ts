/** What a field of a text stands for, told to whoever writes one. */
export const FIELDS = {
  sheet: 'name of the sheet',
  project: 'name of the project',
  date: 'today, like 2026-11-27',
  scale: 'scale of the frame, like 1:25 000',
  system: 'coordinate reference system of the frame',
  layers: 'what the frame shows',
  source: 'files that what is shown goes back to',
  method: 'methods that made what is shown',
  name: 'what this sheet of many is of',
  number: 'which of many sheets this is',
  of: 'how many sheets there are',
} as const;
export type FieldName = keyof typeof FIELDS;

const FIELD = /\{([^{}]{1,200})\}/g;

/** Fields that a text asks for. */
export const fieldsIn = (text: string): string[] => [...text.matchAll(FIELD)].map((m) => m[1]!.trim());

/**
 * A text with its fields filled in. `{{` and `}}` are braces. A field that nothing is known of stays as it was written, so that it is seen.
 *
 * @param values what is known, by name: the fields above, figures and columns of the feature a sheet is of
 */
export function filled(text: string, values: ReadonlyMap<string, string>): string {
  const low = new Map([...values].map(([k, v]) => [k.toLowerCase(), v]));
  const open = '\u0001';
  const close = '\u0002';
  return text
    .replaceAll('{{', open)
    .replaceAll('}}', close)
    .replace(FIELD, (all, name: string) => values.get(name.trim()) ?? low.get(name.trim().toLowerCase()) ?? all)
    .replaceAll(open, '{')
    .replaceAll(close, '}');
}

/** Fields of a text that nothing is known of. */
export function unknownFields(text: string, values: ReadonlyMap<string, string>): string[] {
  const low = new Set([...values.keys()].map((k) => k.toLowerCase()));
  return fieldsIn(text.replaceAll('{{', '').replaceAll('}}', '')).filter((f) => !low.has(f.toLowerCase()));
}

/** A text as the name of a file, without its ending: what no file may be called is left out. */
export const fileName = (text: string, otherwise: string): string =>
  text
    // eslint-disable-next-line no-control-regex -- control characters are what is to be left out
    .replace(/[\u0000-\u001f\\/:*?"<>|]/g, ' ')
    .replace(/\s+/g, ' ')
    .replace(/^[\s.]+|[\s.]+$/g, '')
    .slice(0, 120) || otherwise;

/** A name for a file from a pattern: what no file may be called is left out, and two are never called alike. */
export function fileNames(pattern: string, each: readonly ReadonlyMap<string, string>[]): string[] {
  const taken = new Map<string, number>();
  return each.map((values, i) => {
    const name = fileName(filled(pattern, values), `sheet ${i + 1}`);
    const n = (taken.get(name.toLowerCase()) ?? 0) + 1;
    taken.set(name.toLowerCase(), n);
    return n === 1 ? name : `${name} (${n})`;
  });
}
