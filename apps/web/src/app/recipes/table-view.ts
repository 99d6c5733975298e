import { CdkConnectedOverlay, CdkOverlayOrigin } from '@angular/cdk/overlay';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { formatFigure, misfit } from '@helk/core';
import { pastedCells } from '@helk/core/recipe/series';
import { CopyMenu } from '../parts/copy-menu';
import { ICONS } from '../parts/icons';
import { saveText } from '../parts/save';
import { DatasetPicker } from '../run-sheet/dataset-picker';
import { BenchStore } from '../state/bench.store';
import { Copier } from '../state/copies';
import { Desk } from '../state/desk';
import { ProjectStore } from '../state/project.store';
import { cellsOf, Tables, type ColumnSeen, type RowSeen } from '../state/tables';
import { FillColumn } from './fill-column';
import { figuresOfRows } from './row-figures';
import { RowMaps } from './row-maps';
import { TableFigures } from './table-figures';

/** Figures that stand in the rows. */
const FIGURES = 3;
/** Rows that are drawn at once; more are asked for. */
const MOST = 200;

/** A run table: a row a run, with how each has ended, its figures drawn and its results seen side by side. */
@Component({
  selector: 'helk-table-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CdkConnectedOverlay, CdkOverlayOrigin, CopyMenu, DatasetPicker, FillColumn, NgIcon, RowMaps, TableFigures],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './table-view.html',
  host: { class: 'flex flex-col min-h-0 min-w-0 bg-leaf', 'data-testid': 'table-view' },
})
export class TableView {
  protected readonly desk = inject(Desk);
  protected readonly tables = inject(Tables);
  protected readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly copier = inject(Copier);
  protected readonly copies = computed(() => this.copier.table(this.table()));
  protected readonly below = signal<'figures' | 'maps' | null>('figures');
  protected readonly filling = signal<number | null>(null);
  protected readonly choosing = signal<string | null>(null);
  protected readonly shown = signal(MOST);
  protected readonly table = computed(() => this.desk.table()!);
  protected readonly method = computed(() => this.tables.methodOf(this.table()));
  protected readonly columns = computed(() => this.tables.columns(this.table()));
  protected readonly rows = computed(() => this.tables.rows(this.table()));
  protected readonly some = computed(() => this.rows().slice(0, this.shown()));
  protected readonly why = computed(() => this.tables.why(this.table()));
  protected readonly more = computed(() => this.tables.more(this.table()));
  protected readonly live = computed(() => this.rows().filter((r) => this.isLive(r)).length);
  /** Rows that would run: all that are not done as they stand. */
  protected readonly open = computed(() =>
    this.rows().filter((r) => !this.isLive(r) && (r.run?.state !== 'done' || r.changed)),
  );
  protected readonly figures = computed(() => {
    const runs = this.rows().flatMap((r) => (r.run?.state === 'done' ? [r.run] : []));
    return figuresOfRows(runs, this.method(), this.store.datasetEntityMap()).slice(0, FIGURES);
  });
  protected readonly example = computed(() => this.rows().find((r) => r.name)?.name ?? '');
  protected readonly patterns = computed(() => [
    '{row}',
    ...this.table().columns.map((c) => `{${c.replace(/^in:/, '')}}`),
  ]);

  protected isLive = (r: RowSeen): boolean => r.run?.state === 'queued' || r.run?.state === 'running';

  protected state(r: RowSeen): { word: string; tone: string; title: string } {
    if (this.isLive(r))
      return r.run!.state === 'queued'
        ? { word: 'waits', tone: 'text-ink-2', title: 'In the queue' }
        : { word: `${Math.round(r.run!.progress * 100)} %`, tone: 'text-act', title: r.run!.stage };
    if (r.run && !r.changed) {
      const why = r.run.problem?.message ?? '';
      if (r.run.state === 'done') return { word: 'done', tone: 'text-fine', title: '' };
      return { word: r.run.state, tone: 'text-no', title: why };
    }
    if (r.reason) return { word: 'cannot run', tone: 'text-no', title: r.reason };
    if (r.changed) return { word: 'changed', tone: 'text-look', title: 'It has been changed since it ran.' };
    return {
      word: r.look.length ? 'look here' : 'ready',
      tone: r.look.length ? 'text-look' : 'text-ink-2',
      title: r.look.join('\n'),
    };
  }

  /** Why a row has not come to anything, under it. */
  protected told = (r: RowSeen): string =>
    r.run && !r.changed && r.run.state !== 'done'
      ? (r.run.problem?.message ?? '')
      : !r.run || r.changed
        ? (r.reason ?? '')
        : '';

  protected figure(r: RowSeen, name: string, unit: string): string {
    const v = r.run?.state === 'done' && !r.changed ? r.run.figures[name] : undefined;
    return v === undefined || v === null ? '' : typeof v === 'number' ? formatFigure(v, unit) : v;
  }

  protected result(r: RowSeen): { id: string; name: string } | null {
    const d = r.run?.outputs.map((id) => this.store.datasetEntityMap()[id]).find((x) => x !== undefined);
    return d ? { id: d.id, name: d.name } : null;
  }

  protected show(id: string): void {
    this.desk.clear();
    this.bench.showBeside(id);
  }

  protected fitting = (c: ColumnSeen) =>
    this.store.datasetEntities().filter((d) => c.input !== null && misfit(c.input, d.info) === null);

  /** Whose relations are looked for first: what else stands in the row. */
  protected nearOf = (r: RowSeen): string[] =>
    r.cells.flatMap((c) => this.refs(c)).filter((id) => this.store.datasetEntityMap()[id]);

  protected put(r: RowSeen, at: number, value: string): void {
    this.tables.put(this.table(), r.id, at, value);
  }

  /** Takes a dataset into a cell that holds several, or out of it. */
  protected toggle(r: RowSeen, at: number, id: string): void {
    const held = this.refs(r.cells[at]!);
    this.put(r, at, (held.includes(id) ? held.filter((x) => x !== id) : [...held, id]).join('; '));
  }

  protected refs = (cell: string): string[] =>
    cell
      .split(';')
      .map((s) => s.trim())
      .filter(Boolean);

  protected cellWords(cell: string): string {
    const held = this.refs(cell);
    return held.length > 1
      ? `${held.length}: ${held.map(this.tables.nameOf).join(', ')}`
      : held.map(this.tables.nameOf).join('');
  }

  /** Cells that were copied from a spreadsheet fill from where they are pasted. */
  protected paste(e: ClipboardEvent, row: number, at: number): void {
    const text = e.clipboardData?.getData('text/plain') ?? '';
    if (!/[\t\n]/.test(text.trim())) return;
    e.preventDefault();
    const t = this.table();
    const cells = cellsOf(t);
    for (const [k, given] of pastedCells(text).entries()) {
      const last = cells.at(-1);
      cells[row + k] ??= t.columns.map((c, i) => (c.startsWith('in:') ? (last?.[i] ?? '') : ''));
      const here = t.columns.map((_, i) => given[i - at] ?? '');
      this.tables.resolved(t.columns, here).forEach((v, i) => {
        if (i >= at && i < at + given.length) cells[row + k]![i] = v;
      });
    }
    this.tables.setCells(t, cells);
  }

  /** A row for each dataset that fits a column. */
  protected allThatFit(at: number): void {
    const t = this.table();
    const fit = this.tables.fitting(this.columns()[at]!);
    const first = t.rows[0]?.cells ?? [];
    this.tables.setCells(
      t,
      fit.map((ref) => t.columns.map((_, i) => (i === at ? ref : (first[i] ?? '')))),
    );
    this.filling.set(null);
  }

  protected fill(cells: string[][]): void {
    this.tables.setCells(this.table(), cells);
    this.filling.set(null);
  }

  protected file(field: HTMLInputElement): void {
    const [f] = field.files ?? [];
    field.value = '';
    if (f) void this.tables.fromFile(this.table(), f);
  }

  /** The rows as a file that the command line takes. */
  protected async saveRows(): Promise<void> {
    const { csvOf } = await import('@helk/core/recipe/grid');
    saveText(csvOf(this.copier.rowsOf(this.table())), `${this.table().title}.csv`, 'text/csv');
  }

  protected add(field: HTMLSelectElement): void {
    if (field.value) this.tables.addColumn(this.table(), field.value);
    field.value = '';
  }

  /** Up to four results beside each other, on one scale. */
  protected hold(): void {
    const ids = this.rows()
      .flatMap((r) => (r.run?.state === 'done' ? [this.result(r)?.id ?? []] : []))
      .flat();
    this.desk.clear();
    this.bench.holdTogether(ids.slice(0, 4).map((dataset) => [{ dataset, visible: true }]));
    if (ids.length > 4) this.store.notify(`The first four of ${ids.length} results are shown.`);
  }
}
