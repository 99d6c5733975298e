import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { ofKind, sceneGroups, type SceneGroup } from '@helk/core';
import { datasetsIn } from '@helk/core/api/refs';
import { BenchStore } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';

/** Files of one band that came together and belong together are offered as one scene. */
@Component({
  selector: 'helk-scene-offer',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (g of offers(); track g.ids[0]) {
      <div class="check check-look mx-3 mb-2" data-testid="scene-offer">
        {{ g.ids.length }} files look like the bands of one scene, <b class="font-[600]">{{ g.name }}</b>:
        {{ g.bands.join(', ') }}.
        <span class="flex gap-3 mt-1">
          <button class="link" [disabled]="making()" (click)="make(g)">
            {{ making() === g.ids[0] ? 'Making it …' : 'Make one scene of them' }}
          </button>
          <button class="link !font-[450]" (click)="leave(g)">Leave them apart</button>
        </span>
      </div>
    }
  `,
})
export class SceneOffer {
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  protected readonly making = signal<string | null>(null);

  protected readonly offers = computed((): SceneGroup[] => {
    const method = this.store.serving().get('stack bands');
    const batches = new Map<string, { id: string; name: string; info: never }[]>();
    for (const d of this.store.datasetEntities()) {
      const info = ofKind('raster', d.info);
      // What a run table made is a set as well, and no scene.
      if (!d.batch || (this.store.madeBy(d)?.method ?? 'import') !== 'import') continue;
      if (info?.bands.length !== 1) continue;
      batches.set(d.batch, [...(batches.get(d.batch) ?? []), { id: d.id, name: d.name, info: info as never }]);
    }
    const used = new Set(
      this.store
        .runEntities()
        .filter((r) => r.method === method?.id && r.state === 'done')
        .flatMap((r) => datasetsIn(r.inputs)),
    );
    const apart = this.bench.leftApart();
    return [...batches.values()]
      .flatMap(sceneGroups)
      .filter((g) => g.ids.some((id) => !used.has(id)) && !apart.includes(g.ids[0]!));
  });

  protected leave(g: SceneGroup): void {
    this.bench.set({ leftApart: [...this.bench.leftApart(), g.ids[0]!] });
  }

  protected async make(g: SceneGroup): Promise<void> {
    const method = this.store.serving().get('stack bands');
    if (!method) return;
    this.making.set(g.ids[0]!);
    const made = await this.store.guarded(() =>
      this.store.runToEnd(method.id, { [Object.keys(method.inputs)[0]!]: g.ids }, {}),
    );
    this.making.set(null);
    if (!made) return;
    await this.store.patchDataset(made[0]!, { name: g.name });
    // Bands are called by what tells their files apart.
    for (const [band, bandName] of g.bands.entries()) await this.store.patchDataset(made[0]!, { band, bandName });
    for (const p of this.bench.panes())
      this.bench.change(p.id, (q) => ({ ...q, layers: q.layers.filter((l) => !g.ids.includes(l.dataset)) }));
    this.bench.show(made[0]!, this.bench.activePane(), false);
  }
}
