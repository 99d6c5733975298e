import { CdkMenu, CdkMenuTrigger } from '@angular/cdk/menu';
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
import { Thumbnail } from '../parts/thumbnail';
import { Anew } from '../state/anew';
import { BenchStore } from '../state/bench.store';
import type { Pane } from '../state/panes';
import { ProjectStore, summaryOf, type DatasetItem } from '../state/project.store';
import { beginningsOf, threadsOf, titleOf, type LedgerRow, type Thread } from '../state/threads';
import { DatasetMenu } from './dataset-menu';
import { SceneOffer } from './scene-offer';

/** The project as threads: sources as squares, results as circles, a line from what was made to what it was made of. */
@Component({
  selector: 'helk-ledger',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Thumbnail, NgIcon, CdkMenu, CdkMenuTrigger, DatasetMenu, SceneOffer],
  viewProviders: [provideIcons(ICONS)],
  template: `
    <header class="flex items-baseline justify-between px-4 pt-3 pb-1">
      <h2 class="font-[600]">Ledger</h2>
      <span class="text-[12px] text-ink-2">{{ counts() }}</span>
    </header>
    @if (!threads().length) {
      <p class="px-4 py-6 text-ink-2">
        Nothing has been taken in yet.<br /><button class="link mt-2" (click)="bench.set({ stage: 'gather' })">
          Gather data
        </button>
      </p>
    }
    <helk-scene-offer />
    @if (anew.outdated().length; as n) {
      <div class="check check-look mx-3 mb-2" data-testid="outdated">
        {{ n === 1 ? 'One result is' : n + ' results are' }} out of date.
        <button class="link block" [disabled]="anew.busy()" (click)="makeAgain()">
          {{ anew.busy() ? 'Making them again …' : n === 1 ? 'Make it again' : 'Make them again, in order' }}
        </button>
      </div>
    }
    @for (t of threads(); track t.key) {
      <section class="pb-3">
        @if (naming() === t.key) {
          <input
            #name
            class="voice text-[15px] mx-3 my-1 w-[calc(100%-24px)]"
            [value]="t.title"
            maxlength="120"
            aria-label="Name of the thread"
            (keydown.enter)="called(t, name.value)"
            (keydown.escape)="naming.set(null)"
            (blur)="called(t, name.value)"
          />
        } @else if (t.named) {
          <h3
            class="voice text-[15px] text-ink-2 px-4 pt-2 pb-1 truncate"
            [title]="t.title + ' (double click to rename)'"
            (dblclick)="naming.set(t.key)"
          >
            {{ t.title }}
          </h3>
        } @else {
          <div class="border-t border-line-soft mx-4 mb-1" aria-hidden="true"></div>
        }
        <div role="list">
          @for (r of shown(t.rows); track r.row.key + r.item.id + r.member) {
            <div
              role="listitem"
              [attr.data-dataset]="r.item.id"
              class="group relative flex items-center gap-2 h-[46px] pr-2"
              [class.bg-act-soft]="isSelected(r)"
              [style.paddingLeft.px]="14 + r.row.depth * 20 + (r.member ? 18 : 0)"
              (contextmenu)="$event.preventDefault()"
            >
              @if (!r.member) {
                @if (!r.first) {
                  <span
                    class="absolute w-px bg-ink-3/50"
                    [style.left.px]="20 + r.row.depth * 20"
                    [style.top.px]="0"
                    [style.height.px]="18"
                  ></span>
                }
                @if (r.row.more) {
                  <span
                    class="absolute w-px bg-ink-3/50"
                    [style.left.px]="20 + r.row.depth * 20"
                    style="top: 28px; bottom: 0"
                  ></span>
                }
                @for (d of r.through; track d) {
                  <span class="absolute w-px bg-ink-3/50 inset-y-0" [style.left.px]="20 + d * 20"></span>
                }
                <span
                  class="w-[13px] h-[13px] border-[1.5px] flex-none z-[1]"
                  [class]="
                    r.row.source
                      ? 'bg-ink-2 border-ink-2 rounded-[2px] scale-[.8]'
                      : isSelected(r)
                        ? 'bg-act border-act rounded-full scale-[.85]'
                        : 'bg-paper border-ink-2 rounded-full scale-[.85]'
                  "
                ></span>
              }
              <button
                class="flex items-center gap-2.5 min-w-0 flex-1 h-full text-left"
                (click)="pick(r)"
                (dblclick)="beside(r.item.id)"
                [attr.aria-label]="r.title"
                [attr.data-testid]="'row-' + r.title"
                [title]="r.title"
              >
                <helk-thumbnail [item]="r.item" />
                <span class="min-w-0 flex-1">
                  <span class="flex items-center gap-1.5 leading-[17px]">
                    <span class="truncate font-[550] text-[13px]">{{ r.title }}</span>
                    @for (p of panesOf(r); track p) {
                      <span
                        class="num text-[10.5px] leading-[14px] border border-act text-act rounded-[3px] px-1 flex-none"
                        [title]="'In pane ' + p"
                        >{{ p }}</span
                      >
                    }
                  </span>
                  <span class="flex items-center gap-1.5 text-[12px] leading-[17px] text-ink-2"
                    ><span class="truncate">{{ r.summary }}</span>
                    @if (r.checks) {
                      <span class="tag-look flex-none leading-[14px]" [title]="r.checkText"
                        >{{ r.checks }} {{ r.checks === 1 ? 'check' : 'checks' }}</span
                      >
                    }
                  </span>
                </span>
              </button>
              @if (r.set) {
                <button
                  class="icon-btn !w-6"
                  (click)="toggle(r.row.key)"
                  [attr.aria-expanded]="open().has(r.row.key)"
                  [attr.aria-label]="'Show the ' + r.row.items.length + ' of ' + r.title"
                >
                  <ng-icon [name]="open().has(r.row.key) ? 'lucideChevronDown' : 'lucideChevronRight'" size="15" />
                </button>
              } @else {
                <button
                  class="icon-btn !w-6 opacity-0 group-hover:opacity-100 focus:opacity-100 aria-expanded:opacity-100"
                  [cdkMenuTriggerFor]="menu"
                  [cdkMenuTriggerData]="{ item: r.item }"
                  [attr.aria-label]="'What can be done with ' + r.title"
                >
                  <ng-icon name="lucideChevronDown" size="15" />
                </button>
              }
            </div>
          }
        </div>
      </section>
    }
    @if (unfinished().length) {
      <section class="border-t border-line-soft mt-1 pb-3">
        <h3 class="voice text-[15px] text-ink-2 px-4 pt-2 pb-1">Did not finish</h3>
        @for (r of unfinished(); track r.id) {
          <div class="mx-4 mb-1.5 check check-refused" data-testid="unfinished">
            <b class="font-[600]">{{ r.title }}</b>: {{ r.problem?.message }}
            <button class="link block" (click)="bench.openSheet(r.method, r.inputs, r.params)">Run again</button>
          </div>
        }
      </section>
    }
    <ng-template #menu let-item="item"><helk-dataset-menu cdkMenu [item]="item" /></ng-template>
  `,
})
export class Ledger {
  protected readonly project = inject(ProjectStore);
  protected readonly bench = inject(BenchStore);
  protected readonly anew = inject(Anew);
  protected readonly open = signal(new Set<string>());
  /** Thread whose name is being typed. */
  protected readonly naming = signal<string | null>(null);
  protected readonly threads = computed(() => threadsOf(this.project.datasetEntities(), this.project.runEntityMap()));
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
    const t = this.threads().length;
    const d = this.project.datasetEntities().length;
    return t ? `${t} ${t === 1 ? 'thread' : 'threads'} · ${d} ${d === 1 ? 'dataset' : 'datasets'}` : '';
  });

  /** Rows as they stand, an opened set followed by its members. */
  protected shown(rows: LedgerRow[]) {
    const open = this.open();
    return rows.flatMap((row, i) => {
      const set = row.items.length > 1;
      // Lines of outer depths that go on below this row pass through it.
      const through: number[] = [];
      for (let d = 0; d < row.depth; d++)
        if (rows.slice(i + 1).some((r) => r.depth <= d && r.depth === d)) through.push(d);
      const head = { ...this.describe(row, row.items[0]!, set), first: row.root, member: false, set, through };
      if (!set || !open.has(row.key)) return [head];
      return [
        head,
        ...row.items.map((item) => ({
          ...this.describe(row, item, false),
          first: false,
          member: true,
          set: false,
          through: [] as number[],
        })),
      ];
    });
  }

  private describe(row: LedgerRow, item: DatasetItem, set: boolean) {
    const of = set ? row.items : [item];
    const look = new Map(
      of.flatMap((d) => d.checks.filter((c) => c.level !== 'fine').map((c) => [c.code, c.message] as const)),
    );
    const run = this.project.madeBy(item);
    for (const d of of) {
      const moved = this.anew.words(d.id);
      if (moved) look.set('system.moved', moved);
    }
    for (const n of run?.notes ?? [])
      if (
        n.level === 'look' &&
        item.role &&
        run?.outputs[0] === item.id &&
        n.code !== 'crs.degrees' &&
        !look.has(n.code)
      )
        look.set(n.code, n.message);
    const method =
      run && run.method !== 'import' ? this.project.methodMap().get(run.method)?.title.toLowerCase() : undefined;
    return {
      row,
      item,
      title: set ? titleOf(row.items) : item.name,
      summary: set ? `${row.items.length} × ${summaryOf(item)}` : [summaryOf(item), method].filter(Boolean).join(' · '),
      checks: look.size,
      checkText: [...look.values()].join('\n'),
    };
  }

  protected makeAgain(): void {
    void this.anew.make(...this.anew.outdated());
  }

  protected isSelected(r: { item: DatasetItem; set: boolean; row: LedgerRow }): boolean {
    const s = this.bench.selected();
    return r.set ? r.row.items.some((d) => d.id === s) && !this.open().has(r.row.key) : r.item.id === s;
  }

  protected panesOf(r: { item: DatasetItem; set: boolean; row: LedgerRow }): number[] {
    const ids = r.set ? r.row.items.map((d) => d.id) : [r.item.id];
    return this.bench
      .panes()
      .filter((p) => p.layers.some((l) => ids.includes(l.dataset)))
      .map((p) => p.id);
  }

  protected pick(r: { item: DatasetItem; set: boolean; row: LedgerRow }): void {
    if (r.set) {
      // A set is shown whole: all its members in the active pane.
      const pane = this.bench.activePane();
      this.bench.change(pane, (p) => ({ ...p, layers: [], swipe: null }));
      for (const d of r.row.items) this.bench.show(d.id, pane, true);
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
    const host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
    // A result may be made far below what is in view.
    effect(() => {
      const id = this.bench.selected();
      if (!id) return;
      afterNextRender(
        () => host.querySelector(`[data-dataset="${CSS.escape(id)}"]`)?.scrollIntoView({ block: 'nearest' }),
        { injector },
      );
    });
  }

  protected called(t: Thread, name: string): void {
    if (this.naming() !== t.key) return;
    this.naming.set(null);
    if (name.trim() !== t.title) void this.project.nameThread(beginningsOf(t), name.trim());
  }

  protected toggle(key: string): void {
    this.open.update((s) => {
      const n = new Set(s);
      if (!n.delete(key)) n.add(key);
      return n;
    });
  }
}
