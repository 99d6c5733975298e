import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  output,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { Chart, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
import { formatNumber } from '@helk/core';
import { axis, themeColour } from '../evidence/chart-look';
import { BenchStore } from '../state/bench.store';
import { Glances } from '../state/glances';
import { ProjectStore } from '../state/project.store';

Chart.register(LineController, LineElement, PointElement, LinearScale, Tooltip);

interface Counts {
  sample: number;
  counts: { k: number; within: number; index: number }[];
  advised: { k: number; fewer: number } | null;
}

/** How well so many clusters part a picture, by an index over a range; a click takes the number. */
@Component({
  selector: 'helk-cluster-counts',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block col-span-2', 'data-testid': 'cluster-counts' },
  template: `
    @if (!counts()) {
      <button class="link text-[12px] !font-[450]" (click)="look()" [disabled]="looking()">
        {{ looking() ? 'Trying 2 to 20 on a sample …' : 'Which number parts it well?' }}
      </button>
    } @else {
      <p class="text-[12px] text-ink-2">
        @if (counts()!.advised; as a) {
          <button class="link num" (click)="taken.emit(a.k)">{{ a.k }}</button>: the index of Caliński and Harabasz is
          highest there
          @if (a.fewer < a.k) {
            ; nearly so from <button class="link num" (click)="taken.emit(a.fewer)">{{ a.fewer }}</button> on
          }
          ({{ sample() }} cells)
        } @else {
          The cells are all of one kind.
        }
      </p>
      <div class="h-[112px] relative" [class.hidden]="!counts()!.advised">
        <canvas #c role="img" aria-label="Index by number of clusters"></canvas>
      </div>
    }
  `,
})
export class ClusterCounts {
  readonly scene = input.required<string>();
  readonly standardise = input(false);
  readonly k = input.required<number>();
  readonly taken = output<number>();
  private readonly canvas = viewChild<ElementRef<HTMLCanvasElement>>('c');
  private readonly glances = inject(Glances);
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  protected readonly looking = signal(false);
  protected readonly counts = signal<Counts | null>(null);
  protected readonly sample = computed(() => formatNumber(this.counts()?.sample ?? 0));
  private chart: Chart | null = null;

  constructor() {
    // Another picture, or other weights of its bands: what was found is of something else.
    let of = '';
    effect(() => {
      const now = `${this.scene()} ${this.standardise()}`;
      if (of !== now) untracked(() => this.counts.set(null));
      of = now;
    });
    effect(() => {
      this.bench.dark();
      const [canvas, counts, k] = [this.canvas(), this.counts(), this.k()];
      this.chart?.destroy();
      this.chart = canvas && counts?.advised ? this.draw(canvas.nativeElement, counts, k) : null;
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  protected async look(): Promise<void> {
    this.looking.set(true);
    const found = await this.store.guarded(() =>
      this.glances.ask<Counts>('imagery.clusterCounts', { scene: this.scene() }, { standardise: this.standardise() }),
    );
    this.looking.set(false);
    if (found) this.counts.set(found);
  }

  private draw(canvas: HTMLCanvasElement, { counts, advised }: Counts, k: number): Chart {
    const colour = (c: { k: number }): string =>
      themeColour(c.k === k ? '--pick' : c.k === advised!.k ? '--act' : '--ink-3');
    return new Chart(canvas, {
      type: 'line',
      data: {
        datasets: [
          {
            data: counts.map((c) => ({ x: c.k, y: c.index })),
            borderColor: themeColour('--line'),
            borderWidth: 1.5,
            pointRadius: counts.map((c) => (c.k === k || c.k === advised!.k ? 5 : 3)),
            pointBackgroundColor: counts.map(colour),
            pointBorderColor: themeColour('--leaf'),
            pointHitRadius: 8,
          },
        ] as never,
      },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        onClick: (_, hit) => hit[0] && this.taken.emit(counts[hit[0].index]!.k),
        scales: {
          x: axis('x', '', String, { ticks: { stepSize: 2, color: themeColour('--ink-2') } }),
          y: axis('y', 'index', (v) => formatNumber(v)),
        },
        plugins: {
          legend: { display: false },
          tooltip: {
            displayColors: false,
            callbacks: {
              title: ([t]) => `${t!.parsed.x} clusters`,
              label: (t) => `index ${formatNumber(t.parsed.y!)}`,
            },
          },
        },
      },
    });
  }
}
