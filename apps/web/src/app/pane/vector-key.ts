import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { formatNumber, withUnit, type Symbols, type VectorStyle } from '@helk/core';
import { Picks } from '../state/picks';
import { crsOf, type DatasetItem } from '../state/project.store';
import { FeatureData } from '../state/feature-data';

const MOST = 12;

/** The key of features: what their colours mean; a class can be picked from it. */
@Component({
  selector: 'helk-vector-key',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="px-2 py-1 text-[12px] leading-tight">
      @if (entries().length) {
        <button
          class="flex items-center gap-1 w-full text-left font-[550] mb-0.5"
          [title]="title()"
          [attr.aria-expanded]="open()"
          (click)="toggled.set(!open())"
        >
          <span class="truncate flex-1">{{ title() }}</span><span class="text-ink-3" aria-hidden="true">{{
            open() ? '–' : '+'
          }}</span>
        </button>
        @for (e of open() ? entries() : []; track e.key + $index) {
          <button
            class="flex items-center gap-1.5 text-[11px] leading-[16px] w-full text-left hover:text-act"
            (click)="pick(e.colour)"
            [title]="'Pick these ' + e.count"
          >
            <span [class]="swatch()" [style.background]="e.colour" [style.borderColor]="e.colour"></span
            ><span class="truncate" [class.num]="numeric()">{{ e.text }}</span>
          </button>
        }
        @if (open() && more()) {
          <div class="text-[11px] text-ink-2">and {{ more() }} more</div>
        }
      } @else {
        <div class="flex items-center gap-1.5">
          <span
            [class]="swatch()"
            [style.background]="like() ?? style().colour + (kind() === 'polygon' ? '33' : '')"
            [style.borderColor]="style().colour"
          ></span
          ><span class="truncate">{{ title() }}</span>
        </div>
      }
      @if (style().size; as s) {
        <div class="text-[11px] text-ink-2">{{ kind() === 'point' ? 'size' : 'width' }} by {{ s.column }}</div>
      }
      @if (unplaced()) {
        <div class="text-[11px] text-look" title="Drawn as if it lay in the system of the pane">system not known</div>
      }
      @if (symbols()?.problem; as p) {
        <div class="text-[11px] text-look">{{ p }}</div>
      }
    </div>
  `,
})
export class VectorKey {
  readonly item = input.required<DatasetItem>();
  readonly style = input.required<VectorStyle>();
  readonly symbols = input<Symbols | null>(null);
  /** Only its name is shown until it is opened: keys below the top one would cover the picture. */
  readonly folded = input(false);
  protected readonly toggled = signal<boolean | null>(null);
  protected readonly open = computed(() => this.toggled() ?? !this.folded());
  private readonly picks = inject(Picks);
  private readonly data = inject(FeatureData);
  protected readonly kind = computed(() =>
    this.item().info.kind === 'features' ? (this.item().info as { geometry: string }).geometry : 'point',
  );
  /** Drawn as if it lay in the system of the pane. */
  protected readonly unplaced = computed(() => crsOf(this.item().info) === null);
  protected readonly numeric = computed(() => this.style().by.kind === 'classes');
  protected readonly entries = computed(() => (this.symbols()?.legend ?? []).slice(0, MOST));
  protected readonly more = computed(() => Math.max(0, (this.symbols()?.legend.length ?? 0) - MOST));
  protected readonly swatch = computed(
    () =>
      `flex-none border ${this.kind() === 'line' ? 'w-4 h-0 !border-y-[1.5px] !border-x-0' : this.kind() === 'point' ? 'w-2.5 h-2.5 rounded-full' : 'w-4 h-2.5 rounded-[2px]'}`,
  );
  /** Colours of the raster below; its key tells what they mean. */
  protected readonly like = computed(() => {
    const c = this.style().by.kind === 'raster' ? this.symbols()?.colours : undefined;
    return c && c.length > 3 ? `linear-gradient(90deg, ${c[0]}, ${c[(c.length - 2) >> 1]}, ${c[c.length - 2]})` : null;
  });
  protected readonly title = computed(() => {
    const by = this.style().by;
    if (by.kind === 'one') return this.item().name;
    const info = this.item().info;
    const unit = info.kind === 'features' ? info.columns.find((c) => c.name === by.column)?.unit : null;
    return `${this.item().name}: ${withUnit(by.column, unit)}`;
  });
  protected readonly number = formatNumber;

  protected pick(colour: string): void {
    const s = this.symbols();
    if (!s || !this.data.features(this.item().id)) return;
    const k = s.colours.indexOf(colour);
    this.picks.pick(
      this.item().id,
      Uint8Array.from(s.index, (v) => (v === k ? 1 : 0)),
    );
  }
}
