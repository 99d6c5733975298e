import { inject, Injectable, signal } from '@angular/core';
import { ofKind, sameGrid, type RasterInfo } from '@helk/core';
import { datasetsIn } from '@helk/core/api/refs';
import { ProjectStore, type DatasetItem } from './project.store';

const measures = (d: DatasetItem): number =>
  ofKind('raster', d.info)?.bands.filter((b) => b.kind === 'measure').length ?? 0;

/** Which pictures belong to which classes. */
@Injectable({ providedIn: 'root' })
export class Scenes {
  private readonly store = inject(ProjectStore);
  private readonly chosen = signal<ReadonlyMap<string, string>>(new Map());

  /** A picture of several bands. */
  readonly is = (d: DatasetItem): boolean => measures(d) > 1;

  /** Pictures on the grid of some classes; the one they were made from first. */
  fitting(d: DatasetItem): DatasetItem[] {
    const grid = (d.info as RasterInfo).grid;
    const all = this.store
      .datasetEntities()
      .filter((o) => o.id !== d.id && measures(o) > 0 && sameGrid((o.info as RasterInfo).grid, grid));
    const made = this.madeFrom(d, new Set());
    return [
      ...all.filter((o) => o.id === made),
      ...all.filter((o) => o.id !== made && this.is(o)),
      ...all.filter((o) => o.id !== made && !this.is(o)),
    ];
  }

  /** The picture that classes are looked at with. */
  of(d: DatasetItem): DatasetItem | null {
    const all = this.fitting(d);
    return all.find((o) => o.id === this.chosen().get(d.id)) ?? all[0] ?? null;
  }

  choose(classes: string, scene: string): void {
    this.chosen.set(new Map(this.chosen()).set(classes, scene));
  }

  /** The scene at the beginning of what made a raster. */
  private madeFrom(d: DatasetItem, seen: Set<string>): string | null {
    const run = seen.has(d.id) ? undefined : this.store.madeBy(d);
    if (!run) return null;
    seen.add(d.id);
    const [scene] = datasetsIn({ of: run.inputs['scene'] ?? [] });
    if (scene) return scene;
    for (const id of datasetsIn(run.inputs)) {
      const from = this.store.datasetEntityMap()[id];
      const found = from && this.madeFrom(from, seen);
      if (found) return found;
    }
    return null;
  }
}
