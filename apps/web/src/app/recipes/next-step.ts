import {
  ChangeDetectionStrategy,
  Component,
  ElementRef,
  afterNextRender,
  computed,
  input,
  output,
  signal,
  viewChild,
} from '@angular/core';
import type { MethodDescription } from '@helk/core';
import { ask } from '@helk/core/method/ask';
import { goesOn, type Library } from '@helk/core/recipe/edit';
import type { Recipe } from '@helk/core/recipe/shape';

/** How many answers are offered. */
const MOST = 12;

/** Asks what comes next: methods that can go on with what is at hand stand first. */
@Component({
  selector: 'helk-next-step',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block' },
  template: `
    <div class="border border-line rounded-[6px] bg-paper" data-testid="next-step">
      <input
        #field
        class="voice w-full !min-h-[36px] !px-4 text-[15px] !border-0 !border-b !border-line !rounded-b-none !bg-transparent"
        placeholder="What comes next? Ask: how steep is it?"
        role="combobox"
        aria-label="Ask for the next step"
        aria-controls="next-answers"
        [attr.aria-expanded]="true"
        autocomplete="off"
        [value]="text()"
        (input)="type($any($event.target).value)"
        (keydown)="key($event)"
      />
      <div id="next-answers" role="listbox" aria-label="Methods" class="max-h-[260px] overflow-auto py-1">
        @for (a of answers(); track a.method.id; let i = $index) {
          @if (i === firstUnfit() && i > 0) {
            <div class="px-4 pt-2 pb-1 text-[12px] text-ink-2 border-t border-line-soft mt-1">Needs other data</div>
          }
          <div
            role="option"
            class="px-4 py-1 cursor-pointer"
            [attr.aria-selected]="i === at()"
            [class.bg-act-soft]="i === at()"
            (pointermove)="at.set(i)"
            (click)="pick(i)"
          >
            <span class="voice block text-[14.5px] leading-tight" [class.text-ink-2]="!a.fits">{{
              a.method.question
            }}</span>
            <span class="text-[12px] text-ink-2"
              >{{ a.method.title }} <span class="num ml-1">{{ a.method.id }}</span></span
            >
          </div>
        } @empty {
          <p class="px-4 py-2 text-ink-2">No method answers to “{{ text() }}”.</p>
        }
      </div>
    </div>
  `,
})
export class NextStep {
  readonly recipe = input.required<Recipe>();
  readonly library = input.required<Library>();
  readonly chosen = output<MethodDescription>();
  readonly closed = output();
  protected readonly text = signal('');
  protected readonly at = signal(0);
  private readonly field = viewChild.required<ElementRef<HTMLInputElement>>('field');
  private readonly all = computed(() => [...this.library().values()]);
  protected readonly answers = computed(() => {
    const found = ask(this.text(), this.all());
    return found
      .map((a) => ({ ...a, fits: goesOn(this.recipe(), this.library(), a.method) }))
      .sort((a, b) => Number(b.fits) - Number(a.fits))
      .slice(0, this.text().trim() ? MOST : 60);
  });
  protected readonly firstUnfit = computed(() => this.answers().findIndex((a) => !a.fits));

  constructor() {
    afterNextRender(() => this.field().nativeElement.focus());
  }

  protected type(v: string): void {
    this.text.set(v);
    this.at.set(0);
  }

  protected key(e: KeyboardEvent): void {
    const n = this.answers().length;
    if (e.key === 'ArrowDown' && n) this.at.set((this.at() + 1) % n);
    else if (e.key === 'ArrowUp' && n) this.at.set((this.at() + n - 1) % n);
    else if (e.key === 'Enter') this.pick(this.at());
    else if (e.key === 'Escape') this.closed.emit();
    else return;
    e.preventDefault();
    e.stopPropagation();
  }

  protected pick(i: number): void {
    const a = this.answers()[i];
    if (a) this.chosen.emit(a.method);
  }
}
