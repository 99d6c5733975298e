import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { readPlace } from '@helk/core/data/typed-place';
import { ProjectStore } from '../state/project.store';
import { Sketch } from './sketch';

/** While something is drawn: what to do, a place to type, the last corner back, the end. */
@Component({
  selector: 'helk-sketch-bar',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: {
    class:
      'absolute left-1/2 -translate-x-1/2 float px-3 py-1.5 text-[13px] z-20 w-max max-w-[min(540px,calc(100%-24px))]',
    'data-testid': 'sketch',
    '[style.bottom.px]': 'timed() ? 58 : 12',
  },
  template: `
    <div class="flex flex-wrap items-center gap-x-3 gap-y-1">
      <span>{{ sketch.words() }}</span>
      <form class="flex items-center gap-1" (submit)="$event.preventDefault(); type(field)">
        <input
          #field
          class="num w-[178px] !min-h-[28px]"
          [placeholder]="example()"
          aria-label="Place to type"
          title="East and north, or angles like 58.27 N 20.47 W"
          autocomplete="off"
          spellcheck="false"
          data-testid="typed-place"
          (input)="wrong.set(null)"
          (keydown.escape)="sketch.cancel()"
        />
        <button class="btn !min-h-[28px]" type="submit">Add</button>
      </form>
      @if (sketch.corners() || sketch.count()) {
        <button class="link" (click)="sketch.back()" title="Backspace">Take the last back</button>
      }
      @if (sketch.closes()) {
        <button class="btn btn-act !min-h-[28px]" (click)="sketch.end()" data-testid="sketch-end">
          {{ sketch.wish()?.geometry === 'line' ? 'End the line' : 'Close the area' }}
        </button>
      } @else if (sketch.count(); as n) {
        <button class="btn btn-act !min-h-[28px]" (click)="sketch.finish()" data-testid="sketch-done">
          Done ({{ n }})
        </button>
      }
      <button class="link" (click)="sketch.cancel()">Leave it</button>
    </div>
    @if (wrong()) {
      <p class="text-[12px] text-no pt-1" role="alert">{{ wrong() }}</p>
    } @else if (sketch.wish()?.done) {
      <p class="text-[12px] text-ink-2 pt-0.5">
        By keyboard, on the map: arrows move it, Space sets a corner in its middle, Enter ends.
      </p>
    }
  `,
})
export class SketchBar {
  /** A bar of time lies at the foot of the pane. */
  readonly timed = input(false);
  protected readonly sketch = inject(Sketch);
  private readonly project = inject(ProjectStore);
  protected readonly wrong = signal<string | null>(null);
  protected readonly example = computed(() => {
    const crs = this.project.system();
    if (!crs) return 'two numbers, like those of the data';
    return crs.geographic ? 'east, north in °' : `east, north in ${crs.unit}`;
  });

  protected type(field: HTMLInputElement): void {
    try {
      this.sketch.add(readPlace(field.value, this.project.system()));
      field.value = '';
      this.wrong.set(null);
    } catch (e) {
      this.wrong.set(e instanceof Error ? e.message : String(e));
    }
  }
}
