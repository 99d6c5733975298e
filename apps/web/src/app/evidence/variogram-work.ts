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
import {
  codeChecks,
  displayUnit,
  featuresExtent,
  featuresIn,
  formatLength,
  formatNumber,
  squaredUnit,
} from '@helk/core';
import { practicalRange, type Fit } from '@helk/core/numeric/variogram';
import { BenchStore } from '../state/bench.store';
import { Cursor } from '../state/cursor';
import { FeatureData } from '../state/feature-data';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { VariogramBench } from '../state/variogram';
import { modelWords, variogramConfig } from './variogram-config';
import { VariogramMapView } from './variogram-map-view';

Chart.register(ScatterController, LineController, LineElement, PointElement, LinearScale, Tooltip);

type Part = 'nugget' | 'sill' | 'range';
interface Handle {
  part: Part;
  left: number;
  top: number;
  label: string;
  value: number;
}

const MODELS = [
  { id: 'auto', label: 'that errs least' },
  { id: 'spherical', label: 'spherical' },
  { id: 'exponential', label: 'exponential' },
  { id: 'gaussian', label: 'Gaussian' },
  { id: 'linear', label: 'linear' },
];
const short = (v: number): string => String(Number(v.toPrecision(4)));

/** How alike near places are: lags with their pairs, a model that is fitted, typed or dragged, its reach on the map. */
@Component({
  selector: 'helk-variogram-work',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [VariogramMapView],
  host: { class: 'flex min-h-0 flex-1 min-w-0', 'data-testid': 'variogram-work' },
  template: `
    <div
      class="w-[216px] flex-none overflow-auto p-2 pr-1 grid grid-cols-[78px_1fr] gap-x-1.5 gap-y-1 content-start text-[12px]"
    >
      <label class="contents"
        ><span class="text-ink-2 self-center">Values</span>
        <select class="ctl" (change)="bench.set({ value: $any($event.target).value })" data-testid="variogram-value">
          @for (c of bench.columns(); track c.name) {
            <option [value]="c.name" [selected]="c.name === bench.value()">{{ c.name }}</option>
          }
        </select></label
      >
      @for (f of fields(); track f.name) {
        <label class="contents"
          ><span class="text-ink-2 self-center" [title]="f.title">{{ f.label }}</span>
          <input
            class="ctl num"
            [value]="f.text"
            [placeholder]="f.auto"
            [title]="f.title"
            (change)="write(f.name, $any($event.target).value)"
            [attr.data-testid]="'variogram-' + f.name"
        /></label>
      }
      <label class="contents"
        ><span class="text-ink-2 self-center">Model</span>
        <select class="ctl" (change)="bench.set({ model: $any($event.target).value })" data-testid="variogram-model">
          @for (m of models; track m.id) {
            <option [value]="m.id" [selected]="m.id === bench.wish().model">{{ m.label }}</option>
          }
        </select></label
      >
    </div>
    <div class="flex-1 min-w-0 flex flex-col">
      <div class="flex items-center gap-1 px-2 h-[32px] flex-none text-[12px] whitespace-nowrap">
        <p
          class="flex-1 min-w-0 truncate"
          [class]="bench.wrong() || bench.failed() ? 'text-no' : 'text-look'"
          [title]="said()"
          data-testid="variogram-said"
        >
          {{ said() }}
        </p>
        <button
          class="bar !h-[26px]"
          [class.on]="bench.wish().map"
          [attr.aria-pressed]="bench.wish().map"
          (click)="bench.set({ map: !bench.wish().map })"
          title="Semivariance by direction and distance"
        >
          by direction
        </button>
        @if (held()) {
          <button class="bar !h-[26px]" (click)="bench.release()" data-testid="variogram-release">fit again</button>
        }
        <button class="bar !h-[26px]" [disabled]="!bench.fit()" (click)="keep()" data-testid="variogram-keep">
          keep
        </button>
        <button
          class="btn btn-act !min-h-[26px]"
          [disabled]="!bench.fit()"
          (click)="krige()"
          data-testid="variogram-krige"
        >
          Krige with this
        </button>
      </div>
      @if (code(); as c) {
        <div class="check check-look mx-2 mb-1 !py-1 !text-[12px]">
          {{ c.message }}
          <button class="link ml-1" (click)="mend()">{{ c.mend!.label }}</button>
        </div>
      }
      <p
        class="num !text-[11px] leading-[14px] px-2 line-clamp-2 flex-none"
        [title]="words()"
        data-testid="variogram-words"
      >
        {{ words() }}
      </p>
      <div class="flex-1 min-h-0 flex">
        <div class="relative flex-1 min-w-0 mx-2 mb-1" #box>
          <canvas #c role="img" aria-label="Semivariance by distance"></canvas>
          @for (h of handles(); track h.part) {
            <button
              class="absolute w-[18px] h-[18px] -ml-[9px] -mt-[9px] rounded-full border-2 border-look bg-leaf touch-none"
              [class]="h.part === 'range' ? '!cursor-ew-resize' : '!cursor-ns-resize'"
              [style.left.px]="h.left"
              [style.top.px]="h.top"
              [title]="h.label"
              role="slider"
              [attr.aria-label]="h.part"
              [attr.aria-valuenow]="h.value"
              [attr.aria-valuetext]="h.label"
              [attr.data-testid]="'handle-' + h.part"
              (pointerdown)="grab($event)"
              (pointermove)="drag($event, h.part)"
              (pointerup)="dragging.set(false)"
              (keydown)="nudge($event, h)"
            ></button>
          }
        </div>
        @if (bench.wish().map && bench.map(); as m) {
          <helk-variogram-map
            class="flex-none h-full"
            [map]="m"
            [unit]="square()"
            [azimuth]="bench.wish().azimuth"
            [angle]="bench.wish().angle"
            [ratio]="bench.wish().ratio"
            [range]="reach()"
            (turned)="bench.set({ azimuth: $event })"
            (shaped)="bench.set($event)"
          />
        }
      </div>
    </div>
  `,
  styles: `
    .ctl {
      min-height: 24px;
      padding: 0 6px;
      min-width: 0;
      width: 100%;
    }
  `,
})
export class VariogramWork {
  readonly item = input.required<DatasetItem>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  protected readonly bench = inject(VariogramBench);
  private readonly workbench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly data = inject(FeatureData);
  private readonly cursor = inject(Cursor);
  private chart: Chart | null = null;
  protected readonly models = MODELS;
  protected readonly handles = signal<Handle[]>([]);
  protected readonly dragging = signal(false);
  private readonly column = computed(() => this.bench.columns().find((c) => c.name === this.bench.value()));
  /** A missing-value code among the values would make the sill. */
  protected readonly code = computed(() => {
    const c = this.column();
    return c ? codeChecks([c])[0] : undefined;
  });
  protected readonly square = computed(() => {
    const u = displayUnit(this.column()?.unit ?? null);
    return squaredUnit(u || null) ?? '';
  });
  protected readonly held = computed(() => {
    const w = this.bench.wish();
    return !!(w.nugget || w.sill || w.range);
  });
  protected readonly words = computed(() => {
    const f = this.bench.fit();
    if (!f) return '';
    return `${modelWords(f)}, R² ${f.r2.toFixed(3)}, RMSE ${formatNumber(f.rmse, f.sill)} ${this.square()}`.trim();
  });
  /** What must be known before the model is trusted. */
  protected readonly said = computed(() => {
    const bad = this.bench.wrong() ?? this.bench.failed();
    if (bad) return bad;
    const [f, lags] = [this.bench.fit(), this.bench.lags()];
    if (!lags.length) return '';
    if (!f) return `Only ${lags.length} lags hold any pairs; take a greater distance, or narrower lags.`;
    if (f.model !== 'linear' && !(f.sill - f.nugget > 0.05 * f.sill))
      return 'Hardly any correlation between near places: a surface will be little more than the mean.';
    if (f.model !== 'linear' && practicalRange(f) < 1.5 * lags[0]!.distance)
      return 'The range is short: beyond it a measurement says little about its surroundings.';
    const few = lags.filter((l) => l.pairs < 30).length;
    return few ? `${few} of ${lags.length} lags rest on fewer than 30 pairs.` : '';
  });
  protected readonly fields = computed(() => {
    const w = this.bench.wish();
    const s = this.bench.suggested();
    const f = this.bench.fit();
    const fitted = (v: number | undefined): string => (v === undefined ? '' : short(v));
    return [
      {
        name: 'lag',
        label: 'Lag',
        text: w.lag,
        auto: s.lag,
        title: 'Width of a lag; empty: a fifteenth of the distance',
      },
      {
        name: 'maxDistance',
        label: 'Up to',
        text: w.maxDistance,
        auto: s.maxDistance,
        title: 'Greatest distance; empty: a third of the diagonal',
      },
      {
        name: 'azimuth',
        label: 'Direction',
        text: w.azimuth,
        auto: 'all, or like 45°',
        title: `Azimuth clockwise from north, ${w.tolerance}° to either side; empty: all directions`,
      },
      {
        name: 'angle',
        label: 'Longest',
        text: w.angle,
        auto: 'no direction',
        title: 'Direction of the longest range, degrees clockwise from north; felt with a ratio below 1',
      },
      {
        name: 'ratio',
        label: 'Ratio',
        text: w.ratio,
        auto: '1',
        title: 'Shortest range over the longest; 1: alike in every direction',
      },
      { name: 'nugget', label: 'Nugget', text: w.nugget, auto: fitted(f?.nugget), title: 'Empty: fitted' },
      { name: 'sill', label: 'Sill', text: w.sill, auto: fitted(f?.sill), title: 'Total sill; empty: fitted' },
      { name: 'range', label: 'Range', text: w.range, auto: f ? `${short(f.range)} m` : '', title: 'Empty: fitted' },
    ];
  });

  /** How far places are alike along the longest range, metres; null where the model has no end. */
  protected readonly reach = computed(() => {
    const f = this.bench.fit();
    return f && f.model !== 'linear' ? practicalRange(f) : null;
  });

  protected write(name: string, text: string): void {
    this.bench.set({ [name]: text });
  }

  constructor() {
    effect(() => this.bench.item.set(this.item()));
    effect(() => {
      this.workbench.dark();
      const [lags, fit] = [this.bench.lags(), this.bench.fit()];
      this.chart?.destroy();
      this.chart = null;
      this.handles.set([]);
      if (!lags.length) return;
      const config = variogramConfig(lags, fit, this.square());
      config.options!.onResize = () => requestAnimationFrame(() => this.place());
      this.chart = new Chart(this.canvas().nativeElement, config);
      this.place();
    });
    // How far places are alike, on the map about the place that is read out, else about the middle of the points.
    effect(() => {
      const fit = this.bench.fit();
      const f = this.data.features(this.item().id);
      if (!fit || fit.model === 'linear' || !f) {
        this.cursor.ring.set(null);
        return;
      }
      const at = this.workbench.readout();
      const e = at ? null : featuresExtent(featuresIn(f, this.store.crs()));
      const [x, y] = at ? [at.x, at.y] : e ? [(e[0] + e[2]) / 2, (e[1] + e[3]) / 2] : [NaN, NaN];
      const a = this.bench.anisotropy();
      this.cursor.ring.set(x === x ? { x, y: y!, radius: practicalRange(fit), ...(a ?? {}) } : null);
    });
    inject(DestroyRef).onDestroy(() => {
      this.chart?.destroy();
      this.cursor.ring.set(null);
    });
  }

  /** Puts the handles where the model stands on the chart; they stay inside it. */
  private place(): void {
    const c = this.chart;
    const f = this.bench.fit();
    const far = this.bench.lags().at(-1)?.distance;
    if (!c || !f || !far) return;
    const [sx, sy] = [c.scales['x']!, c.scales['y']!];
    const { top, bottom, left, right } = c.chartArea;
    const x = (v: number): number => Math.max(left, Math.min(right, sx.getPixelForValue(v)));
    const y = (v: number): number => Math.max(top, Math.min(bottom, sy.getPixelForValue(v)));
    const u = this.square();
    const all: Handle[] = [
      { part: 'nugget', left: x(0), top: y(f.nugget), value: f.nugget, label: `nugget ${short(f.nugget)} ${u}`.trim() },
      { part: 'sill', left: x(far), top: y(f.sill), value: f.sill, label: `sill ${short(f.sill)} ${u}`.trim() },
      {
        part: 'range',
        left: x(f.range),
        top: y(
          f.nugget + (f.sill - f.nugget) * (f.model === 'spherical' || f.model === 'linear' ? 1 : 1 - Math.exp(-1)),
        ),
        value: f.range,
        label: `range ${formatLength(f.range)}`,
      },
    ];
    this.handles.set(all);
  }

  protected grab(e: PointerEvent): void {
    (e.currentTarget as HTMLElement).setPointerCapture(e.pointerId);
    this.dragging.set(true);
  }

  protected drag(e: PointerEvent, part: Part): void {
    const c = this.chart;
    if (!this.dragging() || !c) return;
    const r = this.canvas().nativeElement.getBoundingClientRect();
    this.hold(
      part,
      part === 'range'
        ? c.scales['x']!.getValueForPixel(e.clientX - r.left)!
        : c.scales['y']!.getValueForPixel(e.clientY - r.top)!,
    );
  }

  protected nudge(e: KeyboardEvent, h: Handle): void {
    const up = e.key === 'ArrowUp' || e.key === 'ArrowRight';
    if (!up && e.key !== 'ArrowDown' && e.key !== 'ArrowLeft') return;
    e.preventDefault();
    const f = this.bench.fit()!;
    const step = (h.part === 'range' ? f.range : f.sill) * (e.shiftKey ? 0.1 : 0.01);
    this.hold(h.part, h.value + (up ? step : -step));
  }

  /** A hand on one of the three holds the others where they are, so that the curve does just what the hand does. */
  private hold(part: Part, value: number): void {
    const f: Fit | null = this.bench.fit();
    if (!f) return;
    const far = this.bench.lags().at(-1)!.distance;
    const v =
      part === 'nugget'
        ? Math.min(f.sill, Math.max(0, value))
        : part === 'sill'
          ? Math.max(f.nugget, f.sill * 1e-6, value)
          : Math.min(4 * far, Math.max(far / 500, value));
    const now = { nugget: f.nugget, sill: f.sill, range: f.range, [part]: v };
    this.bench.set({
      model: f.model,
      nugget: short(now.nugget),
      sill: short(now.sill),
      range: `${short(now.range)} m`,
    });
  }

  private settings(): Record<string, unknown> {
    const w = this.bench.wish();
    const s = this.bench.suggested();
    const f = this.bench.fit()!;
    return {
      value: this.bench.value(),
      lag: w.lag || s.lag,
      maxDistance: w.maxDistance || s.maxDistance,
      model: f.model,
      nugget: Number(f.nugget.toPrecision(6)),
      sill: Number(f.sill.toPrecision(6)),
      range: `${Number(f.range.toPrecision(6))} m`,
      ...this.shape(),
    };
  }

  private shape(): Record<string, unknown> {
    const a = this.bench.anisotropy();
    return a ? { angle: `${a.angle}°`, ratio: a.ratio } : {};
  }

  protected krige(): void {
    const method = this.store.serving().get('estimate');
    if (method) this.workbench.openSheet(method.id, { points: [this.item().id] }, this.settings());
  }

  /** A copy without the code, worked on in place of this one. */
  protected async mend(): Promise<void> {
    const run = this.code()?.mend?.run;
    if (!run) return;
    const made = await this.store.guarded(() =>
      this.store.runToEnd(run.method, { [run.role]: [this.item().id] }, run.params ?? {}),
    );
    if (!made) return;
    this.workbench.show(made[0]!, this.workbench.activePane(), true);
  }

  /** As a table with its lineage. */
  protected async keep(): Promise<void> {
    const w = this.bench.wish();
    const way = w.azimuth ? { azimuth: w.azimuth, tolerance: w.tolerance } : {};
    const method = this.store.serving().get('write variogram');
    if (!method) return;
    const made = await this.store.guarded(() =>
      this.store.runToEnd(method.id, { points: [this.item().id] }, { ...this.settings(), ...way }),
    );
    if (made) this.store.notify('Kept as a table in the ledger, with the model.');
  }
}
