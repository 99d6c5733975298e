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
  untracked,
  viewChild,
} from '@angular/core';
import { BarController, BarElement, CategoryScale, Chart, LinearScale, Tooltip } from 'chart.js';
import {
  attributeTitle,
  classColour,
  className,
  displayUnit,
  formatNumber,
  withUnit,
  type CloudInfo,
  type CloudStyle,
} from '@helk/core';
import { HEIGHT, type Spread } from '@helk/core/glance/cloud-spread';
import { sentence } from '../api/api';
import { BenchStore } from '../state/bench.store';
import { Glances } from '../state/glances';
import { Looks } from '../state/looks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { axis, NUMBER_FONT, themeColour } from './chart-look';

Chart.register(BarController, BarElement, CategoryScale, LinearScale, Tooltip);

/** How heights or the values of an attribute are spread over a cloud, its classes one above the other in the colours of the key. */
@Component({
  selector: 'helk-cloud-values',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-col flex-1 min-h-0 min-w-0' },
  template: `
    <div class="flex items-center gap-3 px-3.5 py-1 text-[12.5px] flex-none flex-wrap">
      <label class="flex items-center gap-1.5"
        >of
        <select aria-label="What is counted" (change)="value.set($any($event.target).value)" data-testid="spread-of">
          @for (v of values(); track v.name) {
            <option [value]="v.name" [selected]="v.name === value()">{{ v.title }}</option>
          }
        </select></label
      >
      <span class="text-ink-2" data-testid="spread-told">{{ told() }}</span>
    </div>
    <div class="flex flex-1 min-h-0">
      <div class="relative flex-1 min-w-0">
        <canvas #c role="img" [attr.aria-label]="'Points by ' + title() + '. ' + told()"></canvas>
      </div>
      <table class="text-[12px] self-start mx-3 flex-none" data-testid="spread-classes">
        <tbody>
          @for (k of rows(); track k.value) {
            <tr class="h-[22px]" [class.opacity-50]="k.off">
              <td class="pr-1.5"><span class="block w-3 h-3 rounded-[2px]" [style.background]="k.colour"></span></td>
              <td class="pr-3">{{ k.name }}</td>
              <td class="num text-right pr-2">{{ k.count }}</td>
              <td class="num text-right text-ink-2">{{ k.share }} %</td>
            </tr>
          }
        </tbody>
      </table>
    </div>
  `,
})
export class CloudValues {
  readonly item = input.required<DatasetItem>();
  private readonly glances = inject(Glances);
  private readonly looks = inject(Looks);
  private readonly project = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  protected readonly value = signal(HEIGHT);
  private readonly spread = signal<Spread | null>(null);
  private chart: Chart | null = null;

  private readonly info = computed(() => this.item().info as CloudInfo);
  private readonly look = computed(() => this.looks.of<CloudStyle>(this.item()));
  protected readonly values = computed(() => [
    { name: HEIGHT, title: withUnit('height', this.info().heightUnit) },
    ...this.info()
      .attributes.filter((a) => a.name !== HEIGHT)
      .map((a) => ({ name: a.name, title: withUnit(attributeTitle(a.name), a.unit) })),
  ]);
  protected readonly title = computed(() => this.values().find((v) => v.name === this.value())?.title ?? HEIGHT);
  protected readonly rows = computed(() => {
    const all = this.info().classes;
    const n = Math.max(1, this.info().count);
    return all.map((k) => ({
      value: k.value,
      name: className(k.value),
      colour: classColour(this.look(), k.value),
      count: formatNumber(k.count),
      share: formatNumber((100 * k.count) / n, 10),
      off: this.look().hidden.includes(k.value),
    }));
  });
  protected readonly told = computed(() => {
    const s = this.spread();
    if (!s) return 'counting …';
    const unit = displayUnit(s.unit);
    const far = [
      ...(s.below ? [`${formatNumber(s.below)} below`] : []),
      ...(s.above ? [`${formatNumber(s.above)} above`] : []),
    ];
    const range = s.high - s.low;
    return `${formatNumber(s.low, range)} to ${formatNumber(s.high, range)}${unit ? ` ${unit}` : ''}${far.length ? `; ${far.join(', ')}, far off` : ''}`;
  });

  constructor() {
    effect(() => {
      const [id, value] = [this.item().id, this.value()];
      untracked(() => void this.count(id, value));
    });
    effect(() => {
      this.bench.dark();
      const [spread, look] = [this.spread(), this.look()];
      this.chart?.destroy();
      this.chart = spread ? this.draw(this.canvas().nativeElement, spread, look) : null;
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  private async count(cloud: string, value: string): Promise<void> {
    this.spread.set(null);
    try {
      const s = await this.glances.ask<Spread>('cloud.spread', { cloud }, { value });
      if (this.item().id === cloud && this.value() === value) this.spread.set(s);
    } catch (e) {
      this.project.notify(sentence(e), 'refused');
    }
  }

  private draw(canvas: HTMLCanvasElement, s: Spread, look: CloudStyle): Chart {
    const shown = s.classes.filter((k) => !look.hidden.includes(k.value));
    const bins = s.classes[0]?.bins.length ?? 0;
    const width = (s.high - s.low) / (bins || 1);
    const range = s.high - s.low;
    const at = (i: number): number => s.low + (i + 0.5) * width;
    const ticks = { color: themeColour('--ink-2'), font: NUMBER_FONT, maxRotation: 0, maxTicksLimit: 9 };
    return new Chart(canvas, {
      type: 'bar',
      data: {
        labels: Array.from({ length: bins }, (_, i) => at(i)),
        datasets: shown.map((k) => ({
          label: className(k.value),
          data: k.bins,
          backgroundColor: classColour(look, k.value),
          barPercentage: 1,
          categoryPercentage: 0.96,
        })),
      },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        interaction: { mode: 'index', intersect: false },
        scales: {
          x: {
            stacked: true,
            grid: { display: false },
            border: { color: themeColour('--line') },
            ticks: { ...ticks, callback: (v: string | number) => formatNumber(at(Number(v)), range) },
          } as never,
          y: { ...axis('y', 'points', (v) => formatNumber(v)), stacked: true } as never,
        },
        plugins: {
          legend: { display: false },
          tooltip: {
            filter: (t) => (t.parsed.y ?? 0) > 0,
            callbacks: {
              title: ([t]) =>
                t
                  ? `${formatNumber(s.low + t.dataIndex * width, range)} to ${formatNumber(s.low + (t.dataIndex + 1) * width, range)} ${displayUnit(s.unit)}`
                  : '',
              label: (t) => `${t.dataset.label}: ${formatNumber(t.parsed.y ?? 0)}`,
            },
          },
        },
      },
    });
  }
}
