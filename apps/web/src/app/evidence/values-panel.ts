import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal } from '@angular/core';
import { displayUnit, formatNumber, type RasterInfo, type RasterStyle } from '@helk/core';
import { drawnOf } from '../kinds/drawn';
import { BenchStore } from '../state/bench.store';
import { Looks } from '../state/looks';
import { Picks } from '../state/picks';
import type { DatasetItem } from '../state/project.store';
import { ClassTable } from './class-table';
import { HistogramChart } from './histogram';

/** How often the values of a band occur, or how much there is of each class. */
@Component({
  selector: 'helk-values-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ClassTable, HistogramChart],
  host: { class: 'flex flex-1 min-w-0 min-h-0' },
  template: `
    @if (scale()?.classes; as classes) {
      <helk-class-table
        class="flex-1 min-w-0"
        [dataset]="item().id"
        [info]="info()"
        [band]="index()"
        [classes]="classes"
      />
    } @else {
      <helk-histogram
        class="flex-1 min-w-0"
        [band]="band()"
        [scale]="scale()"
        [picked]="picked()"
        (chosen)="choose($event)"
      />
    }
    <div
      class="w-[188px] flex-none py-2 pr-3 text-[12px] overflow-auto"
      [class.hidden]="classed() && bands().length < 2"
    >
      @if (bands().length > 1) {
        <select
          class="w-full mb-1.5"
          aria-label="Band"
          data-testid="values-band"
          (change)="index.set(+$any($event.target).value)"
        >
          @for (b of bands(); track $index) {
            <option [value]="$index" [selected]="$index === index()">{{ b }}</option>
          }
        </select>
      }
      @if (!classed()) {
        <dl class="grid grid-cols-[auto_1fr] gap-x-3 content-start">
          @for (s of statistics(); track s.name) {
            <dt class="text-ink-2">{{ s.name }}</dt>
            <dd class="num text-right">{{ s.value }}</dd>
          }
        </dl>
      }
    </div>
  `,
})
export class ValuesPanel {
  readonly item = input.required<DatasetItem>();
  private readonly bench = inject(BenchStore);
  private readonly looks = inject(Looks);
  private readonly picks = inject(Picks);
  protected readonly info = computed(() => this.item().info as RasterInfo);
  /** Where it is seen: in the active pane before others. */
  private readonly shown = computed(() => {
    const id = this.item().id;
    const panes = this.bench.panes().filter((p) => p.layers.some((l) => l.dataset === id));
    return panes.find((p) => p.id === this.bench.activePane()) ?? panes[0];
  });
  private readonly drawn = computed(() => {
    const layer = this.shown()?.layers.find((l) => l.dataset === this.item().id);
    return drawnOf(this.info(), this.looks.of<RasterStyle>(this.item(), layer)).index;
  });
  /** The band that is looked at: the one that is drawn, until another is chosen. */
  protected readonly index = linkedSignal<number>(() => this.drawn());
  protected readonly band = computed(() => this.info().bands[this.index()] ?? this.info().bands[0]!);
  protected readonly bands = computed(() => this.info().bands.map((b) => b.name));
  protected readonly scale = computed(() =>
    this.index() === this.drawn() ? (this.bench.scales().get(`${this.shown()?.id}/${this.item().id}`) ?? null) : null,
  );
  protected readonly classed = computed(() => !!this.scale()?.classes);
  protected readonly picked = computed((): [number, number] | null => {
    const r = this.picks.range();
    return r && r.dataset === this.item().id && r.band === this.index() ? [r.low, r.high] : null;
  });

  protected choose([low, high]: [number, number]): void {
    this.picks.range.set({ dataset: this.item().id, band: this.index(), low, high });
  }

  protected readonly statistics = computed(() => {
    const { facts, unit: u } = this.band();
    if (!facts) return [];
    const { summary: s, percentiles: p } = facts;
    const range = s.max - s.min;
    const unit = displayUnit(u);
    const v = (x: number | undefined): string => `${formatNumber(x, range)} ${unit}`.trim();
    return [
      { name: 'lowest', value: v(s.min) },
      { name: '5 %', value: v(p['5']) },
      { name: 'median', value: v(p['50']) },
      { name: 'mean', value: v(s.mean) },
      { name: '95 %', value: v(p['95']) },
      { name: 'highest', value: v(s.max) },
      { name: 's.d.', value: v(s.sd) },
      { name: 'cells', value: formatNumber(s.count) },
      { name: 'missing', value: formatNumber(s.missing) },
    ];
  });
}
