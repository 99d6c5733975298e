import {
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  signal,
  viewChild,
} from '@angular/core';
import { Chart, Filler, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
import { displayUnit, formatLength, formatNumber, transformer, wgs84, type Table } from '@helk/core';
import { Api } from '../api/api';
import { BenchStore } from '../state/bench.store';
import { Cursor } from '../state/cursor';
import { ProjectStore, type DatasetItem } from '../state/project.store';

Chart.register(LineController, LineElement, PointElement, LinearScale, Tooltip, Filler);

const COLOURS = ['--act', '--look', '--fine', '--no'];

/** A profile table as lines over distance; moving along it moves the mark on the map, and the map's cursor marks the chart. */
@Component({
  selector: 'helk-profile-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block relative' },
  template: `<div class="absolute inset-0 px-2 pt-2 pb-1">
    <canvas
      #c
      role="img"
      aria-label="Profile along the line"
      (mouseleave)="cursor.at.set(null)"
      data-testid="profile-chart"
    ></canvas>
  </div>`,
})
export class ProfileChart {
  readonly item = input.required<DatasetItem>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly api = inject(Api);
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  protected readonly cursor = inject(Cursor);
  private readonly table = signal<Table | null>(null);
  private chart: Chart | null = null;
  /** Point of the profile that stands out, by index. */
  private marked = -1;

  constructor() {
    effect(() => {
      const id = this.item().id;
      const project = this.store.project()?.id;
      this.table.set(null);
      if (project)
        void this.api.features(project, id).then(
          (t) => t.kind === 'table' && this.item().id === id && this.table.set(t),
          () => undefined,
        );
    });
    effect(() => {
      this.bench.dark();
      const t = this.table();
      if (t) this.draw(t);
    });
    // The nearest point of the profile to the cursor on the map.
    effect(() => {
      const c = this.cursor.at();
      const t = this.table();
      if (!t || !this.chart) return;
      let best = -1;
      if (c) {
        const [xs, ys] = this.places(t);
        let nearest = Infinity;
        for (let i = 0; i < xs.length; i++) {
          const d = (xs[i]! - c.x) ** 2 + (ys[i]! - c.y) ** 2;
          if (d < nearest) {
            nearest = d;
            best = i;
          }
        }
      }
      if (best === this.marked) return;
      this.marked = best;
      this.chart.setActiveElements(
        best < 0 ? [] : this.chart.data.datasets.map((_, datasetIndex) => ({ datasetIndex, index: best })),
      );
      this.chart.update('none');
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  private held: { table: Table; places: [Float64Array, Float64Array] } | null = null;

  /** Where the points of the profile lie in the panes' system; a line in degrees was followed in degrees. */
  private places(t: Table): [Float64Array, Float64Array] {
    if (this.held?.table === t) return this.held.places;
    const xs = t.columns[1]!.values as Float64Array;
    const ys = t.columns[2]!.values as Float64Array;
    const places: [Float64Array, Float64Array] = [xs, ys];
    if (t.columns[1]!.unit === '°') {
      const go = transformer(wgs84(), this.store.crs());
      const out = [0, 0];
      places[0] = xs.map((x, i) => (go(x, ys[i]!, out), out[0]!));
      places[1] = ys.map((y, i) => (go(xs[i]!, y, out), out[1]!));
    }
    this.held = { table: t, places };
    return places;
  }

  private draw(t: Table): void {
    this.chart?.destroy();
    const css = getComputedStyle(document.documentElement);
    const colour = (name: string): string => css.getPropertyValue(name).trim();
    const distance = t.columns[0]!.values as Float64Array;
    const [xs, ys] = this.places(t);
    const lines = t.columns.slice(3);
    const unit = displayUnit(lines[0]?.unit);
    const font = { family: '"IBM Plex Mono"', size: 11 };
    this.chart = new Chart(this.canvas().nativeElement, {
      type: 'line',
      data: {
        datasets: lines.map((c, k) => ({
          label: c.name,
          data: Array.from(distance, (x, i) => ({ x, y: (c.values as Float64Array)[i]! })),
          borderColor: colour(COLOURS[k % COLOURS.length]!),
          backgroundColor: `${colour(COLOURS[k % COLOURS.length]!)}22`,
          fill: k === 0,
          borderWidth: 1.5,
          pointRadius: 0,
          pointHoverRadius: 5,
          pointHoverBackgroundColor: colour('--pick'),
        })),
      },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        normalized: true,
        parsing: false,
        interaction: { mode: 'index', intersect: false },
        onHover: (_, active) => {
          const i = active[0]?.index;
          if (i === undefined || i === this.marked) return;
          this.marked = i;
          // Pane 0 is no pane: every pane draws the ring.
          this.cursor.at.set({ x: xs[i]!, y: ys[i]!, pane: 0 });
        },
        plugins: {
          tooltip: {
            displayColors: lines.length > 1,
            callbacks: {
              title: (x) => formatLength(x[0]!.parsed.x ?? 0),
              label: (x) =>
                `${lines[x.datasetIndex]!.name} ${formatNumber(x.parsed.y, 100)} ${displayUnit(lines[x.datasetIndex]!.unit)}`,
            },
          },
        },
        scales: {
          x: {
            type: 'linear',
            min: 0,
            max: distance[distance.length - 1] ?? 1,
            ticks: { color: colour('--ink-2'), font, maxTicksLimit: 8, callback: (v) => formatLength(Number(v)) },
            grid: { display: false },
            border: { color: colour('--line') },
          },
          y: {
            title: {
              display: true,
              text: [lines[0]?.name, unit && `(${unit})`].filter(Boolean).join(' '),
              color: colour('--ink-2'),
            },
            ticks: { color: colour('--ink-2'), font, maxTicksLimit: 5, callback: (v) => formatNumber(Number(v)) },
            grid: { color: colour('--line-soft') },
            border: { display: false },
          },
        },
      },
    });
  }
}
