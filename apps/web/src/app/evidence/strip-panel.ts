import {
  afterRenderEffect,
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  signal,
  viewChild,
} from '@angular/core';
import { columnsOf, displayUnit, formatNumber, rampTable, type VectorStyle } from '@helk/core';
import type { StackInfo } from '@helk/core/data/stack-facts';
import { markedSteps, stepLabel } from '@helk/core/data/time-steps';
import { BenchStore } from '../state/bench.store';
import { Glances } from '../state/glances';
import { Looks } from '../state/looks';
import { Moments } from '../state/moments';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { SameRows } from '../state/same-rows';
import { stepsSeen } from '../state/stack-data';
import { fitted } from '../draw/display';
import { NUMBER_FONT, themeColour } from './chart-look';

interface Strip {
  order: number[];
  starts: number[];
  values: (number | null)[];
  keys: string[];
}

/** Pixels left, below and right of the strip. */
const [LEFT, BELOW, RIGHT, ABOVE] = [104, 20, 10, 6];
/** Columns of results that places can be ordered by. */
const TELLING = ['group', 'strength', 'trend', 'cluster'];

/** All places through time, a line each, coloured by value: what came when, and where; picked with the map. */
@Component({
  selector: 'helk-strip-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-col flex-1 min-w-0 min-h-0', 'data-testid': 'strip' },
  template: `
    <div class="flex items-center gap-x-4 gap-y-1 flex-wrap px-3.5 py-1 text-[12.5px] flex-none overflow-hidden">
      <label class="flex items-center gap-1.5 whitespace-nowrap"
        >ordered by
        <select (change)="ordered.set($any($event.target).value)" aria-label="Order" data-testid="strip-order">
          @for (o of orders(); track o.id) {
            <option [value]="o.id" [selected]="o.id === order()">{{ o.words }}</option>
          }
        </select></label
      >
      <label
        class="flex items-center gap-1.5 whitespace-nowrap"
        title="Each place from its own lowest to its own highest value"
        ><input type="checkbox" [checked]="own()" (change)="own.set($any($event.target).checked)" />each by its own
        range</label
      >
      <span class="flex items-center gap-1.5 text-ink-2 min-w-0"
        ><span class="num">{{ ends().low }}</span
        ><span class="w-[90px] h-2 rounded-[2px] flex-none" [style.background]="ramp()"></span
        ><span class="num whitespace-nowrap">{{ ends().high }}</span></span
      >
      <span class="num text-ink-2 truncate" data-testid="strip-told">{{ told() }}</span>
    </div>
    <div class="relative flex-1 min-h-0">
      <canvas
        #c
        class="absolute inset-0 w-full h-full cursor-crosshair"
        role="img"
        [attr.aria-label]="'Values of all places by step, ordered by ' + order()"
        (pointermove)="point($event)"
        (pointerleave)="told.set('')"
        (pointerdown)="from = line($event)"
        (pointerup)="pick($event)"
      ></canvas>
    </div>
  `,
})
export class StripPanel {
  readonly item = input.required<DatasetItem>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly bench = inject(BenchStore);
  private readonly glances = inject(Glances);
  private readonly looks = inject(Looks);
  private readonly moments = inject(Moments);
  private readonly picks = inject(Picks);
  private readonly project = inject(ProjectStore);
  private readonly rows = inject(SameRows);

  protected readonly ordered = signal('');
  protected readonly own = signal(false);
  protected readonly told = signal('');
  private readonly strip = signal<Strip | null>(null);
  private readonly resized = signal(0);
  protected from: { line: number; step: number } | null = null;

  private readonly stack = computed(() => this.rows.ofKind(this.item(), 'stack'));
  private readonly info = computed(() => (this.stack()?.info as StackInfo | undefined) ?? null);
  private readonly variable = computed(() => {
    const info = this.info();
    const run = this.project.madeBy(this.item());
    const wish = String(run?.params['variable'] ?? '');
    return info?.variables.find((v) => v.name === wish) ?? info?.variables[0] ?? null;
  });
  /** Columns that tell places apart, of the result or of the places themselves. */
  private readonly columns = computed(() =>
    columnsOf(this.item().info)
      .filter((c) => TELLING.includes(c.name) || (c.type === 'text' && c.name !== this.info()?.key))
      .map((c) => c.name),
  );
  protected readonly orders = computed(() => [
    ...this.columns().map((c) => ({ id: `=${c}`, words: c })),
    { id: 'mean', words: 'mean' },
    { id: 'peak', words: 'when it was highest' },
    { id: 'row', words: 'row' },
  ]);
  protected readonly order = computed(() => {
    const all = this.orders().map((o) => o.id);
    if (all.includes(this.ordered())) return this.ordered();
    const first = TELLING.map((t) => `=${t}`).find((t) => all.includes(t));
    return first ?? 'mean';
  });
  /** The colours of the map, where it has some. */
  private readonly look = computed(() => {
    const stack = this.stack();
    const by = stack ? this.looks.of<VectorStyle>(stack).by : null;
    return by?.kind === 'classes' ? { ramp: by.ramp, reversed: by.reversed } : { ramp: 'viridis', reversed: true };
  });
  private readonly range = computed((): [number, number] => {
    const v = this.variable();
    if (this.own() || !v?.spread.length) return [0, 1];
    const [low, high] = [v.spread[2]!, v.spread[98]!];
    return high > low ? [low, high] : [v.min ?? 0, v.max ?? 1];
  });
  protected readonly ramp = computed(() => {
    const t = rampTable(this.look().ramp, this.look().reversed);
    const at = (k: number): string => `rgb(${t[3 * k]},${t[3 * k + 1]},${t[3 * k + 2]})`;
    return `linear-gradient(to right, ${[0, 64, 128, 192, 255].map(at).join(', ')})`;
  });
  protected readonly ends = computed(() => {
    const v = this.variable();
    if (this.own()) return { low: 'lowest', high: 'highest of each' };
    const [low, high] = this.range();
    const n = (x: number): string => formatNumber(x, high - low);
    return { low: n(low), high: `${n(high)} ${displayUnit(v?.unit)}`.trim() };
  });

  constructor() {
    let asked = 0;
    effect(() => {
      const [stack, v, order, own] = [this.stack(), this.variable(), this.order(), this.own()];
      if (!stack || !v) return;
      const mine = ++asked;
      const by = order.startsWith('=') ? { order: 'column', by: order.slice(1) } : { order };
      const groups: Record<string, string> = this.item().id !== stack.id ? { groups: this.item().id } : {};
      this.glances.ask<Strip>('time.strip', { stack: stack.id, ...groups }, { variable: v.name, own, ...by }).then(
        (s) => mine === asked && this.strip.set(s),
        (e: unknown) => this.project.notify(e instanceof Error ? e.message : String(e), 'refused'),
      );
    });
    afterRenderEffect((done) => {
      const box = new ResizeObserver(() => this.resized.update((n) => n + 1));
      box.observe(this.canvas().nativeElement);
      done(() => box.disconnect());
    });
    afterRenderEffect(() => {
      this.bench.dark();
      this.resized();
      this.draw();
    });
  }

  private size(): { w: number; h: number } {
    const { clientWidth, clientHeight } = this.canvas().nativeElement;
    return { w: clientWidth - LEFT - RIGHT, h: clientHeight - ABOVE - BELOW };
  }

  private draw(): void {
    const canvas = this.canvas().nativeElement;
    const [s, info] = [this.strip(), this.info()];
    const ratio = Math.min(2, devicePixelRatio || 1);
    canvas.width = canvas.clientWidth * ratio;
    canvas.height = canvas.clientHeight * ratio;
    const g = canvas.getContext('2d')!;
    g.scale(ratio, ratio);
    const { w, h } = this.size();
    if (!s || !info || w < 10 || h < 10) return;
    const t = info.steps.count;
    const lines = s.keys.length;
    if (!lines) return;
    const image = new ImageData(t, lines);
    const table = rampTable(this.look().ramp, this.look().reversed);
    const [low, high] = this.range();
    const missing = hexOf(themeColour('--paper'));
    for (let k = 0; k < t * lines; k++) {
      const v = s.values[k];
      const c = v === null || v === undefined ? -1 : Math.round((255 * (v - low)) / (high - low || 1));
      const at = 3 * Math.min(255, Math.max(0, c));
      for (let b = 0; b < 3; b++) image.data[4 * k + b] = c < 0 && v == null ? missing[b]! : table[at + b]!;
      image.data[4 * k + 3] = 255;
    }
    const small = document.createElement('canvas');
    small.width = t;
    small.height = lines;
    small.getContext('2d')!.putImageData(image, 0, 0);
    g.imageSmoothingEnabled = false;
    g.drawImage(small, LEFT, ABOVE, w, h);
    this.legend(g, s, info, w, h);
    this.marks(g, s, info, w, h);
  }

  /** What the lines are at their left, and when the steps are below. */
  private legend(g: CanvasRenderingContext2D, s: Strip, { steps }: StackInfo, w: number, h: number): void {
    g.fillStyle = themeColour('--ink-2');
    g.font = `${NUMBER_FONT.size}px ${NUMBER_FONT.family}`;
    g.textBaseline = 'middle';
    g.textAlign = 'right';
    const lines = s.keys.length;
    for (let l = 0; l < lines;) {
      let end = l + 1;
      while (end < lines && s.keys[end] === s.keys[l]) end++;
      const [top, bottom] = [ABOVE + (h * l) / lines, ABOVE + (h * end) / lines];
      if (s.keys[l] && bottom - top > 10)
        g.fillText(
          fitted(s.keys[l]!, LEFT - 10, { size: NUMBER_FONT.size, face: 'mono' }),
          LEFT - 6,
          (top + bottom) / 2,
        );
      if (l > 0 && s.keys[l] !== s.keys[l - 1]) {
        g.strokeStyle = themeColour('--leaf');
        g.lineWidth = 2;
        g.beginPath();
        g.moveTo(LEFT, top);
        g.lineTo(LEFT + w, top);
        g.stroke();
      }
      l = end;
    }
    if (!s.keys.some(Boolean)) g.fillText(`${formatNumber(s.order.length)} places`, LEFT - 6, ABOVE + 8);
    g.textAlign = 'center';
    for (const m of markedSteps(steps, Math.max(1, Math.floor(w / 84))))
      g.fillText(
        m.text,
        Math.min(LEFT + w - 24, Math.max(LEFT + 24, LEFT + (w * (m.step + 0.5)) / steps.count)),
        ABOVE + h + 11,
      );
  }

  /** The step that is seen on the map, and the lines of what is picked. */
  private marks(g: CanvasRenderingContext2D, s: Strip, { steps }: StackInfo, w: number, h: number): void {
    const pane = this.bench.pane();
    if (this.moments.of(pane)) {
      const { to } = stepsSeen(steps, pane.time ?? null);
      g.strokeStyle = themeColour('--ink');
      g.lineWidth = 1;
      g.strokeRect(LEFT + (w * to) / steps.count, ABOVE - 1, w / steps.count, h + 2);
    }
    const picked = this.picks.of(this.item().id);
    if (!picked) return;
    g.fillStyle = themeColour('--pick');
    for (let l = 0; l < s.keys.length; l++) {
      let any = false;
      for (let k = s.starts[l]!; k < s.starts[l + 1]! && !any; k++) any = picked[s.order[k]!] === 1;
      if (any) {
        const top = ABOVE + (h * l) / s.keys.length;
        g.fillRect(LEFT - 4, top, 3, Math.max(1.5, h / s.keys.length));
        g.fillRect(LEFT + w + 1, top, 4, Math.max(1.5, h / s.keys.length));
      }
    }
  }

  protected line(e: PointerEvent): { line: number; step: number } | null {
    const [s, info] = [this.strip(), this.info()];
    const { w, h } = this.size();
    if (!s || !info || !s.keys.length) return null;
    const line = Math.floor(((e.offsetY - ABOVE) / h) * s.keys.length);
    const step = Math.floor(((e.offsetX - LEFT) / w) * info.steps.count);
    return {
      line: Math.min(s.keys.length - 1, Math.max(0, line)),
      step: Math.min(info.steps.count - 1, Math.max(0, step)),
    };
  }

  protected point(e: PointerEvent): void {
    const [s, info, at] = [this.strip(), this.info(), this.line(e)];
    if (!s || !info || !at) return;
    const v = s.values[at.line * info.steps.count + at.step];
    const n = s.starts[at.line + 1]! - s.starts[at.line]!;
    const [low, high] = this.range();
    const value = v === null || v === undefined ? 'missing' : `${formatNumber(v, high - low)}`;
    this.told.set(`${stepLabel(info.steps, at.step)}: ${value}${n > 1 ? `, mean of ${n} places` : ''}`);
  }

  /** Lines between press and release are picked; a click goes to the step as well. */
  protected pick(e: PointerEvent): void {
    const [s, to, from] = [this.strip(), this.line(e), this.from];
    this.from = null;
    if (!s || !to || !from) return;
    const [a, b] = [Math.min(from.line, to.line), Math.max(from.line, to.line)];
    const rows = new Uint8Array(this.info()!.count);
    for (let k = s.starts[a]!; k < s.starts[b + 1]!; k++) rows[s.order[k]!] = 1;
    this.picks.pick(this.item().id, rows, e.shiftKey || e.ctrlKey || e.metaKey ? 'add' : this.picks.mode());
    if (a === b) this.moments.step(this.bench.pane(), to.step);
  }
}

const hexOf = (c: string): number[] => [1, 3, 5].map((i) => parseInt(c.slice(i, i + 2), 16) || 0);
