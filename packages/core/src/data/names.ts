/** The words of a name, with the digits in them: `LX_20190204 (swir1)` -> `LX`, `20190204`, `swir1`. */
export const wordsIn = (name: string): string[] => name.match(/[\p{L}\p{N}]+/gu) ?? [];

/**
 * Names of which no two are alike: a name that is taken gets the first free number behind it. Each name costs the same however many
 * there are of it.
 */
export class FreeNames {
  private readonly taken: Set<string>;
  private readonly next = new Map<string, number>();

  /**
   * @param taken names that are in use already
   * @param join what stands between the name and its number
   * @param fold names that differ only in capitals count as alike
   */
  constructor(
    taken: Iterable<string> = [],
    private readonly join = ' ',
    private readonly fold = false,
  ) {
    this.taken = new Set([...taken].map((n) => this.key(n)));
  }

  /** The name, or `name 2`, `name 3`, …; taken from now on. */
  take(name: string): string {
    let free = name;
    let k = this.next.get(this.key(name)) ?? 2;
    while (this.taken.has(this.key(free))) free = `${name}${this.join}${k++}`;
    this.next.set(this.key(name), k);
    this.taken.add(this.key(free));
    return free;
  }

  private key(n: string): string {
    return this.fold ? n.toLowerCase() : n;
  }
}

/**
 * What alike names share: `elevation-nw`, `elevation-se` -> `elevation`; `tm_201601 mended`, `tm_201602 mended` -> `tm … mended`. Whole
 * words and numbers only.
 *
 * @returns the one name where there is one; null where they share no beginning
 */
export function commonName(names: readonly string[]): string | null {
  if (names.length === 1) return names[0]!;
  let common = names[0] ?? '';
  for (const n of names) while (!n.startsWith(common)) common = common.slice(0, -1);
  // Not half a word, nor half a number: of `tm_201601` and `tm_201702` it is `tm`.
  const goOn = (what: RegExp): boolean => what.test(common) && names.some((n) => what.test(n.charAt(common.length)));
  if (goOn(/\d$/)) common = common.replace(/\d+$/, '');
  else if (goOn(/\p{L}$/u)) common = common.replace(/\p{L}+$/u, '');
  const start = common.replace(/[-_ .]+\w?$/, '').trim();
  if (!start) return null;
  const rests = names.map((n) => n.slice(common.length));
  let end = rests[0]!;
  for (const r of rests) while (!r.endsWith(end)) end = end.slice(1);
  // Whole words again: of `tm_1 mended` and `tm_11 mended` it is `mended`.
  end = rests.some((r) => r === end) ? '' : end.replace(/^[^-_ .]*[-_ .]*/, '');
  return end ? `${start} … ${end}` : start;
}
