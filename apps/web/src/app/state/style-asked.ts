import { inject, Injectable, signal } from '@angular/core';
import { BenchStore } from './bench.store';

/** Asks for the way a dataset is drawn, in the pane where it is seen. */
@Injectable({ providedIn: 'root' })
export class StyleAsked {
  private readonly bench = inject(BenchStore);
  readonly wanted = signal<{ pane: number; dataset: string } | null>(null);

  ask(dataset: string): void {
    const seen = this.bench.panes().find((p) => p.layers.some((l) => l.dataset === dataset));
    if (!seen) this.bench.show(dataset, this.bench.activePane(), false);
    const pane = seen?.id ?? this.bench.activePane();
    this.bench.set({ activePane: pane, selected: dataset });
    this.wanted.set({ pane, dataset });
  }
}
