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
import { BarController, BarElement, CategoryScale, Chart, LinearScale, Tooltip, type Plugin } from 'chart.js';
import { formatNumber } from '@helk/core';
import { BenchStore } from '../state/bench.store';
import { figure } from './quarters';
import { axis, NUMBER_FONT, themeColour } from './chart-look';

Chart.register(BarController, BarElement, CategoryScale, LinearScale, Tooltip);

const BINS = 32;

/** What shuffling made of a measure, and where the observed value lies among it. */
@Component({
  selector: 'helk-chance-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-col min-w-0 min-h-0' },
  template: `
    <p class="text-[12px] text-ink-2 flex-none" data-testid="chance-words">{{ words() }}</p>
    <div class="relative flex-1 min-h-0"><canvas #c role="img" [attr.aria-label]="words()"></canvas></div>
  `,
})
export class ChanceChart {
  readonly observed = input.required<number>();
  readonly draws = input.required<Float64Array>();
  /** I, c: what the measure is called. */
  readonly measure = input('I');
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly bench = inject(BenchStore);
  private chart: Chart | null = null;

  private readonly moments = computed(() => {
    const d = this.draws();
    const mean = d.reduce((s, v) => s + v, 0) / d.length;
    const sd = Math.sqrt(d.reduce((s, v) => s + (v - mean) ** 2, 0) / d.length);
    return { mean, sd };
  });
  protected readonly words = computed(() => {
    const { mean, sd } = this.moments();
    const d = this.draws();
    const o = this.observed();
    const [above, below] = [d.filter((v) => v >= o).length, d.filter((v) => v <= o).length];
    const fewer = above <= below ? `${formatNumber(above)} come out as high` : `${formatNumber(below)} come out as low`;
    return `${formatNumber(d.length)} shuffles: ${figure(mean)} ± ${figure(sd)}; observed ${this.measure()} ${figure(o)}, ${fewer}`;
  });

  constructor() {
    effect(() => {
      this.bench.dark();
      this.draw();
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  private draw(): void {
    this.chart?.destroy();
    const [d, o] = [this.draws(), this.observed()];
    let [low, high] = [o, o];
    for (const v of d) {
      low = Math.min(low, v);
      high = Math.max(high, v);
    }
    const pad = (high - low || 1) * 0.04;
    low -= pad;
    high += pad;
    const counts = new Uint32Array(BINS);
    for (const v of d) counts[Math.min(BINS - 1, Math.floor(((v - low) / (high - low)) * BINS))]!++;
    const step = (high - low) / BINS;
    const mark: Plugin = {
      id: 'observed',
      afterDatasetsDraw: (c) => {
        const { left, right, top, bottom } = c.chartArea;
        const x = left + ((o - low) / (high - low)) * (right - left);
        c.ctx.save();
        c.ctx.strokeStyle = c.ctx.fillStyle = themeColour('--pick');
        c.ctx.lineWidth = 2;
        c.ctx.beginPath();
        c.ctx.moveTo(x, top + 14);
        c.ctx.lineTo(x, bottom);
        c.ctx.stroke();
        c.ctx.font = `${NUMBER_FONT.size}px ${NUMBER_FONT.family}`;
        c.ctx.textAlign = x > (left + right) / 2 ? 'right' : 'left';
        c.ctx.fillText('observed', x + (x > (left + right) / 2 ? 4 : -4), top + 9);
        c.ctx.restore();
      },
    };
    this.chart = new Chart(this.canvas().nativeElement, {
      type: 'bar',
      data: {
        labels: Array.from(counts, (_, k) => low + k * step),
        datasets: [
          {
            data: Array.from(counts),
            backgroundColor: `color-mix(in srgb, ${themeColour('--ink-3')} 55%, transparent)`,
            barPercentage: 1,
            categoryPercentage: 0.94,
          },
        ],
      },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        plugins: {
          legend: { display: false },
          tooltip: {
            displayColors: false,
            callbacks: {
              title: () => '',
              label: (t: { dataIndex: number }) =>
                `${formatNumber(low + t.dataIndex * step, 1)} to ${formatNumber(low + (t.dataIndex + 1) * step, 1)}: ${counts[t.dataIndex]!} shuffles`,
            },
          },
        },
        scales: {
          x: axis('x', '', String, {
            type: 'category',
            ticks: {
              color: themeColour('--ink-2'),
              font: NUMBER_FONT,
              maxRotation: 0,
              autoSkip: true,
              maxTicksLimit: 5,
              callback: (i: number) => formatNumber(low + i * step, 1),
            },
          }),
          y: axis('y', '', (n) => (Number.isInteger(n) ? formatNumber(n) : ''), { min: 0 }),
        },
      } as never,
      plugins: [mark],
    });
  }
}
