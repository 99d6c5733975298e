import type { ClassEntry } from './raster';

/** A class with a name of its own: neither its number nor what a method called it by. */
export const isNamed = ({ value, label }: Pick<ClassEntry, 'value' | 'label'>): boolean => {
  const plain = label.trim();
  return plain !== '' && plain !== String(value) && plain !== `cluster ${value}`;
};

export interface NamedGroup {
  /** Value of the class that is made. */
  value: number;
  label: string;
  colour: string | null;
  /** Values that become it. */
  from: number[];
}

const plain = (s: string): string => s.trim().toLowerCase();

/**
 * Classes that names make: values that are named alike (whatever the size of letters) become one, numbered from 1 in the order in which a
 * name first comes. The name and colour are those of its first value.
 *
 * @returns the groups, and the values that have no name
 */
export function groupsOf(classes: readonly ClassEntry[]): { groups: NamedGroup[]; unnamed: number[] } {
  const groups = new Map<string, NamedGroup>();
  const unnamed: number[] = [];
  for (const c of classes) {
    if (!isNamed(c)) {
      unnamed.push(c.value);
      continue;
    }
    const key = plain(c.label);
    const g = groups.get(key);
    if (g) g.from.push(c.value);
    else groups.set(key, { value: groups.size + 1, label: c.label.trim(), colour: c.colour, from: [c.value] });
  }
  return { groups: [...groups.values()], unnamed };
}

/** A name that was used before, with its colour. */
export type KnownClass = Pick<ClassEntry, 'label' | 'colour'>;

/**
 * Names that a beginning may stand for: those that begin so first, then those with a word that does; each once, in the order given.
 *
 * @param known latest first
 */
export function suggestedNames(beginning: string, known: readonly KnownClass[], most = 6): KnownClass[] {
  const b = plain(beginning);
  const once = new Map<string, KnownClass>();
  for (const k of known) if (!once.has(plain(k.label))) once.set(plain(k.label), k);
  const all = [...once.values()];
  if (!b) return all.slice(0, most);
  const first = all.filter((k) => plain(k.label).startsWith(b));
  const later = all.filter(
    (k) =>
      !first.includes(k) &&
      plain(k.label)
        .split(/[\s,/-]+/)
        .some((w) => w.startsWith(b)),
  );
  return [...first, ...later].slice(0, most);
}
