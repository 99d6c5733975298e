import { computed, inject, Injectable, signal } from '@angular/core';
import { kindOf } from '@helk/core';
import type { Place } from '../kinds/kind';
import { BenchStore } from './bench.store';
import { Picks } from './picks';
import { ProjectStore } from './project.store';

/** What lies under a pointer. */
export interface Hit {
  dataset: string;
  row: number;
}

/**
 * What a click in a pane does. It reads; it picks only where that was asked for, by the pane's tool or by a key that is held, so that
 * nobody who reads a value loses what was picked, or the evidence that was open.
 */
@Injectable({ providedIn: 'root' })
export class Clicking {
  private readonly bench = inject(BenchStore);
  private readonly picks = inject(Picks);
  private readonly project = inject(ProjectStore);

  /** Every click picks, until that is over. */
  readonly picking = signal(false);
  private readonly under = signal<ReadonlyMap<string, number>>(new Map());
  /** Rows that lay at the place that is read, by the dataset that all with these rows go back to. */
  private readonly rows = computed(() => (this.bench.readout() ? this.under() : new Map<string, number>()));

  /** The row that was read of a dataset. */
  readOf(dataset: string): number | null {
    return this.rows().get(this.picks.root(dataset)) ?? null;
  }

  /**
   * @param place in the system of the panes
   * @param hits what lies there, the topmost first
   */
  at(
    pane: number,
    place: Place,
    hits: readonly Hit[],
    held: Pick<PointerEvent, 'shiftKey' | 'ctrlKey' | 'metaKey'>,
  ): void {
    const real = hits.filter((h) => h.row >= 0 && h.row < this.count(h.dataset));
    this.under.set(new Map(real.map((h) => [this.picks.root(h.dataset), h.row] as const).reverse()));
    this.bench.set({ readout: place, activePane: pane });
    const more = held.shiftKey || held.ctrlKey || held.metaKey;
    if (!more && !this.picking()) return;
    // The one whose evidence is open goes before what only lies on top of it.
    const chosen = this.bench.selected();
    const own = real.find((h) => h.dataset === chosen) ?? real.find((h) => chosen && this.same(h.dataset, chosen));
    const hit = own ?? real[0];
    if (!hit) return;
    const rows = new Uint8Array(this.count(hit.dataset));
    rows[hit.row] = 1;
    const was = this.picks.of(hit.dataset)?.[hit.row] === 1;
    this.picks.pick(hit.dataset, rows, more ? (was ? 'remove' : 'add') : this.picks.mode());
    if (!own) this.bench.select(hit.dataset);
  }

  private same(a: string, b: string): boolean {
    return this.picks.root(a) === this.picks.root(b);
  }

  private count(dataset: string): number {
    const info = this.project.datasetEntityMap()[dataset]?.info;
    return (info && kindOf(info).rows?.(info).count) ?? 0;
  }
}
