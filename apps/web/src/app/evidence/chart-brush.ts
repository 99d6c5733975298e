import { ChangeDetectionStrategy, Component, input, output, signal } from '@angular/core';
import type { Chart } from 'chart.js';

export interface Brushed {
  from: [number, number];
  to: [number, number];
}

/**
 * Lies over a chart: a drag marks a stretch or a box and hands on its corners in pixels of the canvas; a click hands on one place
 * twice. Hovering is passed to the chart's tooltip.
 */
@Component({
  selector: 'helk-chart-brush',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: {
    class: 'absolute inset-0 touch-none',
    '[class]': "mode() === 'click' ? 'cursor-pointer' : 'cursor-crosshair'",
    '(pointerdown)': 'start($event)',
    '(pointermove)': 'move($event)',
    '(pointerup)': 'end($event)',
    '(pointerleave)': 'leave()',
  },
  template: `
    @if (marked(); as b) {
      <div
        class="absolute pointer-events-none border border-pick"
        style="background: color-mix(in srgb, var(--pick) 12%, transparent)"
        [style.left.px]="b.left"
        [style.top.px]="b.top"
        [style.width.px]="b.width"
        [style.height.px]="b.height"
      ></div>
    }
  `,
})
export class ChartBrush {
  readonly chart = input.required<() => Chart | null>();
  /** A stretch of the x axis, a box, or a place only. */
  readonly mode = input<'x' | 'box' | 'click'>('x');
  readonly brushed = output<Brushed>();
  protected readonly marked = signal<{ left: number; top: number; width: number; height: number } | null>(null);
  private from: [number, number] | null = null;

  private place(e: PointerEvent): [number, number] {
    const r = (e.currentTarget as HTMLElement).getBoundingClientRect();
    return [e.clientX - r.left, e.clientY - r.top];
  }

  protected start(e: PointerEvent): void {
    (e.currentTarget as HTMLElement).setPointerCapture(e.pointerId);
    this.from = this.place(e);
    this.leave();
  }

  protected move(e: PointerEvent): void {
    const c = this.chart()();
    if (!c) return;
    const [x, y] = this.place(e);
    if (!this.from) {
      const near = c.getElementsAtEventForMode({ x, y, native: e } as never, 'nearest', { intersect: true }, false);
      c.tooltip?.setActiveElements(near.slice(0, 1), { x, y });
      c.update('none');
      return;
    }
    if (this.mode() === 'click') return;
    const { top, bottom } = c.chartArea;
    const [x0, y0, y1] = this.mode() === 'x' ? [this.from[0], top, bottom] : [this.from[0], this.from[1], y];
    this.marked.set({
      left: Math.min(x0, x),
      top: Math.min(y0, y1),
      width: Math.abs(x - x0),
      height: Math.abs(y1 - y0),
    });
  }

  protected end(e: PointerEvent): void {
    const from = this.from;
    this.from = null;
    this.marked.set(null);
    if (from) this.brushed.emit({ from, to: this.place(e) });
  }

  protected leave(): void {
    const c = this.chart()();
    c?.tooltip?.setActiveElements([], { x: 0, y: 0 });
    c?.update('none');
  }
}

/** First and last of `n` bars that fill the chart's width between two places. */
export function barsBetween(c: Chart, { from, to }: Brushed, n: number): [number, number] {
  const { left, right } = c.chartArea;
  const bar = (x: number): number => Math.max(0, Math.min(n - 1, Math.floor(((x - left) / (right - left)) * n)));
  return [bar(Math.min(from[0], to[0])), bar(Math.max(from[0], to[0]))];
}

/** What lies in a box that was dragged over a scatter, in the values of its axes; a click takes what is within so many pixels. */
export function valuesBetween(c: Chart, { from, to }: Brushed, reach: number): (x: number, y: number) => boolean {
  const small = Math.abs(from[0] - to[0]) < 3 && Math.abs(from[1] - to[1]) < 3;
  const range = (axis: 'x' | 'y', k: 0 | 1): [number, number] => {
    const ends = small ? [to[k] - reach, to[k] + reach] : [from[k], to[k]];
    const [a, b] = ends.map((v) => c.scales[axis]!.getValueForPixel(v)!) as [number, number];
    return [Math.min(a, b), Math.max(a, b)];
  };
  const [[x0, x1], [y0, y1]] = [range('x', 0), range('y', 1)];
  return (x, y) => x >= x0 && x <= x1 && y >= y0 && y <= y1;
}
