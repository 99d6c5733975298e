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
