import { inject, Injectable } from '@angular/core';
import { BenchStore } from './bench.store';
import { Cursor } from './cursor';
import type { Pane } from './panes';
import { Picks } from './picks';

/** One class of a raster that stands out, all others being faded. */
@Injectable({ providedIn: 'root' })
export class Lit {
  private readonly picks = inject(Picks);
  private readonly cursor = inject(Cursor);
  private readonly bench = inject(BenchStore);

  light(dataset: string, value: number | null): void {
    this.picks.range.set(value === null ? null : { dataset, band: 0, low: value, high: value, alone: true });
    this.cursor.tells.set(dataset);
  }

  /** Whether classes are shown over the picture. */
  lies(classes: string, scene: string): boolean {
    const has = (p: Pane, id: string): boolean => p.layers.some((l) => l.dataset === id);
    return this.bench.panes().some((p) => has(p, scene) && has(p, classes));
  }

  /** Lays the classes over the picture, where only the lit one is drawn; or takes them off it. */
  lay(classes: string, scene: string, on: boolean): void {
    for (const p of this.bench.panes()) {
      if (!p.layers.some((l) => l.dataset === scene)) continue;
      if (on && !p.layers.some((l) => l.dataset === classes))
        this.bench.change(p.id, (q) => ({ ...q, layers: [...q.layers, { dataset: classes, visible: true }] }));
      else if (!on) this.bench.change(p.id, (q) => ({ ...q, layers: q.layers.filter((l) => l.dataset !== classes) }));
    }
  }

  out(): void {
    if (this.picks.range()?.alone) this.picks.range.set(null);
    this.cursor.tells.set(null);
  }
}
