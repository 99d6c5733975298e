import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { formatNumber } from '@helk/core';

/** Bars of a small histogram over which a range is chosen by dragging, or with the arrow keys (Shift widens). */
@Component({
  selector: 'helk-pick-bars',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div
      class="h-9 flex items-end cursor-crosshair touch-none rounded-[2px]"
      tabindex="0"
      role="slider"
      aria-label="Range to pick"
      [attr.aria-valuetext]="words()"
      [attr.aria-valuenow]="from()"
      [title]="words() || 'Drag over the bars to pick what lies in them'"
      (pointerdown)="start($event)"
      (pointermove)="move($event)"
      (pointerup)="end()"
      (keydown)="key($event)"
    >
      @for (b of bars(); track $index) {
        <span class="flex-1 h-full flex items-end pr-px"
          ><span
            class="w-full"
            [style.height.%]="b"
            [style.min-height.px]="b > 0 ? 1 : 0"
            [style.background]="chosenBar($index) ? 'var(--pick)' : 'var(--act)'"
          ></span
        ></span>
      }
    </div>
    <div class="num text-[11px] text-ink-2 h-4 truncate">{{ words() || 'drag to pick a range' }}</div>
  `,
})
export class PickBars {
  readonly bars = input.required<number[]>();
  /** Values at which bars begin; one more than there are bars. */
  readonly ends = input.required<number[]>();
  readonly unit = input('');
  readonly chosen = output<[number, number]>();
  protected readonly from = signal(-1);
  private readonly to = signal(-1);
  private dragging = false;
  private readonly span = computed((): [number, number] => [
    Math.min(this.from(), this.to()),
    Math.max(this.from(), this.to()),
  ]);
  protected readonly words = computed(() => {
    const e = this.ends();
    const [a, b] = this.span();
    if (a < 0) return '';
    const range = e[e.length - 1]! - e[0]!;
    return `${formatNumber(e[a]!, range)} to ${formatNumber(e[b + 1]!, range)} ${this.unit()}`.trim();
  });

  protected chosenBar(i: number): boolean {
    const [a, b] = this.span();
    return a >= 0 && i >= a && i <= b;
  }

  private at(e: PointerEvent): number {
    const box = (e.currentTarget as HTMLElement).getBoundingClientRect();
    const n = this.bars().length;
    return Math.max(0, Math.min(n - 1, Math.floor(((e.clientX - box.left) / box.width) * n)));
  }

  protected start(e: PointerEvent): void {
    (e.currentTarget as HTMLElement).setPointerCapture(e.pointerId);
    this.dragging = true;
    this.from.set(this.at(e));
    this.to.set(this.from());
  }

  protected move(e: PointerEvent): void {
    if (this.dragging) this.to.set(this.at(e));
  }

  protected end(): void {
    if (this.dragging) this.choose();
    this.dragging = false;
  }

  protected key(e: KeyboardEvent): void {
    const step = e.key === 'ArrowRight' ? 1 : e.key === 'ArrowLeft' ? -1 : 0;
    if (!step) return;
    e.preventDefault();
    e.stopPropagation();
    const n = this.bars().length;
    this.to.set(Math.max(0, Math.min(n - 1, this.to() + step)));
    if (!e.shiftKey || this.from() < 0) this.from.set(this.to());
    this.choose();
  }

  private choose(): void {
    const [a, b] = this.span();
    this.chosen.emit([this.ends()[a]!, this.ends()[b + 1]!]);
  }
}
