import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { formatNumber } from '@helk/core';
import { coloursCss } from '../draw/ramps';
import type { Legend, Mark } from '../kinds/legend';

/** Width of a pane below which a long key would cover half of its picture, pixels. */
export const NARROW = 560;

/** What the colours of one layer mean, in its unit; where its entries can be picked, a click does. */
@Component({
  selector: 'helk-key',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="text-[12px] leading-tight">
      @if (legend().mark; as m) {
        <div class="flex items-center gap-1.5">
          <span [class]="swatch(m)" [style.background]="m.colour" [style.borderColor]="m.outline ?? m.colour"></span
          ><span class="truncate" [title]="legend().title">{{ legend().title }}</span>
        </div>
      } @else if (folds()) {
        <button
          class="flex items-center gap-1 w-full text-left font-[550] mb-0.5"
          [title]="legend().title"
          [attr.aria-expanded]="open()"
          (click)="toggled.set(!open())"
        >
          <span class="truncate flex-1">{{ legend().title }}</span><span class="text-ink-3" aria-hidden="true">{{
            open() ? '–' : '+'
          }}</span>
        </button>
      } @else {
        <div class="truncate font-[550] mb-1" [title]="legend().title">{{ legend().title }}</div>
      }
      @for (e of open() ? legend().entries : []; track $index) {
        @if (legend().switches) {
          <button
            class="flex items-center gap-1.5 text-[11px] leading-[16px] w-full text-left hover:text-act"
            [class.text-ink-3]="e.off"
            [attr.aria-pressed]="!e.off"
            (click)="picked.emit($index)"
            [title]="(e.off ? 'Show ' : 'Hide ') + e.text"
          >
            <span
              [class]="swatch(e)"
              [style.background]="e.off ? 'transparent' : e.colour"
              [style.borderColor]="e.colour"
            ></span
            ><span class="truncate flex-1" [class.line-through]="e.off">{{ e.text }}</span
            ><span class="num text-ink-2">{{ count(e.count) }}</span>
          </button>
        } @else if (legend().picks) {
          <button
            class="flex items-center gap-1.5 text-[11px] leading-[16px] w-full text-left hover:text-act"
            (click)="picked.emit($index)"
            [title]="'Pick these ' + e.count"
          >
            <span [class]="swatch(e)" [style.background]="e.colour" [style.borderColor]="e.outline ?? e.colour"></span
            ><span class="truncate" [class.num]="legend().numeric">{{ e.text }}</span>
            @if (!legend().numeric) {
              <span class="num text-ink-2">{{ count(e.count) }}</span>
            }
          </button>
        } @else {
          <div class="flex items-center gap-1.5 text-[11px] leading-[15px]" [class.num]="legend().numeric">
            <span class="w-4 h-2.5 rounded-[1px] flex-none" [style.background]="e.colour"></span
            ><span class="truncate">{{ e.text }}</span>
          </div>
        }
      }
      @if (open() && legend().more > 0) {
        <div class="text-[11px] text-ink-2">and {{ legend().more }} more</div>
      }
      @if (legend().ramp; as r) {
        <div class="h-[9px] rounded-[2px]" [style.background]="css()"></div>
        <div class="num flex justify-between mt-0.5 text-[11px]">
          @for (t of r.ticks; track $index) {
            <span>{{ t }}</span>
          }
        </div>
      }
      @if (legend().notes.length) {
        <div class="text-ink-2 text-[11px] mt-0.5">{{ legend().notes.join(', ') }}</div>
      }
      @for (w of legend().warnings; track w) {
        <div class="text-[11px] text-look">{{ w }}</div>
      }
      @if (legend().missing; as m) {
        <div class="flex items-center gap-1.5 mt-1 text-[11px]">
          <span class="hatch inline-block w-4 h-2.5 rounded-[1px]"></span>{{ m }}
        </div>
      }
    </div>
  `,
})
export class Key {
  readonly legend = input.required<Legend>();
  /** Only its name is shown until it is opened: keys below the top one would cover the picture. */
  readonly folded = input(false);
  readonly picked = output<number>();
  protected readonly toggled = signal<boolean | null>(null);
  protected readonly folds = computed(
    () => (this.legend().picks || this.legend().switches) && this.legend().entries.length > 0,
  );
  protected readonly open = computed(() => !this.folds() || (this.toggled() ?? !this.folded()));
  protected readonly css = computed(() => {
    const r = this.legend().ramp;
    return r ? coloursCss(r.colours, r.stepped) : '';
  });

  protected readonly count = (n: number | undefined): string => (n === undefined ? '' : formatNumber(n));

  protected swatch({ shape }: Mark): string {
    const form = {
      line: 'w-4 h-0 !border-y-[1.5px] !border-x-0',
      point: 'w-2.5 h-2.5 rounded-full',
      area: 'w-4 h-2.5 rounded-[2px]',
    };
    return `flex-none border ${form[shape]}`;
  }
}
