import { inject, Injectable } from '@angular/core';
import { clientKind } from '../kinds';
import { BenchStore } from '../state/bench.store';
import { Looks } from '../state/looks';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** Where results go when a run has ended. */
@Injectable({ providedIn: 'root' })
export class ShownResults {
  private readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly looks = inject(Looks);

  /** The first result with a picture is shown where its kind goes; what its method says is read first is opened in the evidence. */
  show(made: readonly DatasetItem[]): void {
    const first = made.find((d) => clientKind(d.info).goes !== 'evidence') ?? made[0];
    if (!first) return;
    const on = clientKind(first.info).goes === 'on top';
    const sibling = this.siblingOf(first);
    // What lies on top of others is held against its sibling in a pane like that one's.
    const beside = on && sibling !== null && this.bench.showVariant(first.id, sibling);
    if (on && !beside) this.bench.show(first.id, this.bench.activePane(), true);
    if (!on) this.bench.showBeside(first.id);
    const read = made.find((d) => this.looks.shows(d)?.first);
    if (read) this.bench.set({ selected: read.id, evidence: true });
  }

  /** The result of the run it varies that has the same role. */
  private siblingOf(d: DatasetItem): string | null {
    const run = this.store.madeBy(d);
    const before = run?.variantOf ? this.store.runEntityMap()[run.variantOf] : undefined;
    return before?.outputs.find((id) => this.store.datasetEntityMap()[id]?.role === d.role) ?? null;
  }
}
