import { CdkMenu, CdkMenuItem, CdkMenuItemCheckbox, CdkMenuItemRadio, CdkMenuTrigger } from '@angular/cdk/menu';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { kindOf, type DatasetKind } from '@helk/core';
import { ICONS } from '../parts/icons';
import { Listing, NO_WISH, type Order } from '../state/listing';
import { ProjectStore } from '../state/project.store';

const ORDERS: { id: Order; label: string }[] = [
  { id: 'made', label: 'as it was made, in threads' },
  { id: 'name', label: 'by name' },
  { id: 'newest', label: 'the newest first' },
  { id: 'kind', label: 'by kind' },
  { id: 'checks', label: 'most checks first' },
];

/** Finds datasets in the ledger: by words, by kind, thread and checks, in the order that is wished. */
@Component({
  selector: 'helk-ledger-search',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon, CdkMenu, CdkMenuItem, CdkMenuItemCheckbox, CdkMenuItemRadio, CdkMenuTrigger],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'block px-3 pb-1.5' },
  template: `
    <div class="flex items-center gap-1">
      <div class="relative flex-1 min-w-0">
        <ng-icon name="lucideSearch" size="14" class="absolute left-2 top-[8px] text-ink-3" />
        <input
          class="w-full !pl-7 text-[13px]"
          type="search"
          placeholder="Find in the ledger"
          aria-label="Find in the ledger"
          data-testid="find"
          autocomplete="off"
          spellcheck="false"
          [value]="listing.wish().text"
          (input)="listing.want({ text: $any($event.target).value })"
          (keydown.escape)="listing.want({ text: '' })"
        />
      </div>
      <button
        class="icon-btn flex-none"
        [class.!text-act]="listing.narrowed() || listing.wish().order !== 'made'"
        [cdkMenuTriggerFor]="how"
        aria-label="Which are listed, and in which order"
        title="Which are listed, and in which order"
        data-testid="listing"
      >
        <ng-icon name="lucideListFilter" size="15" />
      </button>
    </div>
    @if (listing.narrowed()) {
      <p class="text-[12px] text-ink-2 pt-1" role="status" data-testid="found">
        <span class="num">{{ found() }}</span> of <span class="num">{{ all() }}</span>{{ told() }}
        <button class="link ml-1" (click)="listing.wish.set(none)">show all</button>
      </p>
    }
    <ng-template #how>
      <div cdkMenu class="popover py-1 w-[250px] text-[13px] max-h-[76vh] overflow-auto">
        <div class="px-3 pt-1 text-[12px] text-ink-2">Kinds</div>
        @for (k of kinds(); track k.kind) {
          <button
            cdkMenuItemCheckbox
            class="menu-row !flex items-center gap-2"
            [cdkMenuItemChecked]="listing.wish().kinds.includes(k.kind)"
            (cdkMenuItemTriggered)="kind(k.kind)"
          >
            <ng-icon name="lucideCheck" size="14" [class.invisible]="!listing.wish().kinds.includes(k.kind)" />
            <span class="flex-1">{{ k.label }}</span><span class="num text-ink-2">{{ k.count }}</span>
          </button>
        }
        <button
          cdkMenuItemCheckbox
          class="menu-row !flex items-center gap-2 border-t border-line-soft"
          [cdkMenuItemChecked]="listing.wish().checked"
          (cdkMenuItemTriggered)="listing.want({ checked: !listing.wish().checked })"
        >
          <ng-icon name="lucideCheck" size="14" [class.invisible]="!listing.wish().checked" />
          <span class="flex-1">with something to check</span>
        </button>
        @if (threads().length > 1) {
          <div class="px-3 pt-2 text-[12px] text-ink-2 border-t border-line-soft">Thread</div>
          @for (t of threads(); track t.key) {
            <button
              cdkMenuItemRadio
              class="menu-row !flex items-center gap-2"
              [cdkMenuItemChecked]="listing.wish().thread === t.key"
              (cdkMenuItemTriggered)="listing.want({ thread: listing.wish().thread === t.key ? null : t.key })"
            >
              <ng-icon name="lucideCheck" size="14" [class.invisible]="listing.wish().thread !== t.key" />
              <span class="flex-1 truncate voice" [title]="t.title">{{ t.title }}</span>
              <span class="num text-ink-2">{{ t.count }}</span>
            </button>
          }
        }
        <div class="px-3 pt-2 text-[12px] text-ink-2 border-t border-line-soft">Order</div>
        @for (o of orders; track o.id) {
          <button
            cdkMenuItemRadio
            class="menu-row !flex items-center gap-2"
            [cdkMenuItemChecked]="listing.wish().order === o.id"
            (cdkMenuItemTriggered)="listing.want({ order: o.id })"
          >
            <ng-icon name="lucideCheck" size="14" [class.invisible]="listing.wish().order !== o.id" />{{ o.label }}
          </button>
        }
        <button
          cdkMenuItemCheckbox
          class="menu-row !flex items-center gap-2 border-t border-line-soft"
          [cdkMenuItemChecked]="listing.dense()"
          (cdkMenuItemTriggered)="listing.setDense(!listing.dense())"
        >
          <ng-icon name="lucideCheck" size="14" [class.invisible]="!listing.dense()" />dense rows
        </button>
        @if (many()) {
          <button cdkMenuItem class="menu-row" (cdkMenuItemTriggered)="fold(true)">
            <span class="pl-[22px]">Fold all threads</span>
          </button>
          <button cdkMenuItem class="menu-row" (cdkMenuItemTriggered)="fold(false)">
            <span class="pl-[22px]">Unfold all threads</span>
          </button>
        }
      </div>
    </ng-template>
  `,
})
export class LedgerSearch {
  /** How many datasets are listed. */
  readonly found = input.required<number>();
  protected readonly listing = inject(Listing);
  private readonly project = inject(ProjectStore);
  protected readonly orders = ORDERS;
  protected readonly none = NO_WISH;
  protected readonly all = computed(() => this.project.datasetEntities().length);
  protected readonly many = computed(() => this.listing.threads().length > 1);

  protected readonly kinds = computed(() => {
    const counts = new Map<DatasetKind, number>();
    for (const d of this.project.datasetEntities()) counts.set(d.info.kind, (counts.get(d.info.kind) ?? 0) + 1);
    return [...counts].map(([kind, count]) => ({ kind, count, label: kindOf({ kind }).words.many }));
  });
  /** Those that have a name, or are more than a source. */
  protected readonly threads = computed(() =>
    this.listing
      .threads()
      .filter((t) => t.named || t.rows.length > 1)
      .map((t) => ({ key: t.key, title: t.title, count: t.rows.reduce((n, r) => n + r.items.length, 0) })),
  );
  /** Which they are, in words. */
  protected readonly told = computed(() => {
    const { kinds, thread, checked } = this.listing.wish();
    const parts = [
      kinds.map((kind) => kindOf({ kind }).words.many).join(' or '),
      thread === null ? '' : `in ${this.threads().find((t) => t.key === thread)?.title ?? 'a thread that is gone'}`,
      checked ? 'with checks' : '',
    ].filter(Boolean);
    return parts.length ? `, ${parts.join(', ')}` : '';
  });

  protected kind(kind: DatasetKind): void {
    const { kinds } = this.listing.wish();
    this.listing.want({ kinds: kinds.includes(kind) ? kinds.filter((k) => k !== kind) : [...kinds, kind] });
  }

  protected fold(on: boolean): void {
    this.listing.fold(
      this.listing.threads().map((t) => t.key),
      on,
    );
  }
}
