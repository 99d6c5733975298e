import { computed, inject, Injectable, signal } from '@angular/core';
import { refOf, refText } from '@helk/core/api/refs';
import { BenchStore } from './bench.store';
import { ProjectStore } from './project.store';
import { runsAnew, staleOf, staleWords } from './stale';

/** Results that rest on a coordinate system that has been put right since: which they are, and making them anew. */
@Injectable({ providedIn: 'root' })
export class Anew {
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly stale = computed(() => staleOf(this.store.datasetEntities(), this.store.runEntityMap()));
  /** What is being made anew. */
  readonly busy = signal<string | null>(null);

  /** What there is to say of a dataset; empty when all is well. */
  words(id: string): string {
    const moved = this.stale().get(id);
    return moved ? staleWords(moved) : '';
  }

  /** Makes a result again from what is right now, and what it was made from before it; it stands where the old one stood. */
  async make(id: string): Promise<void> {
    const { store } = this;
    const runs = runsAnew(id, store.datasetEntities(), store.runEntityMap(), this.stale());
    this.busy.set(id);
    await store.guarded(async () => {
      /** What has come in the place of each. */
      const instead = new Map<string, string>();
      for (const run of runs) {
        const inputs = Object.fromEntries(
          Object.entries(run.inputs).map(([role, refs]) => [
            role,
            refs.map((ref) => {
              const { dataset, band } = refOf(ref);
              return refText({ dataset: instead.get(dataset) ?? dataset, band });
            }),
          ]),
        );
        const made = await store.runToEnd(run.method, inputs, run.params, { seed: run.seed, variantOf: run.id });
        const role = (of: string): string | null => store.datasetEntityMap()[of]?.role ?? null;
        for (const old of run.outputs) {
          const twin = made.find((m) => role(m) === role(old));
          if (twin) instead.set(old, twin);
        }
      }
      for (const [old, next] of instead) this.bench.replaceLayer(old, next);
      const last = instead.get(id);
      if (last) this.bench.select(last);
      store.notify('Made anew beside the old one.');
    });
    this.busy.set(null);
  }
}
