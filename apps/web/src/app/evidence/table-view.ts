import { CdkMenu, CdkMenuItem, CdkMenuTrigger } from '@angular/cdk/menu';
import { CdkFixedSizeVirtualScroll, CdkVirtualForOf, CdkVirtualScrollViewport } from '@angular/cdk/scrolling';
import {
  ChangeDetectionStrategy,
  ChangeDetectorRef,
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

import {
  columnsOf,
  displayUnit,
  formatNumber,
  kindOf,
  namesUnit,
  ofKind,
  type Column,
  valueOf,
  withUnit,
} from '@helk/core';

import { FeatureData } from '../state/feature-data';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Edits, plainReason } from '../state/edits';
import { columnStatistics, knownValues } from './column-statistics';
import { TableLooks, type TableLook } from '../state/table-looks';
import { PickBar } from './pick-bar';
import { PickBars } from './pick-bars';
import type { CopiedCell, CopiedTable } from '../parts/table-text';

const WIDTH = 128;
/** Pixels of the column with the numbers of the rows. */
const NUMBERS = 56;
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
      <helk-pick-bar class="flex-none" [item]="item()" [copied]="copied" />
      @if (typing()?.wrong; as w) {
        <p class="check check-refused !rounded-none flex-none" role="alert" data-testid="cell-wrong">{{ w }}</p>
      }
      <div class="flex-1 min-h-0 flex flex-col">
        <div #heads class="flex-none overflow-hidden border-b border-line">
          <div class="flex text-[12px] text-ink-2 h-[30px] items-center bg-leaf" [style.width.px]="across()">
            <span class="stays px-3 num text-right">no.</span>
            @for (c of shown(); track c.name; let first = $first) {
              <button
                class="px-3 h-full flex items-center gap-1 hover:bg-act-soft flex-none"
                [class.stays-second]="first"
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
        </div>
        <cdk-virtual-scroll-viewport
          itemSize="26"
          minBufferPx="260"
          maxBufferPx="520"
          class="flex-1 min-h-0"
          tabindex="0"
          role="group"
          [attr.aria-label]="'Rows of ' + item().name + ': up and down picks one, with Shift several'"
          (scroll)="heads.scrollLeft = $any($event.target).scrollLeft"
          (keydown)="walk($event)"
        >
          <div
            *cdkVirtualFor="let i of rows()"
            class="flex h-[26px] items-center border-b border-line-soft cursor-default select-none bg-leaf"
            [style.width.px]="across()"
            [style.background]="picked()?.[i] ? 'color-mix(in srgb, var(--pick) 14%, var(--leaf))' : null"
            [attr.aria-current]="picked()?.[i] === 1 ? 'true' : null"
            data-table-row
            (click)="pick(i, $event)"
          >
            <span class="stays px-3 num text-right text-ink-2">{{ i + 1 }}</span>
            @for (c of shown(); track c.name; let first = $first) {
              @if (typing()?.row === i && typing()?.column === c.name) {
                <input
                  #cell
                  class="flex-none !min-h-[24px] !h-[24px] !px-2 text-[12.5px]"
                  [style.width.px]="width"
                  [value]="typed(c, i)"
                  [attr.list]="listId"
                  [attr.aria-label]="c.name + ' of no. ' + (i + 1)"
                  [attr.aria-invalid]="!!typing()!.wrong"
                  [class.!border-no]="typing()!.wrong"
                  (click)="$event.stopPropagation()"
                  (keydown.enter)="enter(c, i, $any($event.target).value)"
                  (keydown.escape)="typing.set(null)"
                  (blur)="enter(c, i, $any($event.target).value)"
                />
              } @else {
                <span
                  class="px-3 truncate flex-none leading-[25px]"
                  [class.stays-second]="first"
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
  private readonly kept = inject(TableLooks);
  private readonly view = viewChild(CdkVirtualScrollViewport);
  /** Pixels of a whole row. */
  protected readonly across = computed(() => NUMBERS + this.shown().length * WIDTH);
  private readonly store = inject(ProjectStore);
  private readonly source = inject(FeatureData);
  private readonly picks = inject(Picks);
  protected readonly width = WIDTH;
  protected readonly unit = displayUnit;
  protected readonly titled = withUnit;
  protected readonly tells = namesUnit;
  protected readonly failed = signal<string | null>(null);
  /** How this table was last looked at, by its dataset: who comes back finds it so. */
  private readonly look = computed(() => this.kept.of(this.id()));
  protected readonly sort = computed(() => this.look().sort);
  private readonly order = computed(() => this.look().order);
  private readonly hidden = computed(() => this.look().hidden);
  private anchor = -1;
  /** Where the keyboard stands. */
  private last = -1;
  private readonly drawn = inject(ChangeDetectorRef);
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
        this.typing.set(null);
        this.failed.set(null);
        [this.anchor, this.last] = [-1, -1];
      });
      this.source.get(id).then(
        () => this.toNew(id),
        (e: unknown) => this.failed.set(e instanceof Error ? e.message : String(e)),
      );
    });
  }

  private put(some: Partial<TableLook>): void {
    this.kept.put(this.id(), some);
  }

  /** What a run added to the columns that were there is brought into sight, the first time that the table is looked at. */
  private toNew(id: string): void {
    if (id !== this.id() || !this.kept.first(id)) return;
    const run = this.store.madeBy(this.item());
    const before = new Set(
      Object.values(run?.inputs ?? {})
        .flat()
        .flatMap((d) => {
          const info = this.store.datasetEntityMap()[d.split('/')[0]!]?.info;
          return info ? columnsOf(info).map((c) => c.name) : [];
        }),
    );
    const names = this.shown().map((c) => c.name);
    const at = before.size ? names.findIndex((n) => !before.has(n)) : -1;
    if (at < 0) return;
    setTimeout(() => {
      const v = this.view();
      if (!v || id !== this.id()) return;
      const room = v.elementRef.nativeElement.clientWidth;
      const end = NUMBERS + (at + 1) * WIDTH;
      if (end > room) v.scrollTo({ left: Math.min(end - room + WIDTH, NUMBERS + at * WIDTH) });
    });
  }

  /** Up and down the rows as they stand. */
  protected walk(e: KeyboardEvent): void {
    const by = { ArrowDown: 1, ArrowUp: -1, PageDown: 10, PageUp: -10 }[e.key];
    const v = this.view();
    if (this.typing() || !v) return;
    if (e.key === 'ArrowLeft' || e.key === 'ArrowRight') return;
    if (by === undefined) return;
    e.preventDefault();
    e.stopPropagation();
    const rows = this.rows();
    const from = this.last >= 0 ? rows.indexOf(this.last) : by > 0 ? -1 : rows.length;
    const to = Math.max(0, Math.min(rows.length - 1, from + by));
    const row = rows[to];
    if (row === undefined) return;
    if (e.shiftKey && this.anchor >= 0) this.between(this.anchor, row);
    else {
      this.anchor = row;
      this.picks.pick(
        this.id(),
        Uint8Array.from({ length: this.total() }, (_, k) => Number(k === row)),
        'replace',
      );
    }
    this.last = row;
    const [top, room] = [v.measureScrollOffset('top'), v.getViewportSize()];
    if (26 * to < top) v.scrollToIndex(to);
    else if (26 * (to + 1) > top + room) v.scrollToOffset(26 * (to + 1) - room);
  }

  /** Picks all rows between two, as they stand. */
  private between(one: number, other: number): void {
    const rows = new Uint8Array(this.total());
    const order = this.rows();
    const [a, b] = [order.indexOf(one), order.indexOf(other)].sort((x, y) => x - y) as [number, number];
    for (let k = a; k <= b; k++) rows[order[k]!] = 1;
    this.picks.pick(this.id(), rows, 'replace');
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
    // At once: what is typed right after the click belongs into the field.
    this.drawn.detectChanges();
    this.field()?.nativeElement.select();
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
      this.put({ order: next });
    };
    return [
      { label: 'Sort upwards', do: () => this.put({ sort: { column: c.name, down: false } }) },
      { label: 'Sort downwards', do: () => this.put({ sort: { column: c.name, down: true } }) },
      ...(this.sort().column
        ? [{ label: 'As it was', do: () => this.put({ sort: { column: null, down: false } }) }]
        : []),
      ...(at > 0 ? [{ label: 'Move left', do: () => move(at - 1) }] : []),
      ...(at < names.length - 1 ? [{ label: 'Move right', do: () => move(at + 1) }] : []),
      ...(names.length > 1
        ? [{ label: 'Hide', do: () => this.put({ hidden: new Set([...this.hidden(), c.name]) }) }]
        : []),
      ...(this.hidden().size
        ? [{ label: `Show all (${this.hidden().size} hidden)`, do: () => this.put({ hidden: new Set() }) }]
        : []),
    ];
  }

  protected pick(i: number, e: MouseEvent): void {
    const rows = new Uint8Array(this.total());
    const id = this.item().id;
    this.last = i;
    if (e.shiftKey && this.anchor >= 0) {
      this.between(this.anchor, i);
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

  /** What is picked, or everything, with the columns' heads. */
  protected readonly copied = (): CopiedTable => {
    const picked = this.picked();
    const rows = picked ? this.rows().filter((i) => picked[i]) : this.rows();
    return [
      this.shown().map((c) => (c.unit && !namesUnit(c.name, c.unit) ? `${c.name} [${c.unit}]` : c.name)),
      ...rows.map((i) => this.shown().map((c) => cellOf(valueOf(c, i)))),
    ];
  };
}

/** A value as it is copied. */
const cellOf = (v: unknown): CopiedCell =>
  typeof v === 'number' || v === null || v === undefined ? v : String(v as string);
