import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  output,
  viewChild,
} from '@angular/core';
import { formatLength, formatNumber } from '@helk/core';
import { rampTable } from '@helk/core/render/ramps';
import type { VariogramMap } from '@helk/core/numeric/variogram-map';
import { BenchStore } from '../state/bench.store';
import { themeColour } from './chart-look';

/** Semivariance by direction and distance; a click takes the direction in which it lies from the middle. */
@Component({
  selector: 'helk-variogram-map',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-col w-[176px] pr-2 pb-1' },
  template: `
    <canvas
      #c
      class="flex-1 min-h-0 w-full cursor-pointer"
      tabindex="0"
      role="img"
      [attr.aria-label]="'Semivariance by direction, ' + words()"
      title="Click to take a direction"
      data-testid="variogram-map"
      (click)="turn($event)"
      (keydown)="key($event)"
    ></canvas>
    <p class="num text-[10.5px] text-ink-2 leading-tight text-center">{{ words() }}</p>
  `,
})
export class VariogramMapView {
  readonly map = input.required<VariogramMap>();
  readonly unit = input('');
  readonly azimuth = input('');
  readonly turned = output<string>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly bench = inject(BenchStore);
  private readonly range = computed((): [number, number] => {
    let [low, high] = [Infinity, -Infinity];
    for (const v of this.map().semivariance) {
      if (v < low) low = v;
      if (v > high) high = v;
    }
    return [low, high];
  });
  protected readonly words = computed(() => {
    const [low, high] = this.range();
    const m = this.map();
    return `${formatNumber(low, high)} to ${formatNumber(high)} ${this.unit()}, ${formatLength((m.size / 2) * m.width)} each way`;
  });

  constructor() {
    effect(() => {
      this.bench.dark();
      this.map();
      this.azimuth();
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
    const [low, high] = this.range();
    const table = rampTable('viridis', false);
    for (let k = 0; k < semivariance.length; k++) {
      const v = semivariance[k]!;
      if (v !== v) continue;
      const i = 3 * Math.round((255 * (v - low)) / (high - low || 1));
      g.fillStyle = `rgb(${table[i]},${table[i + 1]},${table[i + 2]})`;
      g.fillRect(x0 + (k % size) * side, y0 + Math.floor(k / size) * side, side + 0.5, side + 0.5);
    }
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
