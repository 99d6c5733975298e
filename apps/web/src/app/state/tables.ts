import { computed, effect, inject, Injectable, signal, untracked } from '@angular/core';
import { FreeNames, misfit, type InputSpec, type MethodDescription, type ParamSpec } from '@helk/core';
import { refOf } from '@helk/core/api/refs';
import type { ApiRun, ApiTable, ApiTableBody, ApiTableForecast } from '@helk/core/api/schemas';
import { KEEP as KEEP_SETTING } from '@helk/core/recipe/settings';
import { Api, sentence } from '../api/api';
import { Desk } from './desk';
import { namedInput } from './inputs';
import { ProjectStore } from './project.store';

const INPUT = 'in:';
/** After how long without another change a table is kept and checked, ms. */
const KEEP = 250;

/** What a column of a run table gives, as far as the client needs to know. */
export interface ColumnSeen {
  head: string;
  label: string;
  input: InputSpec | null;
  setting: ParamSpec | null;
}

/** How a row stands. */
export interface RowSeen {
  id: string;
  number: number;
  cells: string[];
  run: ApiRun | undefined;
  /** Its cells have changed since it ran. */
  changed: boolean;
  /** What its results will be called. */
  name: string;
  /** Why it cannot run. */
  reason: string | null;
  look: string[];
}

/** The cells of all rows, one for each column. */
export const cellsOf = (t: Pick<ApiTable, 'columns' | 'rows'>): string[][] =>
  t.rows.map((r) => t.columns.map((_, i) => r.cells[i] ?? ''));

const newRow = (): string => Math.random().toString(36).slice(2, 12);

/** Run tables of the project: what stands in their rows, and how each row has ended. */
@Injectable({ providedIn: 'root' })
export class Tables {
  private readonly store = inject(ProjectStore);
  private readonly desk = inject(Desk);
  private readonly api = inject(Api);
  private readonly forecasts = signal<Readonly<Record<string, { rows: ApiTableForecast['rows']; why: string | null }>>>(
    {},
  );
  private readonly keeping = new Map<string, Promise<unknown>>();

  /** The run of each row that began last, by table. */
  private readonly runs = computed(() => {
    const out = new Map<string, Map<string, ApiRun>>();
    for (const r of this.store.runEntities()) {
      if (!r.table) continue;
      const of = out.get(r.table.id) ?? new Map<string, ApiRun>();
      const before = of.get(r.table.row);
      if (!before || before.createdAt <= r.createdAt) of.set(r.table.row, r);
      out.set(r.table.id, of);
    }
    return out;
  });

  constructor() {
    effect((done) => {
      const t = this.desk.table();
      const p = this.store.project();
      this.store.datasetEntities();
      if (!t || !p) return;
      const abort = new AbortController();
      const timer = setTimeout(() => {
        const told = (f: { rows: ApiTableForecast['rows']; why: string | null }): void =>
          untracked(() => this.forecasts.update((all) => ({ ...all, [t.id]: f })));
        void (this.keeping.get(t.id) ?? Promise.resolve())
          .then(() => this.api.checkTable(p.id, t.id, abort.signal))
          .then(
            ({ rows }) => told({ rows, why: null }),
            (e: unknown) => !abort.signal.aborted && told({ rows: [], why: sentence(e) }),
          );
      }, KEEP);
      done(() => {
        clearTimeout(timer);
        abort.abort();
      });
    });
  }

  methodOf = (t: Pick<ApiTable, 'method'>): MethodDescription | undefined => this.store.methodMap().get(t.method);

  columns(t: ApiTable): ColumnSeen[] {
    const m = this.methodOf(t);
    return t.columns.map((head) => {
      const text = head.trim();
      if (text.startsWith(INPUT)) {
        const input = m?.inputs[text.slice(INPUT.length)] ?? null;
        return { head, label: input?.label ?? head, input: input as InputSpec | null, setting: null };
      }
      const name = m && (text in m.params ? text : Object.keys(m.params).find((p) => p.endsWith(`.${text}`)));
      const setting = name ? m.params[name]! : null;
      return { head, label: setting?.label ?? head, input: null, setting };
    });
  }

  /** Columns that a table could have beside those it has. */
  more(t: ApiTable): { head: string; label: string }[] {
    const m = this.methodOf(t);
    if (!m) return [];
    const there = new Set(t.columns.map((c) => c.trim()));
    return [
      ...Object.entries(m.inputs).map(([name, i]) => ({ head: INPUT + name, label: i.label })),
      ...Object.entries(m.params)
        .filter(([, s]) => !s.fixed)
        .map(([name, s]) => ({ head: name, label: s.group ? `${s.label} (${s.group})` : s.label })),
      ...(m.random ? [{ head: 'seed', label: 'Seed' }] : []),
    ].filter((c) => !there.has(c.head));
  }

  rows(t: ApiTable): RowSeen[] {
    const runs = this.runs().get(t.id);
    const known = new Map((this.forecasts()[t.id]?.rows ?? []).map((r) => [r.id, r]));
    return t.rows.map((r, k) => {
      const run = runs?.get(r.id);
      const f = known.get(r.id);
      return {
        id: r.id,
        number: k + 1,
        cells: t.columns.map((_, i) => r.cells[i] ?? ''),
        run,
        changed: run !== undefined && JSON.stringify(run.table!.cells) !== JSON.stringify(r.cells),
        name: f?.name ?? '',
        reason: f?.reason ?? null,
        look: f?.look ?? [],
      };
    });
  }

  /** Why the table as a whole cannot run: a column that is neither, no rows. */
  why = (t: ApiTable): string | null => this.forecasts()[t.id]?.why ?? null;

  /** `12 rows · 11 done, 1 to mend`. */
  words(t: ApiTable): string {
    const rows = this.rows(t);
    const count = (state: (r: RowSeen) => boolean): number => rows.filter(state).length;
    const done = count((r) => r.run?.state === 'done' && !r.changed);
    const live = count((r) => r.run?.state === 'queued' || r.run?.state === 'running');
    const mend = count((r) => !r.changed && ['failed', 'interrupted', 'cancelled'].includes(r.run?.state ?? ''));
    const parts = [done ? `${done} done` : '', live ? `${live} under way` : '', mend ? `${mend} to mend` : ''];
    const all = `${rows.length} ${rows.length === 1 ? 'row' : 'rows'}`;
    return [all, parts.filter(Boolean).join(', ')].filter(Boolean).join(' · ');
  }

  /** A dataset of a cell as a person calls it. */
  nameOf = (ref: string): string => {
    const d = this.store.datasetEntityMap()[refOf(ref.trim()).dataset];
    return d ? namedInput(ref.trim(), this.store.datasetEntityMap()) : ref.trim();
  };

  /** Begins a table for a method: its first row is what stands in the sheet. @param each a row for each of these in one of its inputs */
  async begin(
    method: string,
    inputs: Record<string, string[]> = {},
    params: Record<string, unknown> = {},
    each: { role: string; refs: readonly string[] } | null = null,
    called: { title?: string; names?: string } = {},
  ): Promise<void> {
    const [p, m] = [this.store.project(), this.store.methodMap().get(method)];
    if (!p || !m) return;
    const value = (name: string): string => String(params[name] ?? m.params[name]?.default ?? '');
    const matters = (spec: ParamSpec): boolean =>
      Object.entries(spec.when ?? {}).every(([other, v]) => v.split('|').includes(value(other)));
    const settings = Object.entries(m.params).filter(
      ([name, s]) => !s.fixed && matters(s) && (params[name] !== undefined || (!s.optional && s.default === undefined)),
    );
    const offered = Object.keys(m.params).find((n) => !m.params[n]!.fixed && n !== KEEP_SETTING);
    const names = settings.length ? settings.map(([n]) => n) : offered ? [offered] : [];
    const heads = [
      ...Object.entries(m.inputs)
        .filter(([role, s]) => s.least > 0 || inputs[role]?.length)
        .map(([role]) => INPUT + role),
      ...names,
    ];
    const cells = heads.map((h) =>
      h.startsWith(INPUT) ? (inputs[h.slice(INPUT.length)] ?? []).join('; ') : String(params[h] ?? ''),
    );
    const at = each ? heads.indexOf(INPUT + each.role) : -1;
    const rows = at < 0 ? [cells] : each!.refs.map((ref) => cells.with(at, ref));
    const body: ApiTableBody = {
      title: new FreeNames(this.store.tables().map((t) => t.title)).take(called.title ?? m.title),
      method,
      names: called.names ?? '',
      columns: heads,
      rows: rows.map((c) => ({ id: newRow(), cells: c })),
    };
    const made = await this.store.guarded(() => this.api.createTable(p.id, body));
    if (!made) return;
    this.store.written({ tables: [made] });
    this.desk.lay({ what: 'table', id: made.id });
  }

  /** Changes a table; it is kept a moment later. */
  change(t: ApiTable, patch: Partial<ApiTableBody>): void {
    const p = this.store.project();
    if (!p) return;
    const next = { ...t, ...patch };
    this.store.written({ tables: [next] });
    const { id, createdAt: _, ...body } = next;
    const before = this.keeping.get(id) ?? Promise.resolve();
    const kept = before.then(() => {
      // Only what is newest is told.
      const now = this.store.tables().find((x) => x.id === id);
      return now === next ? this.store.guarded(() => this.api.saveTable(p.id, id, body)) : undefined;
    });
    this.keeping.set(id, kept);
  }

  put(t: ApiTable, row: string, column: number, value: string): void {
    this.change(t, {
      rows: t.rows.map((r) =>
        r.id === row ? { ...r, cells: t.columns.map((_, i) => (i === column ? value : (r.cells[i] ?? ''))) } : r,
      ),
    });
  }

  /** The cells of all rows anew; rows that are as they were keep their runs. */
  setCells(t: ApiTable, cells: readonly (readonly string[])[], columns: readonly string[] = t.columns): void {
    const rows = cells.map((c, k) => ({ id: t.rows[k]?.id ?? newRow(), cells: [...c] }));
    this.change(t, { columns: [...columns], rows });
  }

  addRow(t: ApiTable): void {
    const last = t.rows.at(-1);
    const cells = t.columns.map((c, i) => (c.startsWith(INPUT) ? (last?.cells[i] ?? '') : ''));
    this.change(t, { rows: [...t.rows, { id: newRow(), cells }] });
  }

  removeRow(t: ApiTable, row: string): void {
    this.change(t, { rows: t.rows.filter((r) => r.id !== row) });
  }

  addColumn(t: ApiTable, head: string): void {
    this.change(t, {
      columns: [...t.columns, head],
      rows: t.rows.map((r) => ({ ...r, cells: [...t.columns.map((_, i) => r.cells[i] ?? ''), ''] })),
    });
  }

  removeColumn(t: ApiTable, at: number): void {
    this.change(t, {
      columns: t.columns.filter((_, i) => i !== at),
      rows: t.rows.map((r) => ({ ...r, cells: r.cells.filter((_, i) => i !== at) })),
    });
  }

  /** Cells as they were copied or read, names of datasets become the datasets where only one is called so. */
  resolved(columns: readonly string[], cells: readonly string[]): string[] {
    const byName = new Map<string, string | null>();
    for (const d of this.store.datasetEntities()) byName.set(d.name, byName.has(d.name) ? null : d.id);
    return columns.map((head, i) => {
      const text = (cells[i] ?? '').trim();
      if (!head.trim().startsWith(INPUT)) return text;
      return text
        .split(';')
        .map((s) => byName.get(s.trim()) ?? s.trim())
        .join('; ');
    });
  }

  /** Rows from a file: delimited text or a spreadsheet, the first row the heads. */
  async fromFile(t: ApiTable, file: File): Promise<void> {
    await this.store.guarded(async () => {
      const { gridIn } = await import('@helk/core/recipe/grid');
      const [head, ...body] = await gridIn(new Uint8Array(await file.arrayBuffer()), file.name);
      const columns = (head ?? []).map((h) => h.trim());
      const full = body.filter((r) => r.some((c) => c.trim()));
      this.setCells(
        t,
        full.map((r) => this.resolved(columns, r)),
        columns,
      );
    });
  }

  /** Datasets that fit a column, alike ones of one taking-in together where the input takes several. */
  fitting(c: ColumnSeen): string[] {
    if (!c.input) return [];
    const all = this.store.datasetEntities().filter((d) => misfit(c.input!, d.info) === null);
    if (!c.input.many) return all.map((d) => d.id);
    const sets = new Map<string, string[]>();
    for (const d of all)
      if (d.source) {
        const key = d.batch ?? d.id;
        sets.set(key, [...(sets.get(key) ?? []), d.id]);
      }
    return [...sets.values()].filter((s) => s.length >= c.input!.least).map((s) => s.join('; '));
  }

  async run(t: ApiTable, rows?: string[]): Promise<void> {
    const p = this.store.project();
    if (!p) return;
    await this.keeping.get(t.id);
    const started = await this.store.guarded(() => this.api.runTable(p.id, t.id, rows));
    for (const r of started ?? []) this.store.watch(r);
  }

  async stop(t: ApiTable): Promise<void> {
    for (const r of this.rows(t))
      if (r.run?.state === 'queued' || r.run?.state === 'running') await this.store.cancelRun(r.run.id);
  }

  reportUrl = (t: ApiTable): string => this.api.reportUrl(this.store.project()!.id, t.id);
}
