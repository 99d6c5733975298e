import {
  ChangeDetectionStrategy,
  Component,
  effect,
  ElementRef,
  inject,
  input,
  output,
  DestroyRef,
  viewChild,
} from '@angular/core';
import {
  BarController,
  BarElement,
  CategoryScale,
  Chart,
  LinearScale,
  LogarithmicScale,
  Tooltip,
  type ChartConfiguration,
} from 'chart.js';
import { displayUnit, formatNumber, type RasterInfo, type Scale } from '@helk/core';
import { colourTable } from '@helk/core/render/paint';
import { roundTo } from '../parts/round';
import { BenchStore } from '../state/bench.store';
import { barsBetween, ChartBrush, type Brushed } from './chart-brush';

Chart.register(BarController, BarElement, CategoryScale, LinearScale, LogarithmicScale, Tooltip);

/** How often values occur; bars wear the colours the map gives them. */
@Component({
  selector: 'helk-histogram',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChartBrush],
  host: { class: 'block relative' },
  template: `<div class="absolute inset-0 px-2 pt-2 pb-1">
    <div class="relative h-full">
      <canvas #c role="img" [attr.aria-label]="'Histogram of ' + band().name"></canvas>
      <helk-chart-brush
        [chart]="drawn"
        title="Drag over values to see where they lie"
        data-testid="histogram-brush"
        (brushed)="choose($event)"
      />
    </div>
  </div>`,
})
export class HistogramChart {
  readonly band = input.required<RasterInfo['bands'][number]>();
  readonly scale = input<Scale | null>(null);
  readonly log = input(false);
  readonly label = input('');
  /** Lowest and highest of the values that stand out. */
  readonly picked = input<[number, number] | null>(null);
  readonly chosen = output<[number, number]>();
  protected readonly drawn = (): Chart | null => this.chart;
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly bench = inject(BenchStore);
  private chart: Chart | null = null;

  constructor() {
    effect(() => {
      this.bench.dark();
      this.draw();
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  /** Whole bars, so that what stands out on the map is what is seen here. */
  protected choose(b: Brushed): void {
    const f = this.band().facts;
    if (!this.chart || !f?.histogram) return;
    const { counts, min, max } = f.histogram;
    const [i, k] = barsBetween(this.chart, b, counts.length);
    const step = (max - min) / counts.length;
    this.chosen.emit([min + i * step, min + (k + 1) * step]);
  }

  private draw(): void {
    this.chart?.destroy();
    this.chart = null;
    const band = this.band();
    const f = band.facts;
    if (!f?.histogram || f.summary.count === 0) return;
    const css = getComputedStyle(document.documentElement);
    const colour = (name: string): string => css.getPropertyValue(name).trim();
    const { counts, min, max } = f.histogram;
    const step = (max - min) / counts.length;
    const middle = (i: number): number => min + (i + 0.5) * step;
    const scale = this.scale();
    let fill: string | string[] = colour('--act');
    if (scale) {
      const { table, index } = colourTable(scale);
      fill = counts.map((_, i) => {
        const k = 3 * index(middle(i));
        return `rgb(${table[k]},${table[k + 1]},${table[k + 2]})`;
      });
    }
    const picked = this.picked();
    if (picked) {
      const pick = colour('--pick');
      const own = fill;
      // Whole bars are picked, so their middles decide.
      fill = counts.map((_, i) =>
        middle(i) > picked[0] && middle(i) < picked[1] ? pick : typeof own === 'string' ? own : own[i]!,
      );
    }
    const unit = displayUnit(band.unit);
    const range = max - min;
    const font = { family: '"IBM Plex Mono"', size: 11 };
    const ink = colour('--ink-2');
    const line = colour('--line-soft');
    const config: ChartConfiguration = {
      type: 'bar',
      data: {
        labels: counts.map((_, i) => middle(i)),
        datasets: [
          {
            data: counts.map((c) => (this.log() && c === 0 ? null : c)),
            backgroundColor: fill,
            barPercentage: 1,
            categoryPercentage: counts.length > 60 ? 1 : 0.92,
          },
        ],
      },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        plugins: {
          tooltip: {
            displayColors: false,
            callbacks: {
              title: (t) =>
                `${formatNumber(min + t[0]!.dataIndex * step, range)} to ${formatNumber(min + (t[0]!.dataIndex + 1) * step, range)} ${unit}`,
              label: (t) => `${formatNumber(counts[t.dataIndex])} cells`,
            },
          },
        },
        scales: {
          x: {
            title: {
              display: true,
              text: [this.label() || band.name, unit && `(${unit})`].filter(Boolean).join(' '),
              color: ink,
              font: { family: '"Instrument Sans Variable"', size: 12 },
              padding: 0,
            },
            ticks: {
              color: ink,
              font,
              maxRotation: 0,
              autoSkip: false,
              callback: (_, i) =>
                i %
                  Math.max(
                    1,
                    Math.round((counts.length * 78) / Math.max(160, this.canvas().nativeElement.clientWidth)),
                  ) ===
                0
                  ? formatNumber(roundTo(middle(i), range), range)
                  : null,
            },
            grid: { display: false },
            border: { color: colour('--line') },
          },
          y: {
            ...(this.log() ? { min: 0.7 } : {}),
            type: this.log() ? 'logarithmic' : 'linear',
            title: {
              display: true,
              text: 'cells',
              color: ink,
              font: { family: '"Instrument Sans Variable"', size: 12 },
            },
            ticks: {
              color: ink,
              font,
              maxTicksLimit: 5,
              callback: (v) => (this.log() && Math.log10(Number(v)) % 1 !== 0 ? null : formatNumber(Number(v))),
            },
            grid: { color: line },
            border: { display: false },
          },
        },
      },
    };
    this.chart = new Chart(this.canvas().nativeElement, config);
  }
}
