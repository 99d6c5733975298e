import { Clipboard } from '@angular/cdk/clipboard';
import { CdkMenu, CdkMenuItem, CdkMenuTrigger } from '@angular/cdk/menu';
import { CdkFixedSizeVirtualScroll, CdkVirtualForOf, CdkVirtualScrollViewport } from '@angular/cdk/scrolling';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  signal,
  untracked,
  viewChild,
} from '@angular/core';

import { displayUnit, formatNumber, kindOf, namesUnit, ofKind, type Column, valueOf, withUnit } from '@helk/core';

import { FeatureData } from '../state/feature-data';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Edits, plainReason } from '../state/edits';
import { columnStatistics, knownValues } from './column-statistics';
import { PickBar } from './pick-bar';
import { PickBars } from './pick-bars';

const WIDTH = 128;
let made = 0;

/** Columns of a table or of features, any number of rows: sorted, hidden, described in their heads, picked here and everywhere. */
@Component({
  selector: 'helk-table-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    CdkVirtualScrollViewport,
    CdkFixedSizeVirtualScroll,
    CdkVirtualForOf,
    CdkMenu,
    CdkMenuItem,
    CdkMenuTrigger,
    PickBar,
    PickBars,
  ],
  host: { class: 'flex flex-col min-h-0 flex-1 min-w-0' },
  template: `
    @if (data(); as d) {
      <helk-pick-bar class="flex-none" [item]="item()" (copy)="copy()" />
      <div class="flex-1 min-h-0 overflow-x-auto">
        <div class="h-full flex flex-col" [style.min-width.px]="70 + shown().length * width">
          <div class="flex flex-none text-[12px] text-ink-2 border-b border-line h-[30px] items-center">
            <span class="w-14 px-3 num text-right flex-none">no.</span>
            @for (c of shown(); track c.name) {
              <button
                class="px-3 h-full flex items-center gap-1 hover:bg-act-soft flex-none"
                [style.width.px]="width"
                [class.justify-end]="c.type === 'number'"
                [cdkMenuTriggerFor]="head"
                [cdkMenuTriggerData]="{ column: c }"
                [title]="titled(c.name, c.unit)"
                [attr.data-testid]="'column-' + c.name"
              >
                <span class="truncate flex-none max-w-full font-[550] text-ink">{{ c.name }}</span>
                @if (c.unit && !tells(c.name, c.unit)) {
                  <span class="truncate min-w-0 num text-[11px]">{{ unit(c.unit) }}</span>
                }
                @if (sort().column === c.name) {
                  <span aria-hidden="true">{{ sort().down ? '↓' : '↑' }}</span>
                }
              </button>
            }
          </div>
          <cdk-virtual-scroll-viewport
            itemSize="26"
            minBufferPx="260"
            maxBufferPx="520"
            class="flex-1 min-h-0 !overflow-x-hidden"
          >
            <div
              *cdkVirtualFor="let i of rows()"
              class="flex h-[26px] items-center border-b border-line-soft cursor-default select-none"
              [style.background]="picked()?.[i] ? 'color-mix(in srgb, var(--pick) 14%, transparent)' : null"
              [attr.aria-selected]="picked()?.[i] === 1"
              (click)="pick(i, $event)"
            >
              <span class="w-14 px-3 num text-right text-ink-3 flex-none">{{ i + 1 }}</span>
              @for (c of shown(); track c.name) {
                @if (typing()?.row === i && typing()?.column === c.name) {
                  <input
                    #cell
                    class="flex-none !min-h-[24px] !h-[24px] !px-2 text-[12.5px]"
                    [style.width.px]="width"
                    [value]="typed(c, i)"
                    [attr.list]="listId"
                    [attr.aria-label]="c.name + ' of no. ' + (i + 1)"
                    [attr.aria-invalid]="!!typing()!.wrong"
                    [title]="typing()!.wrong ?? ''"
                    [class.!border-no]="typing()!.wrong"
                    (click)="$event.stopPropagation()"
                    (keydown.enter)="enter(c, i, $any($event.target).value)"
                    (keydown.escape)="typing.set(null)"
                    (blur)="enter(c, i, $any($event.target).value)"
                  />
                } @else {
                  <span
                    class="px-3 truncate flex-none"
                    [style.width.px]="width"
                    [class]="c.type === 'number' ? 'num text-right' : 'text-[12.5px]'"
                    [class.edited]="edited(c, i)"
                    (dblclick)="type(c, i)"
                    [attr.data-cell]="c.name"
                    >{{ cell(c, i) }}</span
                  >
                }
              }
            </div>
          </cdk-virtual-scroll-viewport>
        </div>
      </div>
      <datalist [id]="listId">
        @for (v of known(); track v) {
          <option [value]="v"></option>
        }
      </datalist>
      <ng-template #head let-column="column">
        <div cdkMenu class="popover w-[230px] py-2 text-[13px]">
          @if (statistics(column); as s) {
            <div class="px-3 pb-2 border-b border-line-soft">
              <div class="flex items-baseline gap-2">
                <b class="font-[600] truncate flex-1">{{ column.name }}</b><span class="text-ink-2 text-[12px]">{{
                  s.type
                }}</span>
              </div>
              @if (s.bars.length) {
                <helk-pick-bars
                  class="block mt-1"
                  [bars]="s.bars"
                  [ends]="s.ends"
                  [unit]="unit(column.unit)"
                  (chosen)="pickRange(column, $event)"
                />
              }
              <dl class="grid grid-cols-[auto_1fr] gap-x-3 text-[12px] mt-1">
                @for (l of s.lines; track l.name) {
                  <dt class="text-ink-2 truncate max-w-[110px]">
                    @if (l.key !== undefined) {
                      <button class="link truncate max-w-full" (click)="pickValue(column, l.key)">{{ l.name }}</button>
                    } @else {
                      {{ l.name }}
                    }
                  </dt>
                  <dd class="num text-right">{{ l.value }}</dd>
                }
              </dl>
            </div>
          }
          @for (a of actions(column); track a.label) {
            <button
              cdkMenuItem
              class="block w-full text-left px-3 h-[28px] hover:bg-act-soft focus:bg-act-soft outline-none"
              (cdkMenuItemTriggered)="a.do()"
            >
              {{ a.label }}
            </button>
          }
        </div>
      </ng-template>
    } @else {
      <p class="p-4 text-ink-2">{{ failed() ?? 'Reading …' }}</p>
    }
  `,
})
export class TableView {
  readonly item = input.required<DatasetItem>();
  private readonly store = inject(ProjectStore);
  private readonly source = inject(FeatureData);
  private readonly picks = inject(Picks);
  private readonly clipboard = inject(Clipboard);
  protected readonly width = WIDTH;
  protected readonly unit = displayUnit;
  protected readonly titled = withUnit;
  protected readonly tells = namesUnit;
  protected readonly failed = signal<string | null>(null);
  protected readonly sort = signal<{ column: string | null; down: boolean }>({ column: null, down: false });
  private readonly order = signal<string[]>([]);
  private readonly hidden = signal<ReadonlySet<string>>(new Set());
  private anchor = -1;
  private readonly edits = inject(Edits);
  private readonly field = viewChild<ElementRef<HTMLInputElement>>('cell');
  protected readonly typing = signal<{ row: number; column: string; wrong: string | null } | null>(null);
  protected readonly listId = `cells-${++made}`;
  protected readonly known = computed(() => {
    const c = this.data()?.columns.find((x) => x.name === this.typing()?.column);
    return c?.type === 'text' ? knownValues(c) : [];
  });
  protected readonly data = computed(() => this.source.now(this.item().id));
  protected readonly picked = computed(() => this.picks.of(this.item().id));
  protected readonly shown = computed(() => {
    const all = this.data()?.columns ?? [];
    const order = this.order();
    const at = (c: Column): number => (order.includes(c.name) ? order.indexOf(c.name) : order.length + all.indexOf(c));
    return all.filter((c) => !this.hidden().has(c.name)).sort((a, b) => at(a) - at(b));
  });
  protected readonly total = computed(() => kindOf(this.item().info).rows?.(this.item().info).count ?? 0);
  protected readonly rows = computed(() => {
    const n = this.total();
    const { column, down } = this.sort();
    const c = this.data()?.columns.find((x) => x.name === column);
    const out = Array.from({ length: n }, (_, k) => k);
    if (!c) return out;
    // Missing values come last, whichever way.
    const gone = (i: number): boolean => c.missing?.[i] === 1 || c.values[i] !== c.values[i];
    const sign = down ? -1 : 1;
    return out.sort((a, b) => {
      const [ga, gb] = [gone(a), gone(b)];
      if (ga || gb) return Number(ga) - Number(gb) || a - b;
      const [x, y] = [c.values[a]!, c.values[b]!];
      return x < y ? -sign : x > y ? sign : a - b;
    });
  });

  /** Apart from the item, which is another object whenever anything about the dataset is said anew. */
  private readonly id = computed(() => this.item().id);

  constructor() {
    effect(() => {
      const id = this.id();
      untracked(() => {
        this.sort.set({ column: null, down: false });
        this.order.set([]);
        this.hidden.set(new Set());
        this.typing.set(null);
        this.failed.set(null);
        this.anchor = -1;
      });
      void this.source.get(id).catch((e: unknown) => this.failed.set(e instanceof Error ? e.message : String(e)));
    });
  }

  protected cell(c: Column, i: number): string {
    const e = this.edits.of(this.item().id, c.name, i);
    if (e !== undefined) return e ?? '–';
    const v = valueOf(c, i);
    return v === null ? '–' : typeof v === 'number' ? formatNumber(v) : typeof v === 'boolean' ? (v ? 'yes' : 'no') : v;
  }

  protected readonly statistics = columnStatistics;

  protected readonly edited = (c: Column, i: number): boolean => this.edits.of(this.item().id, c.name, i) !== undefined;

  protected typed(c: Column, i: number): string {
    const e = this.edits.of(this.item().id, c.name, i);
    return e !== undefined ? (e ?? '') : String(valueOf(c, i) ?? '');
  }

  /** A cell of features opens for typing; a plain table is only read. */
  protected type(c: Column, i: number): void {
    if (!ofKind('features', this.item().info)) return;
    this.typing.set({ row: i, column: c.name, wrong: null });
    setTimeout(() => this.field()?.nativeElement.select());
  }

  protected enter(c: Column, i: number, text: string): void {
    if (this.typing()?.row !== i || this.typing()?.column !== c.name) return;
    try {
      this.edits.set(this.item().id, c, [i], text);
      this.typing.set(null);
    } catch (e) {
      if (this.typing()!.wrong) {
        this.typing.set(null);
        this.store.notify(`${plainReason(e)} The cell is as it was.`, 'refused');
      } else this.typing.set({ row: i, column: c.name, wrong: plainReason(e) });
    }
  }

  protected pickRange(c: Column, [low, high]: [number, number]): void {
    const v = c.values as Float64Array;
    this.picks.pick(
      this.item().id,
      Uint8Array.from(v, (x, i) => (x >= low && x <= high && !c.missing?.[i] ? 1 : 0)),
    );
  }

  protected pickValue(c: Column, key: string): void {
    this.picks.pick(
      this.item().id,
      Uint8Array.from({ length: c.values.length }, (_, i) => (!c.missing?.[i] && String(c.values[i]) === key ? 1 : 0)),
    );
  }

  protected actions(c: Column): { label: string; do: () => void }[] {
    const names = this.shown().map((x) => x.name);
    const at = names.indexOf(c.name);
    const move = (to: number): void => {
      const next = names.filter((n) => n !== c.name);
      next.splice(to, 0, c.name);
      this.order.set(next);
    };
    return [
      { label: 'Sort upwards', do: () => this.sort.set({ column: c.name, down: false }) },
      { label: 'Sort downwards', do: () => this.sort.set({ column: c.name, down: true }) },
      ...(this.sort().column ? [{ label: 'As it was', do: () => this.sort.set({ column: null, down: false }) }] : []),
      ...(at > 0 ? [{ label: 'Move left', do: () => move(at - 1) }] : []),
      ...(at < names.length - 1 ? [{ label: 'Move right', do: () => move(at + 1) }] : []),
      ...(names.length > 1 ? [{ label: 'Hide', do: () => this.hidden.update((h) => new Set([...h, c.name])) }] : []),
      ...(this.hidden().size
        ? [{ label: `Show all (${this.hidden().size} hidden)`, do: () => this.hidden.set(new Set()) }]
        : []),
    ];
  }

  protected pick(i: number, e: MouseEvent): void {
    const rows = new Uint8Array(this.total());
    const id = this.item().id;
    if (e.shiftKey && this.anchor >= 0) {
      const order = this.rows();
      const [a, b] = [order.indexOf(this.anchor), order.indexOf(i)].sort((x, y) => x - y) as [number, number];
      for (let k = a; k <= b; k++) rows[order[k]!] = 1;
      this.picks.pick(id, rows, 'replace');
      return;
    }
    rows[i] = 1;
    this.anchor = i;
    const was = this.picked()?.[i] === 1;
    const only = this.picks.count(id) === 1;
    if (e.ctrlKey || e.metaKey) this.picks.pick(id, rows, was ? 'remove' : 'add');
    else if (was && only) this.picks.clear(id);
    else this.picks.pick(id, rows);
  }

  /** What is picked, or everything, as tab-separated text with the columns' heads. */
  protected copy(): void {
    const picked = this.picked();
    const rows = picked ? this.rows().filter((i) => picked[i]) : this.rows();
    const lines = [
      this.shown().map((c) => (c.unit && !namesUnit(c.name, c.unit) ? `${c.name} [${c.unit}]` : c.name)),
      ...rows.map((i) => this.shown().map((c) => String(valueOf(c, i) ?? '').replace(/[\t\r\n]+/g, ' '))),
    ];
    this.clipboard.copy(lines.map((l) => l.join('\t')).join('\n'));
    this.store.notify(
      `Copied ${formatNumber(rows.length)} ${rows.length === 1 ? 'row' : 'rows'} with ${this.shown().length} columns.`,
    );
  }
}
