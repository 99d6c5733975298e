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
import { Chart, Filler, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
import {
  CATEGORY_COLOURS,
  columnsOf,
  dataOf,
  formatNumber,
  symbolsOf,
  valueOf,
  type Features,
  type VectorStyle,
} from '@helk/core';
import type { StackInfo } from '@helk/core/data/stack-facts';
import { stepAt, stepLabel, stepText } from '@helk/core/data/time-steps';
import { readDate } from '@helk/core/data/dates';
import { BenchStore } from '../state/bench.store';
import { Clicking } from '../state/clicking';
import { FeatureData } from '../state/feature-data';
import { Glances } from '../state/glances';
import { Looks } from '../state/looks';
import { Moments } from '../state/moments';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { SameRows } from '../state/same-rows';
import { stepsSeen } from '../state/stack-data';
import { onPaper } from '../draw/theme';
import { ChartBrush, type Brushed } from './chart-brush';
import { themeColour } from './chart-look';
import { seriesChart, type Line, type SeriesAnswer, type Told } from './series-config';

Chart.register(LineController, LineElement, PointElement, LinearScale, Filler, Tooltip);

/** Places that are drawn one by one; of more only how they went together would be seen. */
const MOST = 12;

/** How places went: those that are picked, over the mean of all; with the slope where it was tested, and in the colours of their groups. */
@Component({
  selector: 'helk-series-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChartBrush],
  host: { class: 'flex flex-1 min-w-0 min-h-0', 'data-testid': 'series' },
  template: `
    <div class="relative flex-1 min-w-0 px-2 py-1">
      <div class="relative h-full">
        <canvas #c role="img" [attr.aria-label]="told()"></canvas>
        <helk-chart-brush
          [chart]="drawn"
          mode="x"
          title="Click to go to a step; drag to choose a part of the time"
          data-testid="series-brush"
          (brushed)="choose($event)"
        />
      </div>
    </div>
    <div class="w-[232px] flex-none p-2 pl-1 text-[12.5px] overflow-auto">
      @if (variables().length > 1) {
        <select
          class="w-full mb-1.5"
          (change)="variable.set($any($event.target).value)"
          aria-label="Variable"
          data-testid="series-variable"
        >
          @for (v of variables(); track v) {
            <option [value]="v" [selected]="v === shown()">{{ v }}</option>
          }
        </select>
      }
      <ul class="grid gap-0.5" aria-label="Key">
        @for (l of listed(); track l.label) {
          <li class="flex items-start gap-1.5 min-h-[20px]">
            <span class="w-4 h-[3px] rounded flex-none mt-[8px]" [style.background]="l.colour"></span>
            <span class="min-w-0"
              ><span class="block truncate" [title]="l.label">{{ l.label }}</span>
              @if (l.note) {
                <span class="text-[11.5px] text-ink-2 block">{{ l.note }}</span>
              }
            </span>
          </li>
        }
      </ul>
      @if (!picked().length) {
        <p class="text-ink-2 text-[12px] mt-1.5">
          Click a place on the map to see how it went; with Ctrl it is picked, and others beside it.
        </p>
      } @else if (more()) {
        <p class="text-ink-2 text-[12px] mt-1.5">and {{ more() }} more that are picked</p>
      }
      @if (part(); as p) {
        <div class="mt-2 border-t border-line-soft pt-1.5">
          <div class="num text-[12px]" data-testid="series-part">{{ p.from }} to {{ p.to }}</div>
          <button class="link" (click)="test()" data-testid="test-part">
            {{ tested() ? 'Test this part beside' : 'Test this part for a trend' }}
          </button>
          <button class="link ml-3 !font-[450]" (click)="window.set(null)">Leave it</button>
        </div>
      }
    </div>
  `,
})
export class SeriesPanel {
  readonly item = input.required<DatasetItem>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly bench = inject(BenchStore);
  private readonly data = inject(FeatureData);
  private readonly glances = inject(Glances);
  private readonly looks = inject(Looks);
  private readonly moments = inject(Moments);
  private readonly picks = inject(Picks);
  private readonly clicking = inject(Clicking);
  private readonly project = inject(ProjectStore);
  private readonly rows = inject(SameRows);
  private chart: Chart<'line', { x: number; y: number }[]> | null = null;

  protected readonly variable = signal('');
  /** First and last step of the part that was dragged over. */
  protected readonly window = signal<[number, number] | null>(null);
  private readonly answer = signal<SeriesAnswer | null>(null);

  private readonly stack = computed(() => this.rows.ofKind(this.item(), 'stack'));
  private readonly info = computed(() => (this.stack()?.info as StackInfo | undefined) ?? null);
  private readonly run = computed(() => this.project.madeBy(this.item()));
  protected readonly variables = computed(() => this.info()?.variables.map((v) => v.name) ?? []);
  protected readonly shown = computed(() => {
    const own = String(this.run()?.params['variable'] ?? '');
    const all = this.variables();
    return [this.variable(), own].find((v) => all.includes(v)) ?? all[0] ?? '';
  });
  /** What is beside a stack of its own was tested, or grouped. */
  private readonly features = computed(() => dataOf('features', this.data.now(this.item().id)));
  protected readonly tested = computed(() => {
    const names = new Set(columnsOf(this.item().info).map((c) => c.name));
    return this.stack()?.id !== this.item().id && names.has('slope') && names.has('tau');
  });
  private readonly grouped = computed(
    () => this.stack()?.id !== this.item().id && columnsOf(this.item().info).some((c) => c.name === 'silhouette'),
  );

  protected readonly picked = computed(() => {
    const p = this.picks.of(this.item().id);
    const out: number[] = [];
    for (let i = 0; p && i < p.length && out.length < MOST; i++) if (p[i]) out.push(i);
    // What is read is told too.
    const read = this.clicking.readOf(this.item().id);
    if (read !== null && !out.includes(read)) out.push(read);
    return out;
  });
  protected readonly more = computed(() => Math.max(0, this.picks.count(this.item().id) - MOST));

  /** Colour of a place as its map has it. */
  private readonly colours = computed((): ((row: number) => string) | null => {
    const f = this.features();
    if (!f || !this.grouped()) return null;
    const s = symbolsOf({ ...this.looks.of<VectorStyle>(this.item()), label: null }, f);
    return (row) => onPaper(s.colours[s.index[row]!]!, this.bench.dark());
  });

  private groupName(key: string): string {
    const { by } = this.looks.of<VectorStyle>(this.item());
    return (by.kind === 'category' && by.labels && Object.hasOwn(by.labels, key) && by.labels[key]) || `group ${key}`;
  }

  private readonly groupColours = computed(() => {
    const f = this.features();
    if (!f || !this.grouped()) return new Map<string, string>();
    const { legend } = symbolsOf({ ...this.looks.of<VectorStyle>(this.item()), label: null }, f);
    return new Map(legend.map((e) => [e.key, onPaper(e.colour, this.bench.dark())]));
  });

  private nameOf(row: number): string {
    const f = dataOf('features', this.data.now(this.stack()?.id));
    const key = this.info()?.key;
    const c = f?.columns.find((x) => x.name === key) ?? f?.columns.find((x) => x.type === 'text');
    const v = c ? valueOf(c, row) : null;
    return v === null ? `no. ${row + 1}` : String(v);
  }

  private readonly lines = computed((): (Line & { note: string })[] => {
    const a = this.answer();
    const info = this.info();
    if (!a || !info) return [];
    const dark = this.bench.dark();
    const palette = CATEGORY_COLOURS.map((c) => onPaper(c, dark));
    const own = this.colours();
    const dots = info.steps.count <= 24;
    const out: (Line & { note: string })[] = a.series.map((s, i) => ({
      label: this.nameOf(s.row),
      values: s.values,
      colour: own ? own(s.row) : a.series.length === 1 ? themeColour('--pick') : palette[i % palette.length]!,
      width: 1.8,
      dots,
      note: this.noteOf(s.row),
    }));
    for (const b of a.bands)
      out.unshift({
        label: b.key
          ? `${this.groupName(b.key)}, mean of ${b.count}`
          : b.count < info.count
            ? `mean of ${formatNumber(b.count)} of ${formatNumber(info.count)}`
            : `mean of all ${formatNumber(info.count)}`,
        values: b.mean,
        colour: b.key ? (this.groupColours().get(b.key) ?? themeColour('--ink-2')) : themeColour('--ink-2'),
        width: 1.5,
        dash: [4, 3],
        note: b.key ? '' : 'shaded: eight of ten places',
      });
    if (this.tested())
      for (const s of a.series) {
        const line = this.sen(s.row, s.values);
        if (line)
          out.push({ label: `\u0000${s.row}`, values: line, colour: themeColour('--ink'), width: 1.2, note: '' });
      }
    return out;
  });
  protected readonly listed = computed(() => this.lines().filter((l) => !l.label.startsWith('\u0000')));

  /** Figures of a place that was tested, or grouped. */
  private noteOf(row: number): string {
    const f = this.features();
    if (!f) return '';
    if (this.tested()) {
      const [p, slope, low, high] = ['p', 'slope', 'slopeLow', 'slopeHigh'].map((n) => at(f, n, row));
      if (p === null || slope === null) return '';
      const range = Math.max(Math.abs(slope!), Math.abs(high ?? 0), Math.abs(low ?? 0)) || 1;
      const n = (v: number | null | undefined): string => formatNumber(v, range);
      return `p ${formatNumber(p, 0.1)}, ${n(slope)} (${n(low)} to ${n(high)}) a ${stepText(this.info()!.steps)}`;
    }
    if (this.grouped()) {
      const [g, s] = ['group', 'silhouette'].map((n) => at(f, n, row));
      return g === null || g === undefined ? 'in no group' : `silhouette ${formatNumber(s, 1)}`;
    }
    return '';
  }

  /** Sen's line of a place, through the middle of its values in the window that was tested. */
  private sen(row: number, values: Told): Told | null {
    const f = this.features();
    const info = this.info();
    const slope = f ? at(f, 'slope', row) : null;
    if (slope === null || slope === undefined || !info) return null;
    const [from, to] = this.testedWindow(info);
    const left: number[] = [];
    for (let k = from; k <= to; k++)
      if (values[k] !== null && values[k] !== undefined) left.push(values[k]! - slope * k);
    if (!left.length) return null;
    left.sort((a, b) => a - b);
    const base = (left[(left.length - 1) >> 1]! + left[left.length >> 1]!) / 2;
    return values.map((_, k) => (k >= from && k <= to ? base + slope * k : null));
  }

  private testedWindow({ steps }: StackInfo): [number, number] {
    const end = (param: string, usual: number): number => {
      const d = readDate(String(this.run()?.params[param] ?? ''));
      return d ? Math.min(steps.count - 1, Math.max(0, stepAt(steps, d.seconds))) : usual;
    };
    return [end('from', 0), end('to', steps.count - 1)];
  }

  protected readonly part = computed(() => {
    const w = this.window();
    const steps = this.info()?.steps;
    return w && steps ? { from: stepLabel(steps, w[0]), to: stepLabel(steps, w[1]) } : null;
  });
  protected readonly told = computed(() => {
    const names = this.listed().map((l) => l.label);
    return `${this.shown()} by step: ${names.join(', ')}`;
  });
  /** The step that is seen in the pane that is worked in. */
  private readonly now = computed(() => {
    const info = this.info();
    const pane = this.bench.pane();
    return info && this.moments.of(pane) ? stepsSeen(info.steps, pane.time ?? null).to : null;
  });

  constructor() {
    let asked = 0;
    effect(() => {
      const [stack, variable, rows] = [this.stack(), this.shown(), this.picked()];
      const inputs = { stack: stack?.id ?? '', ...(this.grouped() ? { groups: this.item().id } : {}) };
      if (!stack) return;
      const mine = ++asked;
      const by = this.grouped() ? { by: 'group' } : {};
      // What all did is asked once; another place is a small question.
      const all = this.glances.ask<SeriesAnswer>('time.series', inputs, { variable, ...by });
      const some = this.glances.ask<SeriesAnswer>('time.series', { stack: stack.id }, { variable, rows, bands: false });
      Promise.all([all, some]).then(
        ([{ bands }, { series }]) => mine === asked && this.answer.set({ bands, series }),
        (e: unknown) => this.project.notify(e instanceof Error ? e.message : String(e), 'refused'),
      );
    });
    effect(() => {
      this.bench.dark();
      const [lines, info, a] = [this.lines(), this.info(), this.answer()];
      const v = info?.variables.find((x) => x.name === this.shown());
      this.chart?.destroy();
      this.chart = null;
      if (!info || !a || !v) return;
      const band = a.bands.length === 1 ? a.bands : [];
      const tested = this.tested() ? this.testedWindow(info) : null;
      const whole = tested?.[0] === 0 && tested[1] === info.steps.count - 1;
      this.chart = new Chart(
        this.canvas().nativeElement,
        seriesChart({
          steps: info.steps,
          unit: v.unit,
          name: v.name,
          lines,
          bands: band.map((b) => ({ label: b.key, low: b.low, high: b.high, colour: `${themeColour('--ink-3')}33` })),
          now: this.now(),
          window: this.window() ?? (whole ? null : tested),
        }),
      );
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  protected readonly drawn = (): Chart | null => this.chart as Chart | null;

  /** A click goes to a step on the map; a stretch is kept, to be tested by itself. */
  protected choose({ from, to }: Brushed): void {
    const [info, x] = [this.info(), this.chart?.scales['x']];
    if (!info || !x) return;
    const step = (px: number): number =>
      Math.min(info.steps.count - 1, Math.max(0, Math.round(x.getValueForPixel(px) ?? 0)));
    const [a, b] = [step(from[0]), step(to[0])].sort((p, q) => p - q) as [number, number];
    if (Math.abs(from[0] - to[0]) < 4) {
      this.moments.step(this.bench.pane(), b);
      return;
    }
    this.window.set(a === b ? null : [a, b]);
  }

  /** The part by itself: a variant beside what was tested, or a first test. */
  protected test(): void {
    const [part, stack] = [this.part(), this.stack()];
    const method = this.project.serving().get('test a trend');
    if (!part || !stack || !method) return;
    if (this.tested()) {
      this.bench.vary(this.item().id);
      this.bench.fillSheet({ params: { ...this.bench.sheet()!.params, ...part } });
    } else this.bench.openSheet(method.id, { stack: [stack.id] }, { variable: this.shown(), ...part });
  }
}

function at(f: Features, name: string, row: number): number | null | undefined {
  const c = f.columns.find((x) => x.name === name);
  const v = c ? valueOf(c, row) : undefined;
  return typeof v === 'number' ? v : v === null ? null : undefined;
}
