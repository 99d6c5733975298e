import { wordsIn } from '@helk/core';

/**
 * How a name can be read: by its words, `LX_20190204_swir1` -> `lx`, `20190204`, `swir1`, and by letters and digits, `tile12` -> `tile`, `12`.
 */
function readings(name: string): string[][] {
  const words = wordsIn(name.toLowerCase());
  const parts = words.flatMap((w) => w.match(/\p{L}+|\d+/gu) ?? [w]);
  // The only word of a name is no difference to its likes where a number in it can be one.
  return words.length === 1 && parts.length > 1 ? [parts] : [words, parts];
}

/**
 * Which of many names belong together: those that differ in one word or number only, and those that differ so from one of them, as tiles of a
 * survey, bands of a scene and months of a series do. Names of a single word tell nothing, and belong together.
 *
 * @returns for each name the number of its set, the first name's first. O(n) in the number of names.
 */
export function nameSets(names: readonly string[]): number[] {
  const parent = names.map((_, i) => i);
  const root = (i: number): number => {
    while (parent[i] !== i) i = parent[i] = parent[parent[i]!]!;
    return i;
  };
  const first = new Map<string, number>();
  names.forEach((name, i) => {
    for (const all of readings(name))
      for (let k = 0; k < all.length; k++) {
        const but = JSON.stringify(all.map((p, j) => (j === k ? null : p)));
        const other = first.get(but);
        if (other === undefined) first.set(but, i);
        else {
          const [a, b] = [root(other), root(i)];
          parent[Math.max(a, b)] = Math.min(a, b);
        }
      }
  });
  const number = new Map<number, number>();
  return names.map((_, i) => {
    const r = root(i);
    if (!number.has(r)) number.set(r, number.size);
    return number.get(r)!;
  });
}
