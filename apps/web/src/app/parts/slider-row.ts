import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';

/** A setting moved by a slider: its name, the track, and the value in words. */
@Component({
  selector: 'helk-slider-row',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block' },
  template: `
    <label class="grid grid-cols-[92px_1fr_52px] items-center gap-2"
      ><span>{{ label() }}</span
      ><input
        type="range"
        [min]="range()[0]"
        [max]="range()[1]"
        [step]="range()[2]"
        [value]="value()"
        (input)="moved.emit(+$any($event.target).value)"
        [attr.aria-label]="name() || label()"
      /><span class="num text-right">{{ text() }}</span></label
    >
  `,
})
export class SliderRow {
  readonly label = input.required<string>();
  /** What it is called where the label alone does not tell. */
  readonly name = input('');
  readonly range = input.required<readonly [min: number, max: number, step: number]>();
  readonly value = input.required<number>();
  readonly text = input.required<string>();
  readonly moved = output<number>();
}
