import { HelkError } from '../errors';
import type { ClassEntry } from '../data/raster';

/**
 * A class table as text that other programs can read: `{ "classes": [{ "value": 1, "label": "water", "colour": "#4f88b3" }] }`. Categories of
 * text columns have no value.
 */
export function writeClassTable(classes: readonly { value?: number; label: string; colour: string | null }[]): string {
  return `${JSON.stringify({ classes }, null, 2)}\n`;
}

/** @throws HelkError `file.damaged` with what is wrong and in which entry. */
export function readClassTable(text: string): (Omit<ClassEntry, 'value'> & { value?: number })[] {
  const no = (why: string): never => {
    throw new HelkError('file.damaged', `This is no class table: ${why}.`, 'classes');
  };
  let tree: unknown;
  try {
    tree = JSON.parse(text);
  } catch {
    return no('it is not JSON');
  }
  const list = (tree as { classes?: unknown } | null)?.classes;
  if (!Array.isArray(list)) return no('it has no list "classes"');
  return list.map((e: unknown, i) => {
    const { value, label, colour } = (e ?? {}) as Record<string, unknown>;
    if (value !== undefined && !(typeof value === 'number' && Number.isInteger(value)))
      return no(`entry ${i + 1} has a value that is no whole number`);
    if (value === undefined && typeof label !== 'string') return no(`entry ${i + 1} has neither value nor label`);
    if (colour !== undefined && colour !== null && !(typeof colour === 'string' && /^#[0-9a-f]{6}$/i.test(colour)))
      return no(`the colour of entry ${i + 1} is not written like #4f88b3`);
    return {
      ...(value === undefined ? {} : { value: value as number }),
      label: typeof label === 'string' ? label : String(value),
      colour: (colour as string | null | undefined) ?? null,
    };
  });
}
