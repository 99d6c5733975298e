import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  signal,
  viewChild,
  type WritableSignal,
} from '@angular/core';
import { BoxAndWiskers, BoxPlotController } from '@sgratzl/chartjs-chart-boxplot';
import {
  BarController,
  BarElement,
  CategoryScale,
  Chart,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  ScatterController,
  Tooltip,
} from 'chart.js';
import { displayUnit, formatNumber, type Column } from '@helk/core';
import { trendOf } from '@helk/core/numeric/box';
import { BenchStore } from '../state/bench.store';
import { ChartAsked } from '../state/chart-asked';
import { FeatureData } from '../state/feature-data';
import { Picks } from '../state/picks';
import type { DatasetItem } from '../state/project.store';
import { barsBetween, ChartBrush, valuesBetween, type Brushed } from './chart-brush';
import { BINS, boxChart, MOST_DOTS, rangeOf, scatterChart, spreadChart, titled } from './column-chart-configs';
import { groupsOf, isGrouping, MOST_GROUPS, numbersOf } from './column-values';

Chart.register(
  BarController,
  BarElement,
  BoxPlotController,
  BoxAndWiskers,
  CategoryScale,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  ScatterController,
  Tooltip,
);

type Kind = 'spread' | 'groups' | 'against';
const KINDS: { id: Kind; label: string; title: string }[] = [
  { id: 'spread', label: 'spread', title: 'How often values occur' },
  { id: 'groups', label: 'by group', title: 'Boxes of the values of each group' },
  { id: 'against', label: 'against', title: 'One column against another' },
];
/** Columns of features or tables as histogram, box plots or scatter; what is dragged over is picked in map and table too. */
@Component({
  selector: 'helk-column-charts',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChartBrush],
  host: { class: 'flex min-h-0 flex-1 min-w-0', 'data-testid': 'column-charts' },
  template: `
    <div class="w-[176px] flex-none flex flex-col gap-1.5 p-2 pr-0 text-[12.5px] overflow-auto">
      <div class="flex" role="group" aria-label="Kind of chart">
        @for (k of kinds; track k.id) {
          <button
            class="bar !h-[26px] !px-1.5"
            [class.on]="kind() === k.id"
            [attr.aria-pressed]="kind() === k.id"
            [title]="k.title"
            (click)="kind.set(k.id)"
          >
            {{ k.label }}
          </button>
        }
      </div>
      @for (f of fields(); track f.id) {
        <label class="grid gap-0.5"
          ><span class="text-ink-2 text-[12px]">{{ f.label }}</span>
          <select
            class="!min-h-[26px] !py-0"
            (change)="f.set($any($event.target).value)"
            [attr.data-testid]="'chart-' + f.id"
          >
            @for (c of f.columns; track c.name) {
              <option [value]="c.name" [selected]="c.name === f.chosen">{{ c.name }}</option>
            }
          </select></label
        >
      }
    </div>
    <div class="relative flex-1 min-w-0 px-2 pt-1 pb-1 flex flex-col">
      <div class="flex gap-4 text-[11.5px] text-ink-2 h-[18px] flex-none">
        <span class="truncate flex-none max-w-[50%] font-[550]">{{ upward() }}</span>
        <span class="truncate flex-1 min-w-0 text-right" [title]="words()" data-testid="chart-words">{{
          words()
        }}</span>
      </div>
      @if (empty()) {
        <p class="p-3 text-ink-2">{{ empty() }}</p>
      }
      <div class="relative flex-1 min-h-0" [class.invisible]="!!empty()">
        <canvas #c role="img" [attr.aria-label]="words()"></canvas>
        <helk-chart-brush
          [chart]="drawn"
          [mode]="kind() === 'spread' ? 'x' : kind() === 'groups' ? 'click' : 'box'"
          [title]="hint()"
          data-testid="chart-brush"
          (brushed)="choose($event)"
        />
      </div>
    </div>
  `,
})
export class ColumnCharts {
  readonly item = input.required<DatasetItem>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly data = inject(FeatureData);
  private readonly picks = inject(Picks);
  private readonly bench = inject(BenchStore);
  private chart: Chart | null = null;
  protected readonly kinds = KINDS;
  protected readonly kind = signal<Kind>('spread');
  protected readonly value = signal('');
  protected readonly group = signal('');
  protected readonly other = signal('');
  private readonly columns = computed(() => this.data.now(this.item().id)?.columns ?? []);
  protected readonly numeric = computed(() => this.columns().filter((c) => c.type === 'number'));
  protected readonly groupings = computed(() => this.columns().filter(isGrouping));
  private readonly pickOf = (all: Column[], name: string): Column | undefined =>
    all.find((c) => c.name === name) ?? all[0];
  /** Rather a measure than a number that only counts. */
  private readonly measures = computed(() =>
    this.numeric()
      .filter((c) => !/^(id|fid|no|nr|x|y)$/i.test(c.name))
      // What was measured has a unit; what only counts has none.
      .sort((a, b) => Number(!a.unit) - Number(!b.unit)),
  );
  protected readonly y = computed(() => this.pickOf(this.numeric(), this.value() || (this.measures()[0]?.name ?? '')));
  /** Rather words that recur than numbers, and neither names of single rows nor the values themselves. */
  protected readonly g = computed((): Column | undefined => {
    const all = this.groupings();
    const few = all.filter((c) => c !== this.y() && groupsOf(c).all <= MOST_GROUPS);
    return all.find((c) => c.name === this.group()) ?? few.find((c) => c.type !== 'number') ?? few[0] ?? all[0];
  });
  protected readonly fields = computed(() => {
    const field = (
      id: string,
      label: string,
      columns: Column[],
      chosen: Column | undefined,
      to: WritableSignal<string>,
    ) => ({
      id,
      label,
      columns,
      chosen: chosen?.name,
      set: (name: string): void => to.set(name),
    });
    return [
      field('value', 'Values', this.numeric(), this.y(), this.value),
      ...(this.kind() === 'groups' ? [field('group', 'Groups', this.groupings(), this.g(), this.group)] : []),
      ...(this.kind() === 'against' ? [field('other', 'Against', this.numeric(), this.x(), this.other)] : []),
    ];
  });
  /** What is drawn upwards, as the axis has no room for it. */
  protected readonly upward = computed(() =>
    this.empty() || !this.y() ? '' : this.kind() === 'spread' ? 'rows' : titled(this.y()!),
  );
  protected readonly x = computed(() => this.pickOf(this.numeric(), this.other() || (this.measures()[1]?.name ?? '')));
  private readonly picked = computed(() => this.picks.of(this.item().id));
  private readonly groups = computed(() => (this.g() ? groupsOf(this.g()!) : null));
  protected readonly empty = computed(() => {
    if (!this.columns().length) return 'Reading …';
    if (!this.numeric().length) return 'There is no column of numbers to draw.';
    return this.kind() === 'groups' && !this.groupings().length ? 'No column tells groups apart.' : '';
  });
  protected readonly hint = computed(
    () =>
      ({
        spread: 'Drag over values to pick them',
        groups: 'Click a box to pick its group',
        against: 'Drag a box over points to pick them',
      })[this.kind()],
  );
  protected readonly words = computed(() => {
    const y = this.y();
    if (!y) return '';
    if (this.kind() === 'against' && this.x()) {
      const t = trendOf(numbersOf(this.x()!), numbersOf(y));
      if (t.count < 3) return `Only ${t.count} rows have both values.`;
      const thin = t.count > MOST_DOTS ? ` ${formatNumber(MOST_DOTS)} of them are drawn.` : '';
      return Number.isFinite(t.r)
        ? `r = ${t.r.toFixed(2)} over ${formatNumber(t.count)} rows, slope ${Number(t.slope.toPrecision(3))} ${this.slopeUnit(y)}.${thin}`
        : `One of the two is the same in all ${formatNumber(t.count)} rows.`;
    }
    if (this.kind() === 'groups') {
      const g = this.groups();
      return g && g.all > MOST_GROUPS
        ? `${MOST_GROUPS} of ${g.all} groups, the most frequent ones. Box: middle half; line: median; whiskers: 1.5 boxes.`
        : 'Box: middle half; line: median; whiskers: within 1.5 boxes; dots beyond.';
    }
    return 'Drag over the bars to pick rows; they are picked in map and table too.';
  });

  /** Apart from the item, which is another object whenever anything about the dataset is said anew. */
  private readonly id = computed(() => this.item().id);

  constructor() {
    effect(() => {
      this.id();
      this.value.set('');
      this.group.set('');
      this.other.set('');
    });
    // One column against another, as somebody asked for it elsewhere.
    const wanted = inject(ChartAsked).asked;
    effect(() => {
      const w = wanted();
      if (w?.dataset !== this.id()) return;
      this.kind.set('against');
      this.value.set(w.y);
      this.other.set(w.x);
    });
    effect(() => {
      this.bench.dark();
      this.draw();
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  private slopeUnit(y: Column): string {
    const [a, b] = [displayUnit(y.unit), displayUnit(this.x()?.unit ?? null)];
    return a || b ? `${a || '1'} per ${b || 'unit'}` : '';
  }

  private draw(): void {
    const y = this.y();
    const config =
      this.empty() || !y
        ? null
        : this.kind() === 'spread'
          ? spreadChart(y, this.picked())
          : this.kind() === 'groups'
            ? boxChart(y, this.g()!, this.groups()!, this.picked())
            : scatterChart(this.x()!, y, this.picked());
    this.chart?.destroy();
    this.chart = config ? new Chart(this.canvas().nativeElement, config) : null;
  }

  protected readonly drawn = (): Chart | null => this.chart;

  protected choose(b: Brushed): void {
    const y = this.y();
    if (!this.chart || !y) return;
    const id = this.item().id;
    const n = y.values.length;
    if (this.kind() === 'groups') {
      const { names, of } = this.groups()!;
      const [k] = barsBetween(this.chart, b, names.length);
      this.picks.pick(
        id,
        Uint8Array.from(of, (v) => (v === k ? 1 : 0)),
      );
      return;
    }
    const v = numbersOf(y);
    if (this.kind() === 'spread') {
      const { low, high } = rangeOf(v);
      // Whole bars, so that what is picked is what is seen.
      const [a, b1] = barsBetween(this.chart, b, BINS);
      const scale = high > low ? BINS / (high - low) : 0;
      this.picks.pick(
        id,
        Uint8Array.from(v, (q) => {
          const k = Math.min(BINS - 1, Math.floor((q - low) * scale));
          return q === q && k >= a && k <= b1 ? 1 : 0;
        }),
      );
      return;
    }
    const u = numbersOf(this.x()!);
    const within = valuesBetween(this.chart, b, 4);
    const rows = new Uint8Array(n);
    for (let i = 0; i < n; i++) if (within(u[i]!, v[i]!)) rows[i] = 1;
    this.picks.pick(id, rows);
  }
}
