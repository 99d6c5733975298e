import { inject, Injectable } from '@angular/core';
import type { Extent } from '@helk/core';
import { clientKind } from '../kinds';
import { KindTools } from '../kinds/tools';
import { BenchStore } from '../state/bench.store';
import { Looks } from '../state/looks';
import { ProjectStore } from '../state/project.store';
import { Views } from '../state/views';

/** Draws a dataset by what a pane shows of it at this moment. */
@Injectable({ providedIn: 'root' })
export class InView {
  private readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly views = inject(Views);
  private readonly looks = inject(Looks);
  private readonly tools = inject(KindTools);

  async stretch(pane: number, dataset: string): Promise<void> {
    const item = this.store.datasetEntityMap()[dataset];
    const project = this.store.project();
    if (!item || !project) return;
    const layer = this.bench
      .panes()
      .find((p) => p.id === pane)
      ?.layers.find((l) => l.dataset === dataset);
    const crs = this.store.crs();
    const box = this.views.for(pane, this.bench.linkedView(), crs, project.id).calculateExtent() as Extent;
    const patch = await this.store.guarded(
      async () =>
        (await clientKind(item.info).stretched?.(item, this.looks.of(item, layer), box, crs, this.tools)) ?? null,
    );
    if (patch) this.bench.restyle(pane, dataset, patch);
    else if (patch === null) this.store.notify('Nothing of it is in view, or all of it is alike.', 'refused');
  }
}
