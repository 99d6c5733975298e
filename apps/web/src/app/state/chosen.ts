import { computed, inject, Injectable, signal } from '@angular/core';
import { ProjectStore, type DatasetItem } from './project.store';

/** Several datasets that are chosen at once in the ledger, to be removed, moved, saved or run on together. */
@Injectable({ providedIn: 'root' })
export class Chosen {
  private readonly project = inject(ProjectStore);
  private readonly held = signal<ReadonlySet<string>>(new Set());
  /** From where a stretch is chosen. */
  private from: string | null = null;

  /** Those that are there, in the order of the project. */
  readonly items = computed((): DatasetItem[] => {
    const held = this.held();
    return held.size ? this.project.datasetEntities().filter((d) => held.has(d.id)) : [];
  });
  readonly ids = computed(() => this.items().map((d) => d.id));

  has = (id: string): boolean => this.held().has(id);

  toggle(ids: readonly string[]): void {
    const next = new Set(this.held());
    const all = ids.every((id) => next.has(id));
    for (const id of ids)
      if (all) next.delete(id);
      else next.add(id);
    this.held.set(next);
    this.from = ids[0] ?? null;
  }

  /** All from where the last one was chosen to here. @param order ids as they are listed; @param start where none was chosen yet */
  stretch(to: string, order: readonly string[], start: string | null): void {
    const a = order.indexOf(this.from ?? start ?? to);
    const b = order.indexOf(to);
    if (a < 0 || b < 0) return this.toggle([to]);
    this.from ??= order[a]!;
    const next = new Set(this.held());
    for (const id of order.slice(Math.min(a, b), Math.max(a, b) + 1)) next.add(id);
    this.held.set(next);
  }

  only(ids: readonly string[]): void {
    this.held.set(new Set(ids));
    this.from = ids[0] ?? null;
  }

  none(): void {
    this.only([]);
  }
}
