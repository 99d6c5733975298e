import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  viewChild,
} from '@angular/core';
import { Chart, LinearScale, LineController, LineElement, PointElement, ScatterController, Tooltip } from 'chart.js';
import { displayUnit, formatLength, formatNumber, type Table } from '@helk/core';
import { practicalRange, semivariance, type Variogram } from '@helk/core/numeric/variogram';
import { BenchStore } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { ProjectStore, type DatasetItem } from '../state/project.store';

Chart.register(ScatterController, LineController, LineElement, PointElement, LinearScale, Tooltip);

/** A variogram: lags sized by their pairs, the fitted model through them, its range marked. */
@Component({
  selector: 'helk-variogram-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block relative', 'data-testid': 'variogram-chart' },
  template: `
    <p
      class="absolute inset-x-0 top-0 h-[22px] px-3 text-[11.5px] num text-ink-2 truncate leading-[22px]"
      [title]="words()"
    >
      {{ words() }}
    </p>
    <div class="absolute inset-x-0 bottom-0 top-[22px] px-2 pb-1">
      <canvas #c role="img" aria-label="Semivariance by distance"></canvas>
    </div>
  `,
})
export class VariogramChart {
  readonly item = input.required<DatasetItem>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly data = inject(FeatureData);
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private chart: Chart | null = null;
  private readonly table = computed((): Table | null => {
    const t = this.data.now(this.item().id);
    return t?.kind === 'table' ? t : null;
  });
  private readonly model = computed((): Variogram | null => {
    const run = this.item().runId ? this.store.runEntityMap()[this.item().runId!] : undefined;
    return run && typeof run.figures['model'] === 'string' ? (run.figures as unknown as Variogram) : null;
  });
  protected readonly words = computed(() => {
    const m = this.model();
    if (!m) return '';
    const share = m.sill > 0 ? (100 * m.nugget) / m.sill : 0;
    const range = m.model === 'linear' ? '' : `, little correlation beyond ${formatLength(practicalRange(m))}`;
    return `${m.model}: nugget ${formatNumber(m.nugget, m.sill)} (${share.toFixed(0)} % of the sill), sill ${formatNumber(m.sill)}, range ${formatLength(m.range)}${range}`;
  });

  constructor() {
    effect(() => {
      this.bench.dark();
      const t = this.table();
      if (t) this.draw(t, this.model());
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  private draw(t: Table, m: Variogram | null): void {
    this.chart?.destroy();
    const css = getComputedStyle(document.documentElement);
    const colour = (name: string): string => css.getPropertyValue(name).trim();
    const [distance, gamma, pairs] = [1, 2, 3].map((k) => t.columns[k]!.values as Float64Array) as [
      Float64Array,
      Float64Array,
      Float64Array,
    ];
    const far = distance[distance.length - 1] ?? 1;
    const most = pairs.reduce((a, b) => Math.max(a, b), 1);
    const font = { family: '"IBM Plex Mono"', size: 11 };
    const unit = displayUnit(t.columns[2]!.unit);
    const mark = m && m.model !== 'linear' ? practicalRange(m) : NaN;
    this.chart = new Chart(this.canvas().nativeElement, {
      type: 'scatter',
      data: {
        datasets: [
          {
            data: Array.from(distance, (x, i) => ({ x, y: gamma[i]! })),
            backgroundColor: colour('--act'),
            borderColor: colour('--leaf'),
            pointRadius: Array.from(pairs, (p) => 3 + 5 * Math.sqrt(p / most)),
          },
          ...(m
            ? [
                {
                  type: 'line' as const,
                  data: Array.from({ length: 121 }, (_, k) => ({
                    x: (k * far) / 120 + 1e-9,
                    y: semivariance(m, (k * far) / 120 + 1e-9),
                  })),
                  borderColor: colour('--look'),
                  borderWidth: 1.75,
                  pointRadius: 0,
                  pointHitRadius: 0,
                },
                ...(mark < far
                  ? [
                      {
                        type: 'line' as const,
                        data: [
                          { x: mark, y: 0 },
                          { x: mark, y: m.sill },
                        ],
                        borderColor: colour('--pick'),
                        borderDash: [4, 4],
                        borderWidth: 1.25,
                        pointRadius: 0,
                        pointHitRadius: 0,
                      },
                    ]
                  : []),
              ]
            : []),
        ],
      },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        plugins: {
          tooltip: {
            filter: (x) => x.datasetIndex === 0,
            displayColors: false,
            callbacks: {
              label: (x) =>
                `${formatLength(x.parsed.x ?? 0)}: ${formatNumber(x.parsed.y)} ${unit}, ${formatNumber(pairs[x.dataIndex]!)} pairs`,
            },
          },
        },
        scales: {
          x: {
            type: 'linear',
            min: 0,
            max: far * 1.03,
            title: { display: true, text: 'distance', color: colour('--ink-2') },
            ticks: { color: colour('--ink-2'), font, maxTicksLimit: 8, callback: (v) => formatLength(Number(v)) },
            grid: { display: false },
            border: { color: colour('--line') },
          },
          y: {
            min: 0,
            title: { display: true, text: ['semivariance', unit].filter(Boolean).join(', '), color: colour('--ink-2') },
            ticks: { color: colour('--ink-2'), font, maxTicksLimit: 5, callback: (v) => formatNumber(Number(v)) },
            grid: { color: colour('--line-soft') },
            border: { display: false },
          },
        },
      },
    });
  }
}
