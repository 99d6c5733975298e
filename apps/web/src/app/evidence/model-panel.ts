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
} from '@angular/core';
import { Chart, LinearScale, LineController, LineElement, PointElement, ScatterController, Tooltip } from 'chart.js';
import { apart, dataOf, type Column, type Features } from '@helk/core';
import { evaluateOver } from '@helk/core/formula/over-features';
import { leastSquares } from '@helk/core/numeric/least-squares';
import { numberColumn } from '@helk/core/data/table';
import { BenchStore } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { ChartBrush, valuesBetween, type Brushed } from './chart-brush';
import { scatterChart } from './column-chart-configs';
import { numbersOf } from './column-values';
import { madeColumn } from './quarters';

Chart.register(LinearScale, LineController, LineElement, PointElement, ScatterController, Tooltip);

const FITTED = '\u0000fitted';

/** Residuals against what was fitted, and each predictor with the others taken out of both; what is dragged over is picked on the map. */
@Component({
  selector: 'helk-model-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChartBrush],
  host: { class: 'flex flex-1 min-w-0 min-h-0', 'data-testid': 'model-panel' },
  template: `
    <div class="w-[196px] flex-none p-2 pr-0 text-[12.5px] overflow-auto" role="group" aria-label="What is drawn">
      @for (v of views(); track v.id) {
        <button
          class="block w-full text-left px-2 min-h-[28px] rounded-[4px] truncate"
          [class]="view() === v.id ? 'bg-act-soft font-[600]' : 'hover:bg-act-soft'"
          (click)="chosen.set(v.id)"
          [attr.aria-pressed]="view() === v.id"
          [title]="v.title"
        >
          {{ v.label }}
        </button>
      }
      <p class="px-2 pt-2 text-[11.5px] text-ink-2">{{ words() }}</p>
    </div>
    <div class="relative flex-1 min-w-0 px-2 py-1">
      <div class="relative h-full">
        <canvas #c role="img" [attr.aria-label]="words()"></canvas>
        <helk-chart-brush
          [chart]="drawn"
          mode="box"
          title="Drag a box over dots to pick them"
          data-testid="model-brush"
          (brushed)="choose($event)"
        />
      </div>
    </div>
  `,
})
export class ModelPanel {
  readonly item = input.required<DatasetItem>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly data = inject(FeatureData);
  private readonly picks = inject(Picks);
  private readonly bench = inject(BenchStore);
  private readonly project = inject(ProjectStore);
  private chart: Chart | null = null;
  protected readonly chosen = signal(FITTED);

  private readonly run = computed(() => this.project.madeBy(this.item()));
  private readonly predictors = computed(() =>
    apart(String(this.run()?.params['predictors'] ?? ''))
      .map((s) => s.trim())
      .filter(Boolean),
  );
  protected readonly views = computed(() => [
    { id: FITTED, label: 'fitted and residual', title: 'Residuals against fitted values' },
    ...this.predictors().map((p) => ({ id: p, label: p, title: `What ${p} adds to the others` })),
  ]);
  protected readonly view = computed(() => (this.views().some((v) => v.id === this.chosen()) ? this.chosen() : FITTED));
  protected readonly words = computed(() =>
    this.view() === FITTED
      ? 'Residuals against fitted: a funnel means that their spread grows, a bend that something else than a line is at work.'
      : `What is left of ${String(this.run()?.params['dependent'])} against what is left of ${this.view()}, the other predictors taken out of both by least squares.`,
  );

  /** The two columns that are drawn. */
  private readonly pair = computed((): [Column, Column] | null => {
    const f = dataOf('features', this.data.now(this.item().id));
    const run = this.run();
    if (!f || !run) return null;
    if (this.view() !== FITTED) return added(f, String(run.params['dependent']), this.predictors(), this.view());
    const [x, y] = [madeColumn(f, 'fitted'), madeColumn(f, 'residual')];
    return x && y ? [x, y] : null;
  });

  constructor() {
    effect(() => {
      this.bench.dark();
      const [pair, picked] = [this.pair(), this.picks.of(this.item().id)];
      this.chart?.destroy();
      this.chart = pair ? new Chart(this.canvas().nativeElement, scatterChart(pair[0], pair[1], picked)) : null;
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  protected readonly drawn = (): Chart | null => this.chart;

  protected choose(b: Brushed): void {
    const pair = this.pair();
    if (!this.chart || !pair) return;
    const within = valuesBetween(this.chart, b, 5);
    const [u, v] = [numbersOf(pair[0]), numbersOf(pair[1])];
    this.picks.pick(
      this.item().id,
      Uint8Array.from(u, (x, i) => (within(x, v[i]!) ? 1 : 0)),
    );
  }
}

/** What is left of one predictor and of what is explained, when all other predictors have been taken out. */
function added(f: Features, dependent: string, predictors: readonly string[], one: string): [Column, Column] | null {
  const valuesOf = (text: string): Float64Array | null => {
    const c = f.columns.find((o) => o.name === text);
    const v = c ? numbersOf(c) : evaluateOver(f, text);
    return v instanceof Float64Array ? v : null;
  };
  const all = [dependent, ...predictors].map(valuesOf);
  if (all.some((v) => v === null)) return null;
  const rows: number[] = [];
  for (let i = 0; i < all[0]!.length; i++) if (all.every((v) => Number.isFinite(v![i]))) rows.push(i);
  const take = (v: Float64Array): Float64Array => Float64Array.from(rows, (i) => v[i]!);
  const at = predictors.indexOf(one);
  const others = [
    new Float64Array(rows.length).fill(1),
    ...all
      .slice(1)
      .filter((_, k) => k !== at)
      .map((v) => take(v!)),
  ];
  const left = (v: Float64Array): Float64Array | null => {
    const fit = leastSquares(others, take(v));
    if ('dependent' in fit) return null;
    const out = new Float64Array(v.length).fill(NaN);
    rows.forEach((i, k) => (out[i] = fit.residuals[k]!));
    return out;
  };
  const [x, y] = [left(all[at + 1]!), left(all[0]!)];
  return x && y
    ? [numberColumn(`${one}, what others leave`, x), numberColumn(`${dependent}, what others leave`, y)]
    : null;
}
