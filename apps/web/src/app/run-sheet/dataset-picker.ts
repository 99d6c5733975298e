import { CdkConnectedOverlay, CdkOverlayOrigin } from '@angular/cdk/overlay';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  output,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { kindOf } from '@helk/core';
import { ICONS } from '../parts/icons';
import { MidName } from '../parts/mid-name';
import { Thumbnail } from '../parts/thumbnail';
import { BenchStore } from '../state/bench.store';
import { stepsFrom, toldApart } from '../state/nearness';
import { ProjectStore, summaryOf, type DatasetItem } from '../state/project.store';

/** Up to so many are seen at a glance. */
const FEW = 7;

/** What a dataset is and how large, in one line. */
export function sizedWords(d: DatasetItem): string {
  const size = kindOf(d.info)
    .details(d.info as never)
    .find((f) => f.name === 'Size');
  // `400 × 300 cells of 30 m`: the summary says the cell size already.
  return [summaryOf(d), size?.value.split(' of ')[0]].filter(Boolean).join(' · ');
}

let made = 0;

/** Chooses one dataset of those that fit: found by words, the nearest relations first, equal names told apart. */
@Component({
  selector: 'helk-dataset-picker',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CdkConnectedOverlay, CdkOverlayOrigin, MidName, NgIcon, Thumbnail],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'block min-w-0' },
  template: `
    <button
      #button
      type="button"
      cdkOverlayOrigin
      #o="cdkOverlayOrigin"
      class="flex items-center gap-2 w-full min-w-0 text-left rounded-[4px]"
      role="combobox"
      aria-haspopup="listbox"
      [attr.aria-expanded]="open()"
      [attr.aria-controls]="listId"
      [attr.aria-label]="label() + ': ' + (item()?.name ?? nothing())"
      [attr.data-testid]="'input-' + role()"
      [attr.data-chosen]="item()?.id ?? ''"
      (click)="toggle()"
      (keydown)="begin($event)"
    >
      @if (slim()) {
        <helk-name class="flex-1" [class.text-ink-2]="!item()" [text]="item()?.name ?? nothing()" />
      } @else if (item(); as d) {
        <helk-thumbnail [item]="d" />
        <span class="min-w-0 flex-1">
          <helk-name class="font-[550]" [text]="d.name" />
          <span class="block text-[12px] text-ink-2 truncate" [title]="words(d)">{{ words(d) }}</span>
        </span>
      } @else {
        <span class="flex-1 text-ink-2 py-1">{{ nothing() }}</span>
      }
      <ng-icon name="lucideChevronDown" size="14" class="flex-none text-ink-3" />
    </button>
    <ng-template
      cdkConnectedOverlay
      [cdkConnectedOverlayOrigin]="o"
      [cdkConnectedOverlayOpen]="open()"
      [cdkConnectedOverlayOffsetY]="6"
      [cdkConnectedOverlayWidth]="width()"
      (overlayOutsideClick)="outside($event)"
      (detach)="open.set(false)"
    >
      <div class="popover w-full flex flex-col max-h-[360px] text-[13px]" data-testid="choices">
        @if (fitting().length > few) {
          <div class="p-1.5 border-b border-line-soft">
            <input
              #find
              class="w-full"
              type="search"
              placeholder="Find"
              [attr.aria-label]="'Find among ' + fitting().length"
              autocomplete="off"
              spellcheck="false"
              [value]="text()"
              (input)="text.set($any($event.target).value); at.set(0)"
              (keydown)="key($event)"
            />
          </div>
        }
        <div
          #list
          [id]="listId"
          role="listbox"
          class="overflow-auto py-1 outline-none"
          tabindex="-1"
          [attr.aria-label]="label()"
          [attr.aria-activedescendant]="listId + '-' + at()"
          (keydown)="key($event)"
        >
          @for (d of shown(); track d?.id ?? ''; let i = $index) {
            <div
              role="option"
              [id]="listId + '-' + i"
              class="flex items-center gap-2 px-2 py-1 min-h-[38px]"
              [class.bg-act-soft]="i === at()"
              [attr.aria-selected]="d?.id === chosen()"
              (pointermove)="at.set(i)"
              (click)="take(d)"
            >
              @if (d) {
                <helk-thumbnail [item]="d" />
                <span class="min-w-0 flex-1">
                  <helk-name [class.font-[600]]="d.id === chosen()" [text]="d.name" />
                  <span class="block text-[12px] text-ink-2 truncate">{{ words(d) }}</span>
                  @if (apart().get(d.id); as how) {
                    <span class="block text-[12px] text-ink-2 truncate" [title]="how">{{ how }}</span>
                  }
                </span>
              } @else {
                <span class="text-ink-2">none</span>
              }
            </div>
          } @empty {
            <p class="px-3 py-2 text-ink-2">Nothing that fits is called so.</p>
          }
        </div>
      </div>
    </ng-template>
  `,
})
export class DatasetPicker {
  /** The input's name, and its label. */
  readonly role = input.required<string>();
  readonly label = input.required<string>();
  readonly fitting = input.required<readonly DatasetItem[]>();
  /** Id of what stands in it; empty for nothing. */
  readonly chosen = input.required<string>();
  readonly optional = input(false);
  /** One line, as in a row of a table. */
  readonly slim = input(false);
  /** What is chosen is called so, where it is not there any more. */
  readonly gone = input('');
  /** Datasets whose relations stand first. */
  readonly near = input<readonly string[]>([]);
  readonly picked = output<string>();

  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly button = viewChild.required<ElementRef<HTMLButtonElement>>('button');
  private readonly find = viewChild<ElementRef<HTMLInputElement>>('find');
  private readonly list = viewChild<ElementRef<HTMLElement>>('list');
  protected readonly few = FEW;
  protected readonly listId = `choices-${++made}`;
  protected readonly open = signal(false);
  protected readonly text = signal('');
  protected readonly at = signal(0);
  protected readonly width = signal(300);
  protected readonly words = sizedWords;
  protected readonly item = computed((): DatasetItem | undefined => this.store.datasetEntityMap()[this.chosen()]);
  protected readonly nothing = computed(() =>
    this.chosen() && this.gone()
      ? this.gone()
      : this.fitting().length
        ? this.optional()
          ? 'none'
          : 'choose …'
        : 'nothing here fits',
  );
  protected readonly apart = computed(() => toldApart(this.fitting(), this.store.runEntityMap()));

  /** The nearest relations first, of those the newest; then what is no relation. */
  protected readonly shown = computed((): (DatasetItem | null)[] => {
    if (!this.open()) return [];
    const wanted = this.text().toLowerCase().split(/\s+/).filter(Boolean);
    const near = [...this.near(), this.bench.selected() ?? ''].filter((id) => id);
    const steps = stepsFrom(near, this.store.datasetEntities(), this.store.runEntityMap());
    const far = (d: DatasetItem): number => steps.get(d.id) ?? Infinity;
    const found = this.fitting()
      .filter((d) => {
        const text = `${d.name} ${summaryOf(d)} ${d.thread ?? ''} ${d.source?.file ?? ''}`.toLowerCase();
        return wanted.every((w) => text.includes(w));
      })
      .toSorted((a, b) => {
        const [x, y] = [far(a), far(b)];
        return x === y ? b.createdAt.localeCompare(a.createdAt) : x - y;
      });
    return this.optional() && !wanted.length ? [null, ...found] : found;
  });

  constructor() {
    effect(() => {
      const field = this.find()?.nativeElement ?? this.list()?.nativeElement;
      if (this.open() && field) untracked(() => field.focus({ preventScroll: true }));
    });
    effect(() => {
      const [list, at] = [this.list()?.nativeElement, this.at()];
      list?.children[at]?.scrollIntoView({ block: 'nearest' });
    });
  }

  protected toggle(): void {
    if (this.open()) return this.close();
    this.width.set(Math.max(280, this.button().nativeElement.offsetWidth));
    this.text.set('');
    this.open.set(true);
    this.at.set(
      Math.max(
        0,
        this.shown().findIndex((d) => (d?.id ?? '') === this.chosen()),
      ),
    );
  }

  protected begin(e: KeyboardEvent): void {
    if (e.key !== 'ArrowDown' && e.key !== 'ArrowUp') return;
    e.preventDefault();
    if (!this.open()) this.toggle();
  }

  protected key(e: KeyboardEvent): void {
    const n = this.shown().length;
    if (e.key === 'ArrowDown' && n) this.at.set((this.at() + 1) % n);
    else if (e.key === 'ArrowUp' && n) this.at.set((this.at() + n - 1) % n);
    else if (e.key === 'Home' && !this.text()) this.at.set(0);
    else if (e.key === 'End' && !this.text()) this.at.set(Math.max(0, n - 1));
    else if (e.key === 'Enter') {
      if (n) this.take(this.shown()[this.at()] ?? null);
    } else if (e.key === 'Escape') this.close();
    else if (e.key === 'Tab') {
      this.close();
      return;
    } else return;
    e.preventDefault();
    e.stopPropagation();
  }

  protected take(d: DatasetItem | null): void {
    this.close();
    if ((d?.id ?? '') !== this.chosen()) this.picked.emit(d?.id ?? '');
  }

  protected outside(e: MouseEvent): void {
    if (!this.button().nativeElement.contains(e.target as Node)) this.open.set(false);
  }

  private close(): void {
    this.open.set(false);
    this.button().nativeElement.focus({ preventScroll: true });
  }
}
