import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  output,
  signal,
  viewChild,
} from '@angular/core';
import { formatLength, formatNumber } from '@helk/core';
import { rampTable } from '@helk/core/render/ramps';
import type { VariogramMap } from '@helk/core/numeric/variogram-map';
import { BenchStore } from '../state/bench.store';
import { themeColour } from './chart-look';

type Part = 'angle' | 'ratio';

/** Semivariance by direction and distance; a click takes the direction in which it lies from the middle. */
@Component({
  selector: 'helk-variogram-map',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-col w-[176px] pr-2 pb-1' },
  template: `
    <div class="relative flex-1 min-h-0">
      <canvas
        #c
        class="absolute inset-0 w-full h-full cursor-pointer"
        tabindex="0"
        role="img"
        [attr.aria-label]="'Semivariance by direction, ' + words()"
        title="Click to take a direction"
        data-testid="variogram-map"
        (click)="turn($event)"
        (keydown)="key($event)"
      ></canvas>
      @for (h of handles(); track h.part) {
        <button
          class="absolute w-[14px] h-[14px] -ml-[7px] -mt-[7px] rounded-full border-2 border-look bg-leaf touch-none cursor-grab"
          [style.left.px]="h.left"
          [style.top.px]="h.top"
          role="slider"
          [title]="h.label"
          [attr.aria-label]="h.part === 'angle' ? 'Direction of the longest range' : 'Shortest range over the longest'"
          [attr.aria-valuenow]="h.value"
          [attr.aria-valuetext]="h.label"
          [attr.data-testid]="'map-' + h.part"
          (pointerdown)="grab($event)"
          (pointermove)="drag($event, h.part)"
          (keydown)="nudge($event, h.part)"
        ></button>
      }
    </div>
    <p class="num text-[10.5px] text-ink-2 leading-tight text-center">{{ words() }}</p>
  `,
})
export class VariogramMapView {
  readonly map = input.required<VariogramMap>();
  readonly unit = input('');
  readonly azimuth = input('');
  /** Direction of the longest range and the shortest over it, as they were typed or dragged. */
  readonly angle = input('');
  readonly ratio = input('');
  /** How far places are alike along the longest range, metres. */
  readonly range = input<number | null>(null);
  readonly turned = output<string>();
  readonly shaped = output<{ angle: string; ratio: string }>();
  protected readonly handles = signal<{ part: Part; left: number; top: number; value: number; label: string }[]>([]);
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly bench = inject(BenchStore);
  private readonly ends = computed((): [number, number] => {
    let [low, high] = [Infinity, -Infinity];
    for (const v of this.map().semivariance) {
      if (v < low) low = v;
      if (v > high) high = v;
    }
    return [low, high];
  });
  protected readonly words = computed(() => {
    const [low, high] = this.ends();
    const m = this.map();
    return `${formatNumber(low, high)} to ${formatNumber(high)} ${this.unit()}, ${formatLength((m.size / 2) * m.width)} each way`;
  });

  constructor() {
    effect(() => {
      this.bench.dark();
      this.map();
      this.azimuth();
      this.shape();
      this.range();
      requestAnimationFrame(() => this.draw());
    });
  }

  private draw(): void {
    const { size, semivariance } = this.map();
    const c = this.canvas().nativeElement;
    const ratio = devicePixelRatio;
    const [w, h] = [c.clientWidth, c.clientHeight];
    c.width = w * ratio;
    c.height = h * ratio;
    const g = c.getContext('2d')!;
    g.scale(ratio, ratio);
    const side = Math.min(w, h - 2) / size;
    const [x0, y0] = [(w - side * size) / 2, (h - side * size) / 2];
    const [low, high] = this.ends();
    const table = rampTable('viridis', false);
    for (let k = 0; k < semivariance.length; k++) {
      const v = semivariance[k]!;
      if (v !== v) continue;
      const i = 3 * Math.round((255 * (v - low)) / (high - low || 1));
      g.fillStyle = `rgb(${table[i]},${table[i + 1]},${table[i + 2]})`;
      g.fillRect(x0 + (k % size) * side, y0 + Math.floor(k / size) * side, side + 0.5, side + 0.5);
    }
    this.drawReach(g, w, h, (side * size) / 2);
    if (this.azimuth().trim() === '') return;
    const a = (Number(this.azimuth()) * Math.PI) / 180;
    if (!Number.isFinite(a)) return;
    const r = (side * size) / 2;
    g.strokeStyle = themeColour('--pick');
    g.lineWidth = 2;
    g.beginPath();
    g.moveTo(w / 2 - r * Math.sin(a), h / 2 + r * Math.cos(a));
    g.lineTo(w / 2 + r * Math.sin(a), h / 2 - r * Math.cos(a));
    g.stroke();
  }

  private shape(): { angle: number; ratio: number } {
    const [angle, ratio] = [Number(this.angle()) || 0, Number(this.ratio().replace(',', '.'))];
    return { angle: ((angle % 180) + 180) % 180, ratio: ratio > 0 && ratio <= 1 ? ratio : 1 };
  }

  /** Length of the long axis on the screen: the range, so far as the map reaches. */
  private long(half: number): number | null {
    const range = this.range();
    const m = this.map();
    return range === null ? null : Math.min(0.92 * half, (range / ((m.size / 2) * m.width)) * half);
  }

  /** How far places are alike in each direction, with a handle at the end of either axis. */
  private drawReach(g: CanvasRenderingContext2D, w: number, h: number, half: number): void {
    const long = this.long(half);
    if (long === null) {
      this.handles.set([]);
      return;
    }
    const { angle, ratio } = this.shape();
    const t = (angle * Math.PI) / 180;
    for (const [width, ink] of [
      [4, '--leaf'],
      [2, '--look'],
    ] as const) {
      g.strokeStyle = themeColour(ink);
      g.lineWidth = width;
      g.beginPath();
      g.ellipse(w / 2, h / 2, long, long * ratio, t - Math.PI / 2, 0, 2 * Math.PI);
      g.stroke();
    }
    const at = (r: number, a: number) => ({ left: w / 2 + r * Math.sin(a), top: h / 2 - r * Math.cos(a) });
    this.handles.set([
      { part: 'angle', ...at(long, t), value: angle, label: `longest towards ${angle}°` },
      { part: 'ratio', ...at(long * ratio, t + Math.PI / 2), value: ratio, label: `across it ${ratio} of that` },
    ]);
  }

  protected grab(e: PointerEvent): void {
    (e.target as HTMLElement).setPointerCapture(e.pointerId);
    e.preventDefault();
  }

  protected drag(e: PointerEvent, part: Part): void {
    if (!(e.target as HTMLElement).hasPointerCapture(e.pointerId)) return;
    const b = this.canvas().nativeElement.getBoundingClientRect();
    const [dx, dy] = [e.clientX - b.left - b.width / 2, b.top + b.height / 2 - e.clientY];
    const { angle, ratio } = this.shape();
    const half = Math.min(b.width, b.height - 2) / 2;
    if (part === 'angle') {
      const turned = (Math.round((Math.atan2(dx, dy) * 180) / Math.PI / 5) * 5 + 180) % 180;
      // The first turn has a shape to turn.
      this.emit(turned, this.ratio() === '' ? 0.7 : ratio);
    } else {
      const t = (angle * Math.PI) / 180;
      // What lies across the long axis.
      const across = Math.abs(dx * Math.cos(t) - dy * Math.sin(t));
      this.emit(angle, Math.round((20 * across) / (this.long(half) ?? 1)) / 20);
    }
  }

  protected nudge(e: KeyboardEvent, part: Part): void {
    const step = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
    if (!step) return;
    e.preventDefault();
    const { angle, ratio } = this.shape();
    if (part === 'angle') this.emit((angle + 5 * step + 180) % 180, this.ratio() === '' ? 0.7 : ratio);
    else this.emit(angle, Math.round(20 * (ratio + 0.05 * step)) / 20);
  }

  private emit(angle: number, ratio: number): void {
    const r = Math.min(1, Math.max(0.1, ratio));
    this.shaped.emit({ angle: String(angle), ratio: r === 1 ? '' : String(r) });
  }

  protected turn(e: MouseEvent): void {
    const b = this.canvas().nativeElement.getBoundingClientRect();
    const [dx, dy] = [e.clientX - b.left - b.width / 2, b.top + b.height / 2 - e.clientY];
    // The middle is no direction.
    if (Math.hypot(dx, dy) < 8) this.turned.emit('');
    else this.turned.emit(String((Math.round((Math.atan2(dx, dy) * 180) / Math.PI / 5) * 5 + 180) % 180));
  }

  protected key(e: KeyboardEvent): void {
    const step = e.key === 'ArrowRight' ? 5 : e.key === 'ArrowLeft' ? -5 : 0;
    if (e.key === 'Escape') this.turned.emit('');
    if (!step) return;
    e.preventDefault();
    this.turned.emit(String(((Number(this.azimuth()) || 0) + step + 180) % 180));
  }
}
