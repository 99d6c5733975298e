import { computed, Injectable, signal } from '@angular/core';

/** How a new choice is brought together with the one there is. */
export type Gather = 'replace' | 'add' | 'remove' | 'intersect';

/** Rows that are picked, by dataset: the same in maps, tables and charts. Kept out of the store, as it may be millions. */
@Injectable({ providedIn: 'root' })
export class Picks {
  private readonly held = signal<ReadonlyMap<string, Uint8Array>>(new Map());
  readonly mode = signal<Gather>('replace');
  /** Values of a raster that stand out on its maps and in its histogram; alone: all others are faded, or not drawn over something else. */
  readonly range = signal<{ dataset: string; band: number; low: number; high: number; alone?: boolean } | null>(null);

  /** The dataset that all that have its rows go back to: they are picked together. Told by whoever knows. */
  root: (dataset: string) => string = (dataset) => dataset;

  of(dataset: string | null | undefined): Uint8Array | null {
    return dataset ? (this.held().get(this.root(dataset)) ?? null) : null;
  }

  count(dataset: string | null | undefined): number {
    const p = this.of(dataset);
    if (!p) return 0;
    let n = 0;
    for (let i = 0; i < p.length; i++) n += p[i]!;
    return n;
  }

  /** Brings a choice of rows together with what is picked. */
  pick(dataset: string, rows: Uint8Array, mode: Gather = this.mode()): void {
    const before = this.held().get(this.root(dataset));
    const out = Uint8Array.from(rows);
    if (mode !== 'replace')
      for (let i = 0; i < out.length; i++) {
        const was = before?.[i] ?? 0;
        out[i] = mode === 'add' ? was | rows[i]! : mode === 'remove' ? was & (1 - rows[i]!) : was & rows[i]!;
      }
    this.set(dataset, out);
  }

  invert(dataset: string, total: number): void {
    const p = this.held().get(this.root(dataset));
    this.set(
      dataset,
      Uint8Array.from({ length: total }, (_, i) => 1 - (p?.[i] ?? 0)),
    );
  }

  clear(dataset: string): void {
    const next = new Map(this.held());
    next.delete(this.root(dataset));
    this.held.set(next);
  }

  private set(dataset: string, rows: Uint8Array): void {
    const next = new Map(this.held());
    const root = this.root(dataset);
    if (rows.some((v) => v === 1)) next.set(root, rows);
    else next.delete(root);
    this.held.set(next);
  }

  readonly any = computed(() => this.held().size > 0);
}
