import { computed, inject, Injectable, signal } from '@angular/core';
import { systemOf } from '@helk/core';
import { refOf, refText } from '@helk/core/api/refs';
import { BenchStore } from './bench.store';
import { ProjectStore, type DatasetItem } from './project.store';
import { newest, runsAnew, staleOf, staleWords } from '@helk/core/recipe/stale';

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

  /** Results that are out of date because a newer source has come. */
  readonly outdated = computed(() => [...this.stale()].filter(([, m]) => 'newer' in m).map(([id]) => id));

  /**
   * Makes results again from what is right now, and what they were made from before them, each run once. What was wrong stays beside the new
   * one; what was out of date goes when all is there, and can be brought back.
   */
  async make(...ids: string[]): Promise<void> {
    const { store } = this;
    const stale = this.stale();
    const runs = runsAnew(ids, store.datasetEntities(), store.runEntityMap(), stale);
    this.busy.set(ids[0] ?? null);
    await store.guarded(async () => {
      /** What has come in the place of each. */
      const instead = new Map<string, string>();
      for (const run of runs) {
        const inputs = Object.fromEntries(
          Object.entries(run.inputs).map(([role, refs]) => [
            role,
            refs.map((ref) => {
              const { dataset, band } = refOf(ref);
              return refText({ dataset: instead.get(dataset) ?? newest(dataset, store.datasetEntityMap()), band });
            }),
          ]),
        );
        const made = await store.runToEnd(run.method, inputs, run.params, { seed: run.seed, variantOf: run.id });
        const role = (of: string): string => {
          const d = store.datasetEntityMap()[of];
          return `${d?.step} ${d?.role}`;
        };
        for (const old of run.outputs) {
          const twin = store.datasetEntityMap()[old] && made.find((m) => role(m) === role(old));
          if (twin) instead.set(old, twin);
        }
      }
      for (const [old, next] of instead) this.bench.replaceLayer(old, next);
      const last = instead.get(ids.at(-1) ?? '');
      if (last) this.bench.select(last);
      const outdated = [...instead].filter(([old]) => 'newer' in (stale.get(old) ?? {}));
      if (outdated.length) await store.succeed(outdated);
      else store.notify('Made anew beside the old one.');
    });
    this.busy.set(null);
  }

  /** Takes a newer file in for a source; what was made from that is out of date from then on. */
  async replace(source: DatasetItem, file: File): Promise<void> {
    const crs = systemOf(source.info);
    const [next] = await this.store.takeInNow([file], crs?.code ?? null);
    if (!next) return;
    await this.store.patchDataset(source.id, { replacedBy: next });
    if (source.thread) await this.store.patchDataset(next, { thread: source.thread });
  }
}
