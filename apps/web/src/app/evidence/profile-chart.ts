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
import {
  Chart,
  Filler,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
  type ChartConfiguration,
} from 'chart.js';
import {
  dataOf,
  displayUnit,
  findUnit,
  formatLength,
  formatNumber,
  transformer,
  type Table,
  unitFactor,
  wgs84,
} from '@helk/core';
import { steepestStretch } from '@helk/core/numeric/steepest';
import { BenchStore } from '../state/bench.store';
import { Cursor } from '../state/cursor';
import { FeatureData } from '../state/feature-data';
import { ProjectStore, type DatasetItem } from '../state/project.store';

Chart.register(LineController, LineElement, PointElement, LinearScale, Tooltip, Filler);

const COLOURS = ['--act', '--look', '--fine', '--no'];

/** Upper ends of slope classes in degrees, and how dark the ground is shaded (common practice, no source). */
const SLOPES = [
  { to: 5, text: '0', shade: 0.1 },
  { to: 10, text: '5', shade: 0.26 },
  { to: 20, text: '10', shade: 0.46 },
  { to: 30, text: '20', shade: 0.68 },
  { to: 90, text: '30°', shade: 0.92 },
];

/** A round length of about a fiftieth of the whole, at least 50 m. */
function stretchLength(total: number): number {
  const rough = Math.max(50, total / 50);
  const power = 10 ** Math.floor(Math.log10(rough));
  return [1, 2, 5, 10].map((m) => m * power).find((l) => l >= rough)!;
}

/** A profile table as lines over distance; moving along it moves the mark on the map, and the map's cursor marks the chart. */
@Component({
  selector: 'helk-profile-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block relative flex-1 min-w-0' },
  template: `<div class="absolute inset-x-0 top-0 h-[22px] px-3 flex items-center gap-3 text-[11.5px] text-ink-2">
      @if (words()) {
        <span class="num text-pick whitespace-nowrap truncate flex-1" data-testid="steepest" [title]="words()">{{
          words()
        }}</span>
        <span>slope</span>
        @for (s of slopes; track s.to) {
          <span class="num flex items-center gap-1 whitespace-nowrap text-[10.5px]"
            ><span class="w-3 h-2.5 rounded-[1px] bg-act" [style.opacity]="s.shade"></span>{{ s.text }}</span
          >
        }
      }
    </div>
    <div class="absolute inset-x-0 bottom-0 top-[22px] px-2 pb-1">
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
  private readonly data = inject(FeatureData);
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  protected readonly cursor = inject(Cursor);
  private readonly table = computed(() => dataOf('table', this.data.now(this.item().id)));
  /** The steepest stretch of the first grid, where its values are lengths. */
  protected readonly steepest = computed(() => {
    const t = this.table();
    const vertical = unitFactor(t?.columns[3]?.unit);
    if (!t || vertical === undefined || findUnit(t.columns[3]!.unit)?.dimension !== 'length') return null;
    const distance = t.columns[0]!.values as Float64Array;
    const length = stretchLength(distance[distance.length - 1] ?? 0);
    const s = steepestStretch(distance, t.columns[3]!.values as Float64Array, length, vertical);
    return s && { ...s, length, degrees: (Math.atan(s.gradient) * 180) / Math.PI };
  });
  protected readonly words = computed(() => {
    const s = this.steepest();
    const t = this.table();
    if (!s || !t) return '';
    const at = (i: number): string => formatLength((t.columns[0]!.values as Float64Array)[i]!);
    return `steepest ${formatLength(s.length)}: ${formatNumber(s.degrees, 10)}° (${formatNumber(100 * s.gradient, 10)} %), ${at(s.from)} to ${at(s.to)}`;
  });
  protected readonly slopes = SLOPES;
  private chart: Chart | null = null;
  /** Point of the profile that stands out, by index. */
  private marked = -1;

  constructor() {
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
    // The steepest stretch stands out on the map too.
    effect(() => {
      const s = this.steepest();
      const t = this.table();
      if (!s || !t) {
        this.cursor.stretch.set([]);
        return;
      }
      const [xs, ys] = this.places(t);
      this.cursor.stretch.set(Array.from({ length: s.to - s.from + 1 }, (_, k) => [xs[s.from + k]!, ys[s.from + k]!]));
    });
    inject(DestroyRef).onDestroy(() => {
      this.chart?.destroy();
      this.cursor.stretch.set([]);
    });
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
    const steep = this.steepest();
    const first = lines[0]?.values as Float64Array | undefined;
    const vertical = unitFactor(lines[0]?.unit) ?? 1;
    const act = colour('--act');
    /** Shade of the ground between two points by its slope. */
    const half = Math.max(1, Math.round(distance.length / 200));
    const shade = (a: number, b: number): string => {
      // Over some points, since single steps are noise.
      const [i, j] = [Math.max(0, a - half), Math.min(distance.length - 1, b + half)];
      const slope =
        (Math.atan((Math.abs(first![j]! - first![i]!) * vertical) / (distance[j]! - distance[i]!)) * 180) / Math.PI;
      const s = SLOPES.find((x) => slope < x.to) ?? SLOPES[SLOPES.length - 1]!;
      return (
        act +
        Math.round(s.shade * 255)
          .toString(16)
          .padStart(2, '0')
      );
    };
    const font = { family: '"IBM Plex Mono"', size: 11 };
    const config: ChartConfiguration = {
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
          ...(k === 0 && steep
            ? {
                segment: {
                  backgroundColor: (c: { p0DataIndex: number; p1DataIndex: number }) =>
                    shade(c.p0DataIndex, c.p1DataIndex),
                  borderColor: (c: { p0DataIndex: number }) =>
                    c.p0DataIndex >= steep.from && c.p0DataIndex < steep.to ? colour('--pick') : act,
                  borderWidth: (c: { p0DataIndex: number }) =>
                    c.p0DataIndex >= steep.from && c.p0DataIndex < steep.to ? 3.5 : 1.5,
                },
              }
            : {}),
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
    };
    this.chart = new Chart(this.canvas().nativeElement, config);
  }
}
