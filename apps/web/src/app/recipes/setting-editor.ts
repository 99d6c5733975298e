import {
  ChangeDetectionStrategy,
  Component,
  ElementRef,
  afterNextRender,
  input,
  output,
  viewChild,
} from '@angular/core';
import { displayUnit, type ParamSpec } from '@helk/core';

/** One setting of a step while it is changed: its value, and whether whoever runs the recipe is asked for it. */
@Component({
  selector: 'helk-setting-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block mt-2' },
  template: `
    <div
      class="border border-line rounded-[6px] bg-paper px-3 py-2 grid grid-cols-1 gap-2"
      data-testid="setting-editor"
    >
      <div class="flex items-center gap-2 flex-wrap">
        <label class="text-[13px]" for="setting">{{ spec().label }}</label>
        @if (spec().type === 'choice') {
          <select #field id="setting" (change)="valued.emit($any($event.target).value)">
            @if (spec().auto || spec().default === undefined) {
              <option value="">from the data</option>
            }
            @for (c of spec().choices; track c.value) {
              <option [value]="c.value" [selected]="c.value === shown()">{{ c.label }}</option>
            }
          </select>
        } @else if (spec().type === 'flag') {
          <select #field id="setting" (change)="valued.emit($any($event.target).value)">
            <option value="true" [selected]="shown() === 'true'">yes</option>
            <option value="false" [selected]="shown() !== 'true'">no</option>
          </select>
        } @else {
          <input
            #field
            id="setting"
            class="num flex-1 min-w-[140px]"
            [value]="value()"
            [placeholder]="spec().default ?? (spec().optional ? 'not set, or from the data' : 'from the data')"
            (change)="valued.emit($any($event.target).value)"
            (keydown.enter)="valued.emit($any($event.target).value); closed.emit()"
            (keydown.escape)="closed.emit()"
            autocomplete="off"
          />
          @if (spec().unit && spec().unit !== 'crs') {
            <span class="num text-ink-2">{{ unit(spec().unit!) }}</span>
          }
        }
        @if (value() !== '') {
          <button class="link text-[12.5px]" (click)="valued.emit('')">
            {{ spec().default === undefined ? 'Leave it to the data' : 'As usual' }}
          </button>
        }
        <button class="link text-[12.5px] ml-auto" (click)="closed.emit()">Done</button>
      </div>
      @if (spec().help) {
        <p class="text-[12px] text-ink-2">{{ spec().help }}</p>
      }
      <label class="flex items-center gap-1.5 text-[12.5px]"
        ><input type="checkbox" [checked]="open()" (change)="offered.emit()" data-testid="offer" />ask for it when the
        recipe runs</label
      >
    </div>
  `,
})
export class SettingEditor {
  readonly spec = input.required<ParamSpec>();
  /** As it stands in the recipe; empty where it does not. */
  readonly value = input.required<string>();
  readonly open = input.required<boolean>();
  readonly valued = output<string>();
  readonly offered = output();
  readonly closed = output();
  private readonly field = viewChild<ElementRef<HTMLElement>>('field');
  protected readonly unit = displayUnit;
  protected readonly shown = (): string => this.value() || String(this.spec().default ?? '');

  constructor() {
    afterNextRender(() => this.field()?.nativeElement.focus());
  }
}
