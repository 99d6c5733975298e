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
import { Chart, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
import { dataOf, formatDuration, formatNumber, rampColours, type Column } from '@helk/core';
import { clockWords, momentOf } from '@helk/core/data/moment';
import { BenchStore } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import type { DatasetItem } from '../state/project.store';
import { axis, themeColour } from './chart-look';

Chart.register(LineController, LineElement, PointElement, LinearScale, Tooltip);

/** Streets that are reached by the time at which one leaves: one departure is an accident. */
@Component({
  selector: 'helk-through-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-col flex-1 min-w-0 min-h-0', 'data-testid': 'through' },
  template: `
    <div class="flex items-center gap-3 px-3.5 py-1 text-[12.5px] flex-none">
      @if (facilities().length) {
        <label class="flex items-center gap-1.5"
          >from
          <select (change)="chosen.set($any($event.target).value)" aria-label="Facility">
            <option value="" [selected]="!chosen()">all, their mean</option>
            @for (f of facilities(); track f) {
              <option [value]="f" [selected]="f === chosen()">{{ f }}</option>
            }
          </select></label
        >
      }
      @for (l of series(); track l.limit) {
        <span class="flex items-center gap-1.5 whitespace-nowrap flex-none"
          ><span class="w-4 h-[3px] rounded" [style.background]="l.colour"></span>within {{ l.words }}</span
        >
      }
      <span class="text-ink-2 truncate" data-testid="through-told">{{ told() }}</span>
    </div>
    <div class="relative flex-1 min-h-0"><canvas #c role="img" [attr.aria-label]="told()"></canvas></div>
  `,
})
export class ThroughPanel {
  readonly item = input.required<DatasetItem>();
  private readonly data = inject(FeatureData);
  private readonly bench = inject(BenchStore);
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  protected readonly chosen = signal('');
  private chart: Chart | null = null;

  private readonly columns = computed(() => {
    const t = dataOf('table', this.data.now(this.item().id));
    const by = (name: string): Column | undefined => t?.columns.find((c) => c.name === name);
    return {
      facility: by('facility'),
      leaving: by('leaving'),
      after: by('after'),
      limit: by('limit'),
      length: by('length'),
    };
  });
  protected readonly facilities = computed(() => {
    const f = this.columns().facility;
    return f ? [...new Set(Array.from(f.values as ArrayLike<string | number>, String))] : [];
  });
  private readonly start = computed(() => {
    const first = this.columns().leaving?.values[0];
    return typeof first === 'string' ? momentOf(first).seconds : 0;
  });
  /** Kilometres by minutes, a line a limit. */
  protected readonly series = computed(() => {
    const { facility, after, limit, length } = this.columns();
    if (!after || !limit || !length) return [];
    const chosen = this.chosen();
    const sums = new Map<number, Map<number, { sum: number; n: number }>>();
    for (let i = 0; i < after.values.length; i++) {
      if (chosen && String(facility?.values[i]) !== chosen) continue;
      const line = sums.get(limit.values[i] as number) ?? new Map<number, { sum: number; n: number }>();
      const at = line.get(after.values[i] as number) ?? { sum: 0, n: 0 };
      at.sum += length.values[i] as number;
      at.n++;
      line.set(after.values[i] as number, at);
      sums.set(limit.values[i] as number, line);
    }
    const limits = [...sums.keys()].sort((a, b) => a - b);
    const colours = rampColours('tide', true, limits.length + 1);
    return limits.map((l, k) => ({
      limit: l,
      words: formatDuration(l),
      colour: colours[k]!,
      points: [...sums.get(l)!].sort((a, b) => a[0] - b[0]).map(([x, v]) => ({ x, y: v.sum / v.n / 1000 })),
    }));
  });
  protected readonly told = computed(() => {
    const last = this.series().at(-1);
    if (!last) return '';
    const y = last.points.map((p) => p.y);
    const [low, high] = [Math.min(...y), Math.max(...y)];
    const best = last.points.find((p) => p.y === high)!;
    return `Within ${last.words}: ${formatNumber(low, 10)} to ${formatNumber(high, 10)} km of streets, most leaving at ${clockWords(this.start() + best.x * 60)}`;
  });

  constructor() {
    effect(() => {
      this.bench.dark();
      const [series, start] = [this.series(), this.start()];
      this.chart?.destroy();
      this.chart = series.length ? this.draw(this.canvas().nativeElement, series, start) : null;
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  private draw(canvas: HTMLCanvasElement, series: ReturnType<ThroughPanel['series']>, start: number): Chart {
    const clock = (x: number): string => clockWords((start + Math.round(x) * 60) % 86_400);
    return new Chart(canvas, {
      type: 'line',
      data: {
        datasets: series.map((l) => ({
          label: `within ${l.words}`,
          data: l.points,
          borderColor: l.colour,
          backgroundColor: l.colour,
          borderWidth: 2,
          pointRadius: 0,
          pointHitRadius: 8,
        })),
      },
      options: {
        animation: false,
        maintainAspectRatio: false,
        scales: {
          x: axis('x', 'leaving at', clock),
          y: axis('y', 'streets reached, km', (v) => formatNumber(v, 10), { beginAtZero: true }),
        },
        plugins: {
          legend: { display: false },
          tooltip: {
            backgroundColor: themeColour('--ink'),
            callbacks: {
              title: (t) => clock(t[0]!.parsed.x ?? 0),
              label: (t) => `${t.dataset.label!}: ${formatNumber(t.parsed.y ?? 0, 10)} km`,
            },
          },
        },
      },
    });
  }
}
