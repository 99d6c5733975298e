import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

/** A small line of some values between limits that all of its kind share. */
@Component({
  selector: 'helk-spark-line',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<svg [attr.width]="width()" [attr.height]="height()" aria-hidden="true" class="block">
    <polyline
      [attr.points]="points()"
      fill="none"
      [attr.stroke]="colour()"
      stroke-width="1.5"
      stroke-linejoin="round"
    />
  </svg>`,
})
export class SparkLine {
  readonly values = input.required<readonly number[]>();
  readonly low = input.required<number>();
  readonly high = input.required<number>();
  /** Places of the values, increasing; even where not given. */
  readonly at = input<readonly number[] | null>(null);
  readonly colour = input('currentColor');
  readonly width = input(56);
  readonly height = input(24);
  protected readonly points = computed(() => {
    const v = this.values();
    const at = this.at() ?? v.map((_, i) => i);
    const [first, last] = [at[0] ?? 0, at[at.length - 1] ?? 1];
    const range = this.high() - this.low() || 1;
    return v
      .map((y, i) => {
        const px = 2 + ((this.width() - 4) * (at[i]! - first)) / (last - first || 1);
        const py = this.height() - 2 - ((this.height() - 4) * (y - this.low())) / range;
        return `${px.toFixed(1)},${py.toFixed(1)}`;
      })
      .join(' ');
  });
}
