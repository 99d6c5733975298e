import { computed, inject, Injectable, signal } from '@angular/core';
import { HelkError, kindOf, type Column } from '@helk/core';
import { valueFor, writeEdits } from '@helk/core/methods/features/edit';
import { BenchStore } from './bench.store';
import { ProjectStore } from './project.store';

interface Cell {
  column: string;
  row: number;
  value: string | null;
}

const keyOf = (column: string, row: number): string => `${row}/${column}`;

/** Values typed into a table that are not kept yet, by dataset. Keeping them is a run, so the original stays as it is. */
@Injectable({ providedIn: 'root' })
export class Edits {
  private readonly project = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly held = signal<ReadonlyMap<string, ReadonlyMap<string, Cell>>>(new Map());

  count(dataset: string): number {
    return this.held().get(dataset)?.size ?? 0;
  }

  /** What was typed into a cell; undefined where nothing was. */
  of(dataset: string, column: string, row: number): string | null | undefined {
    return this.held().get(dataset)?.get(keyOf(column, row))?.value;
  }

  /** Sets one value in some rows; an empty text empties the cells. @throws HelkError for what the column cannot hold */
  set(dataset: string, column: Column, rows: readonly number[], text: string): void {
    const value = text.trim() === '' ? null : text.trim();
    if (value !== null) valueFor(column, value);
    const cells = new Map(this.held().get(dataset));
    for (const row of rows) {
      const was = column.missing?.[row] || column.values[row] !== column.values[row] ? null : column.values[row]!;
      const same = value === null ? was === null : was !== null && valueFor(column, value) === was;
      if (same) cells.delete(keyOf(column.name, row));
      else cells.set(keyOf(column.name, row), { column: column.name, row, value });
    }
    this.put(dataset, cells);
  }

  drop(dataset: string): void {
    this.put(dataset, new Map());
  }

  private put(dataset: string, cells: ReadonlyMap<string, Cell>): void {
    const next = new Map(this.held());
    if (cells.size) next.set(dataset, cells);
    else next.delete(dataset);
    this.held.set(next);
  }

  /** Makes a new set with the typed values and shows it where the old one stood. */
  async keep(dataset: string): Promise<void> {
    const d = this.project.datasetEntityMap()[dataset];
    const cells = this.held().get(dataset);
    const method = this.project.serving().get('keep typed');
    const count = d && kindOf(d.info).rows?.(d.info).count;
    if (!d || !method || count === undefined || !cells?.size) return;
    const edits = writeEdits(cells.values(), count);
    const made = await this.project.guarded(() =>
      this.project.runToEnd(method.id, { [Object.keys(method.inputs)[0]!]: [dataset] }, { edits }),
    );
    if (!made) return;
    this.drop(dataset);
    this.bench.replaceLayer(dataset, made[0]!);
    this.project.notify(`Kept as a new set; “${d.name}” is as it was.`);
  }

  readonly any = computed(() => this.held().size > 0);
}

/** The sentence of a refusal without the parameter's name before it. */
export const plainReason = (e: unknown): string =>
  e instanceof HelkError ? e.message.replace(/^edits: /, '') : e instanceof Error ? e.message : String(e);
