import { Injectable, signal } from '@angular/core';

/** How a table is looked at. */
export interface TableLook {
  sort: { column: string | null; down: boolean };
  /** Columns that were moved; others come after them as they are. */
  order: readonly string[];
  hidden: ReadonlySet<string>;
}

const PLAIN: TableLook = { sort: { column: null, down: false }, order: [], hidden: new Set() };

/** How tables are looked at, by dataset, as long as the workbench is open. */
@Injectable({ providedIn: 'root' })
export class TableLooks {
  private readonly all = signal<ReadonlyMap<string, TableLook>>(new Map());
  private readonly seen = new Set<string>();

  of = (dataset: string): TableLook => this.all().get(dataset) ?? PLAIN;

  put(dataset: string, some: Partial<TableLook>): void {
    this.all.update((m) => new Map(m).set(dataset, { ...(m.get(dataset) ?? PLAIN), ...some }));
  }

  /** Whether a table is looked at for the first time. */
  first(dataset: string): boolean {
    if (this.seen.has(dataset)) return false;
    this.seen.add(dataset);
    return true;
  }
}
