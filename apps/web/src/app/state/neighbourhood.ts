import { computed, effect, inject, Injectable, untracked } from '@angular/core';
import { dataOf, kindOf, ofKind } from '@helk/core';
import { datasetsIn } from '@helk/core/api/refs';
import { BenchStore } from './bench.store';
import { FeatureData } from './feature-data';
import { Picks } from './picks';
import { ProjectStore, type DatasetItem } from './project.store';

/** Weights and the features they are of: what is picked there lights its links here. */
@Injectable({ providedIn: 'root' })
export class Neighbourhood {
  private readonly project = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly picks = inject(Picks);
  private readonly data = inject(FeatureData);

  /** Weights that are seen in a pane. */
  private readonly seen = computed(() =>
    [...new Set(this.bench.panes().flatMap((p) => p.layers.filter((l) => l.visible).map((l) => l.dataset)))]
      .map((id) => this.project.datasetEntityMap()[id])
      .filter((d): d is DatasetItem => !!d && ofKind('weights', d.info) !== null),
  );

  /** What is to be lit of which. Lighting it changes what is picked, but not this: else it would never come to rest. */
  private readonly wanted = computed(
    () =>
      this.seen().flatMap((w) => {
        const source = this.sourceOf(w);
        const lines = dataOf('features', this.data.now(w.id));
        return source && lines ? [{ id: w.id, lines, picked: this.pickedOf(source) }] : [];
      }),
    {
      equal: (a, b) =>
        a.length === b.length &&
        a.every((x, k) => x.id === b[k]!.id && x.lines === b[k]!.lines && x.picked === b[k]!.picked),
    },
  );

  constructor() {
    effect(() => {
      for (const { id, lines, picked } of this.wanted()) untracked(() => this.light(id, lines.columns, picked));
    });
  }

  /** What is picked of the features, or of any others that lie at the same places in the same order because they were made from them. */
  private pickedOf(source: DatasetItem): Uint8Array | null {
    for (const d of this.project.datasetEntities())
      if (d.id === source.id || this.rootOf(d) === source.id) {
        const p = this.picks.of(d.id);
        if (p && kindOf(d.info).rows?.(d.info).count === kindOf(source.info).rows?.(source.info).count) return p;
      }
    return null;
  }

  /** The dataset whose rows another has, with columns more: through runs that keep them. */
  private rootOf(d: DatasetItem): string {
    const run = this.project.madeBy(d);
    const from = run?.inputs['features']?.[0];
    const source = from ? this.project.datasetEntityMap()[datasetsIn({ of: [from] })[0]!] : undefined;
    return source && run!.method.startsWith('stats.') ? this.rootOf(source) : d.id;
  }

  /** The features that weights were made from, where they are in the project. */
  sourceOf(w: DatasetItem): DatasetItem | undefined {
    const run = this.project.madeBy(w);
    const from = run?.inputs['features']?.[0];
    return from ? this.project.datasetEntityMap()[datasetsIn({ of: [from] })[0]!] : undefined;
  }

  /** Weights of features, or of those they have their rows from; the last made first. */
  weightsOf(d: DatasetItem): DatasetItem[] {
    const root = this.rootOf(d);
    return this.project
      .datasetEntities()
      .filter((w) => ofKind('weights', w.info) !== null && this.sourceOf(w)?.id !== undefined)
      .filter((w) => this.rootOf(this.sourceOf(w)!) === root)
      .reverse();
  }

  /** Adds to what is picked whoever is near it by some weights. */
  async spread(d: DatasetItem, w: DatasetItem): Promise<void> {
    const picked = this.picks.of(d.id);
    const lines = await this.data.get(w.id);
    if (!picked) return;
    const [from, to, weight] = ['from', 'to', 'weight'].map(
      (n) => lines.columns.find((c) => c.name === n)!.values as Float64Array,
    ) as [Float64Array, Float64Array, Float64Array];
    const out = Uint8Array.from(picked);
    for (let k = 0; k < from.length; k++) if (weight[k] === weight[k] && picked[from[k]! - 1]) out[to[k]! - 1] = 1;
    this.picks.pick(d.id, out, 'replace');
  }

  private light(
    id: string,
    columns: { name: string; values: Float64Array | string[] }[],
    picked: Uint8Array | null,
  ): void {
    if (!picked) {
      if (this.picks.of(id)) this.picks.clear(id);
      return;
    }
    const from = columns.find((c) => c.name === 'from')!.values as Float64Array;
    this.picks.pick(
      id,
      Uint8Array.from(from, (i) => picked[i - 1] ?? 0),
      'replace',
    );
  }
}
