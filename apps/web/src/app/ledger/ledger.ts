import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  Injector,
  signal,
  viewChild,
} from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { ICONS } from '../parts/icons';
import { Anew } from '../state/anew';
import { BenchStore } from '../state/bench.store';
import { Chosen } from '../state/chosen';
import { Listing, type ListedThread } from '../state/listing';
import type { Pane } from '../state/panes';
import { ProjectStore, summaryOf, type DatasetItem } from '../state/project.store';
import { Telling } from '../state/telling';
import { beginningsOf, titleOf, type LedgerRow, type Thread } from '../state/threads';
import { Card } from './card';
import { ChosenBar } from './chosen-bar';
import { LedgerRowView, type RowSeen } from './ledger-row';
import { LedgerSearch } from './ledger-search';
import { SceneOffer } from './scene-offer';
import { UnitOffer } from './unit-offer';

type Described = Pick<RowSeen, 'row' | 'item' | 'ids' | 'title' | 'summary' | 'checks' | 'checkText'>;

/** A thread as it is drawn. */
interface Seen {
  of: ListedThread;
  rows: RowSeen[];
  /** Nothing but a source without a name for it: such stand together, the first and the last of them with room beside. */
  single: boolean;
  begins: boolean;
  last: boolean;
}

/** The project as threads: sources as squares, results as circles, a line from what was made to what it was made of. */
@Component({
  selector: 'helk-ledger',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChosenBar, LedgerRowView, LedgerSearch, NgIcon, SceneOffer, UnitOffer],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './ledger.html',
  host: { class: 'flex flex-col min-h-full', '(keydown)': 'key($event)' },
})
export class Ledger {
  protected readonly project = inject(ProjectStore);
  protected readonly bench = inject(BenchStore);
  protected readonly anew = inject(Anew);
  protected readonly listing = inject(Listing);
  protected readonly chosen = inject(Chosen);
  private readonly telling = inject(Telling);
  protected readonly card = inject(Card);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  /** Sets that are open, by the key of their row. */
  protected readonly open = signal<ReadonlySet<string>>(new Set());
  /** Thread whose name is being typed. */
  protected readonly naming = signal<string | null>(null);

  /** What checks and runs have to say of each dataset. */
  private readonly checks = computed(() => {
    const out = new Map<string, Map<string, string>>();
    for (const d of this.project.datasetEntities()) {
      const look = new Map(d.checks.filter((c) => c.level !== 'fine').map((c) => [c.code, c.message] as const));
      const moved = this.anew.words(d.id);
      if (moved) look.set('system.moved', moved);
      const run = this.project.madeBy(d);
      for (const n of run?.notes ?? [])
        if (n.level === 'look' && d.role && run?.outputs[0] === d.id && n.code !== 'crs.degrees' && !look.has(n.code))
          look.set(n.code, n.message);
      if (look.size) out.set(d.id, look);
    }
    return out;
  });
  protected readonly threads = computed(() => this.listing.list((d) => this.checks().get(d.id)?.size ?? 0));
  protected readonly found = computed(() =>
    this.threads().reduce((n, t) => n + t.rows.reduce((m, r) => m + r.items.length, 0), 0),
  );

  /** Interrupted and failed runs that nobody has repeated since. */
  protected readonly unfinished = computed(() => {
    const runs = this.project.runEntities();
    const same = (a: (typeof runs)[number], b: (typeof runs)[number]): boolean =>
      a.method === b.method && JSON.stringify(a.inputs) === JSON.stringify(b.inputs);
    return runs
      .filter(
        (r) =>
          r.method !== 'import' &&
          (r.state === 'interrupted' || r.state === 'failed') &&
          !runs.some((o) => o.createdAt > r.createdAt && same(o, r)),
      )
      .slice(-3);
  });
  protected readonly counts = computed(() => {
    // A source that nothing was made of is no thread yet.
    const t = this.listing.threads().filter((x) => x.named || x.rows.length > 1).length;
    const d = this.project.datasetEntities().length;
    const parts = [t ? `${t} ${t === 1 ? 'thread' : 'threads'}` : '', `${d} ${d === 1 ? 'dataset' : 'datasets'}`];
    return d ? parts.filter(Boolean).join(' · ') : '';
  });
  protected readonly binned = computed(() => this.project.project()?.binned ?? 0);

  private readonly inPanes = computed(() => {
    const out = new Map<string, number[]>();
    for (const p of this.bench.panes())
      for (const l of p.layers) out.set(l.dataset, [...(out.get(l.dataset) ?? []), p.id]);
    return out;
  });

  /** Rows of each thread as they are drawn; none of those that are folded. */
  protected readonly seen = computed((): Seen[] => {
    const listed = this.threads();
    const single = (t: ListedThread | undefined): boolean =>
      t !== undefined && t.heading && !t.thread.named && t.thread.rows.length === 1;
    const threads = listed.map((of, i) => ({
      of,
      rows: of.folded ? [] : this.drawn(of.rows),
      single: single(of),
      begins: !single(listed[i - 1]),
      last: !single(listed[i + 1]),
    }));
    // The keyboard stands on what is chosen, else on the first row.
    const all = threads.flatMap((t) => t.rows);
    const here = all.find((r) => r.selected) ?? all[0];
    return here
      ? threads.map((t) => ({ ...t, rows: t.rows.map((r) => (r === here ? { ...r, here: true } : r)) }))
      : threads;
  });
  /** Ids in the order in which they are seen. */
  private readonly order = computed(() => this.seen().flatMap((t) => t.rows.flatMap((r) => (r.open ? [] : r.ids))));

  private drawn(rows: readonly LedgerRow[]): RowSeen[] {
    const open = this.open();
    const selected = this.bench.selected();
    const inPanes = this.inPanes();
    const seen = (d: Described, more: Pick<RowSeen, 'first' | 'member' | 'set' | 'open' | 'through'>): RowSeen => ({
      ...d,
      ...more,
      selected: selected !== null && d.ids.includes(selected) && !more.open,
      chosen: d.ids.every((id) => this.chosen.has(id)),
      here: false,
      panes: [...new Set(d.ids.flatMap((id) => inPanes.get(id) ?? []))].sort(),
    });
    // Lines of outer depths that go on below a row pass through it; found from below, so that long threads cost no more than their rows.
    const through: number[][] = [];
    let going = new Set<number>();
    for (let i = rows.length - 1; i >= 0; i--) {
      const { depth } = rows[i]!;
      through[i] = [...going].filter((d) => d < depth).sort((a, b) => a - b);
      going = new Set([...going].filter((d) => d < depth)).add(depth);
      if (rows[i]!.root) going = new Set();
    }
    return rows.flatMap((row, i) => {
      const set = row.items.length > 1;
      const isOpen = set && open.has(row.key);
      const head = seen(this.describe(row, row.items, set), {
        first: row.root,
        member: false,
        set,
        open: isOpen,
        through: through[i]!,
      });
      if (!isOpen) return [head];
      const members = row.items.map((d) =>
        seen(this.describe(row, [d], false), { first: false, member: true, set: false, open: false, through: [] }),
      );
      return [head, ...members];
    });
  }

  private describe(row: LedgerRow, items: readonly DatasetItem[], set: boolean): Described {
    const item = items[0]!;
    const look = new Map(items.flatMap((d) => [...(this.checks().get(d.id) ?? [])]));
    const run = this.project.madeBy(item);
    const method =
      run && run.method !== 'import' ? this.project.methodMap().get(run.method)?.title.toLowerCase() : undefined;
    return {
      row,
      item,
      ids: items.map((d) => d.id),
      title: set ? titleOf([...items]) : item.name,
      summary: set ? `${items.length} × ${summaryOf(item)}` : [summaryOf(item), method].filter(Boolean).join(' · '),
      checks: look.size,
      checkText: [...look.values()].join('\n'),
    };
  }

  protected count(t: ListedThread): string {
    const n = t.thread.rows.reduce((sum, r) => sum + r.items.length, 0);
    return `${n} ${n === 1 ? 'dataset' : 'datasets'}`;
  }

  protected makeAgain(): void {
    void this.anew.make(...this.anew.outdated());
  }

  /** Checks of one are read in its card; those of many alike are mended together. */
  protected tell(r: RowSeen): void {
    if (r.ids.length > 1) this.chosen.only(r.ids);
    else void this.card.open(r.ids[0]!, 'checks');
  }

  /** Shows what is clicked; with Ctrl or Shift it is chosen beside others. */
  protected pick(r: RowSeen, e: MouseEvent): void {
    if (e.ctrlKey || e.metaKey) {
      this.chosen.toggle(r.ids);
      return;
    }
    if (e.shiftKey) {
      this.chosen.stretch(r.ids[0]!, this.order(), this.bench.selected());
      return;
    }
    if (r.set) {
      // A set is shown whole: all its members in the active pane.
      const pane = this.bench.activePane();
      this.bench.change(pane, (p) => ({ ...p, layers: [], swipe: null }));
      for (const id of r.ids) this.bench.show(id, pane, true);
      return;
    }
    // The second of two clicks must not forget what the first replaced.
    if (performance.now() - this.clicked > 600) this.before = this.bench.panes();
    this.clicked = performance.now();
    const here = this.bench
      .panes()
      .find((p) => p.id === this.bench.activePane())
      ?.layers.some((l) => l.dataset === r.item.id);
    if (here) this.bench.select(r.item.id);
    else this.bench.show(r.item.id, this.bench.activePane(), false);
  }

  private before: Pane[] | null = null;
  private clicked = -Infinity;

  /** Beside what stood there before the first of the two clicks, which showed it in its place. */
  protected beside(id: string): void {
    const was = this.before;
    if (was && !was.some((p) => p.layers.some((l) => l.dataset === id))) this.bench.set({ panes: was });
    this.bench.showBeside(id);
  }

  private readonly nameField = viewChild<ElementRef<HTMLInputElement>>('name');

  constructor() {
    effect(() => {
      const field = this.nameField()?.nativeElement;
      field?.focus();
      field?.select();
    });
    const injector = inject(Injector);
    // A result may be made far below what is in view.
    effect(() => {
      const id = this.bench.selected();
      if (!id) return;
      afterNextRender(
        () => this.host.querySelector(`[data-dataset="${CSS.escape(id)}"]`)?.scrollIntoView({ block: 'nearest' }),
        { injector },
      );
    });
  }

  protected called(t: Thread, name: string): void {
    if (this.naming() !== t.key) return;
    this.naming.set(null);
    if (name.trim() !== t.title) void this.telling.thread(beginningsOf(t), name.trim());
  }

  protected toggle(key: string): void {
    this.open.update((s) => {
      const n = new Set(s);
      if (!n.delete(key)) n.add(key);
      return n;
    });
  }

  /** Arrows walk the rows; Ctrl with Space chooses, with A all; Delete removes; the context key opens what can be done. */
  protected key(e: KeyboardEvent): void {
    if (!(e.target instanceof HTMLElement) || /^(INPUT|TEXTAREA|SELECT)$/.test(e.target.tagName)) return;
    const rows = [...this.host.querySelectorAll<HTMLElement>('[data-row]')];
    const at = rows.findIndex((r) => r === e.target || r.parentElement!.contains(e.target as Node));
    const row = at < 0 ? undefined : this.seen().flatMap((t) => t.rows)[at];
    const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: rows.length - 1 }[e.key];
    const ctrl = e.ctrlKey || e.metaKey;
    if (e.key === 'Escape' && this.chosen.ids().length) this.chosen.none();
    else if (ctrl && e.key.toLowerCase() === 'a' && at >= 0) this.chosen.only(this.order());
    else if (to !== undefined && at >= 0 && !e.altKey) {
      const next = rows[Math.min(rows.length - 1, Math.max(0, to))];
      next?.focus();
      if (e.shiftKey && next)
        this.chosen.stretch(
          this.seen().flatMap((t) => t.rows)[rows.indexOf(next)]!.ids[0]!,
          this.order(),
          row!.ids[0]!,
        );
    } else if (!row) return;
    else if (ctrl && e.key === ' ') this.chosen.toggle(row.ids);
    else if (e.key === 'Delete') this.removeFrom(row);
    else if (e.key === 'ArrowRight' && row.set && !row.open) this.toggle(row.row.key);
    else if (e.key === 'ArrowLeft' && row.set && row.open) this.toggle(row.row.key);
    else if (e.key === 'ContextMenu' || (e.shiftKey && e.key === 'F10') || (e.key === 'ArrowRight' && !row.set))
      rows[at]!.parentElement!.querySelector<HTMLElement>('[data-more]')?.click();
    else if (e.key === 'F2') void this.card.open(row.item.id);
    else return;
    e.preventDefault();
    e.stopPropagation();
  }

  /** All that are chosen where the row is one of them; else the row alone. */
  private removeFrom(row: RowSeen): void {
    const ids = row.ids.every((id) => this.chosen.has(id)) ? this.chosen.ids() : row.ids;
    this.chosen.none();
    void this.project.removeDatasets(ids);
  }
}
