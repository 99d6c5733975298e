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
import { dataOf, displayUnit, type Table } from '@helk/core';
import type { Variogram } from '@helk/core/numeric/variogram';
import { BenchStore } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { modelWords, variogramConfig } from './variogram-config';

Chart.register(ScatterController, LineController, LineElement, PointElement, LinearScale, Tooltip);

/** A variogram: lags sized by their pairs, the fitted model through them, its range marked. */
@Component({
  selector: 'helk-variogram-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block relative flex-1 min-w-0', 'data-testid': 'variogram-chart' },
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
  private readonly table = computed((): Table | null => dataOf('table', this.data.now(this.item().id)));
  private readonly model = computed((): Variogram | null => {
    const run = this.store.madeBy(this.item());
    return run && typeof run.figures['model'] === 'string' ? (run.figures as unknown as Variogram) : null;
  });
  protected readonly words = computed(() => {
    const m = this.model();
    return m ? modelWords(m) : '';
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
    const [distance, gamma, pairs] = [1, 2, 3].map((k) => t.columns[k]!.values as Float64Array) as [
      Float64Array,
      Float64Array,
      Float64Array,
    ];
    const lags = Array.from(distance, (d, i) => ({ distance: d, semivariance: gamma[i]!, pairs: pairs[i]! }));
    this.chart = new Chart(this.canvas().nativeElement, variogramConfig(lags, m, displayUnit(t.columns[2]!.unit)));
  }
}
