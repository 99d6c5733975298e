import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import type { Chip } from './chips';

export interface MadeHere {
  role: string;
  name: string;
  kept: boolean;
  /** What it is in the project, where it is there. */
  dataset: string | null;
}

/** One step of a procedure: number, words with the trade name beside, settings, what it makes. */
@Component({
  selector: 'helk-step-row',
  changeDetection: ChangeDetectionStrategy.OnPush,
  // Where there is little room, what it makes stands below.
  host: {
    class:
      'grid grid-cols-[34px_minmax(0,1fr)] @[560px]:grid-cols-[34px_minmax(0,1fr)_210px] gap-x-6 gap-y-1 py-3 border-b border-line-soft',
    role: 'listitem',
  },
  template: `
    <span
      class="num w-[26px] h-[26px] rounded-full border border-act text-act grid place-items-center text-[13px] mt-0.5"
      >{{ number() }}</span
    >
    <div class="min-w-0">
      <p class="leading-[1.3]">
        <span class="font-[600] text-[15px]">{{ words() }}</span>
        @if (trade()) {
          <span class="text-[12.5px] text-ink-2"> {{ trade() }}</span>
        }
      </p>
      <ng-content select="[from]" />
      @if (chips().length || more()) {
        <div class="flex flex-wrap gap-1.5 mt-1.5">
          @for (c of chips(); track c.name) {
            @if (editable()) {
              <button
                class="chip"
                [class.chip-open]="c.open"
                [class.chip-at]="c.name === editing()"
                (click)="picked.emit(c.name)"
                [attr.aria-expanded]="c.name === editing()"
                [attr.data-testid]="'chip-' + c.name"
                [title]="c.open ? 'Offered when the recipe runs' : 'Fixed in the recipe'"
              >
                {{ c.label.toLowerCase() }} <b class="font-[500]">{{ c.value }}</b>
              </button>
            } @else {
              <span
                class="chip"
                [class.chip-open]="c.open"
                [attr.data-testid]="'chip-' + c.name"
                [title]="c.open ? 'Likely to change from place to place' : 'A setting that mostly stays'"
                >{{ c.label.toLowerCase() }} <b class="font-[500]">{{ c.value }}</b></span
              >
            }
          }
          @if (more()) {
            <button class="link !font-[450] text-[12px]" (click)="moreAsked.emit()">
              {{ more()! > 0 ? 'and ' + more() + ' more' : 'fewer' }}
            </button>
          }
        </div>
      }
      <ng-content select="[editor]" />
      @if (note()) {
        <p class="voice italic text-[14px] text-ink-2 mt-1.5 whitespace-pre-wrap">{{ note() }}</p>
      }
      <ng-content />
    </div>
    <div class="text-[12.5px] min-w-0 pt-0.5 col-start-2 @[560px]:col-start-auto">
      @for (m of makes(); track m.role) {
        <p class="flex items-baseline gap-1.5 min-w-0">
          <span class="text-ink-2 flex-none">{{ $index ? 'and' : 'makes' }}</span>
          @if (m.dataset) {
            <button
              class="font-[600] truncate text-left hover:underline"
              [title]="m.name"
              (click)="opened.emit(m.dataset)"
            >
              {{ m.name }}
            </button>
          } @else {
            <span class="font-[600] truncate" [title]="m.name">{{ m.name }}</span>
          }
          @if (editable()) {
            <label class="flex items-center gap-1 text-ink-2 ml-auto flex-none"
              ><input
                type="checkbox"
                [checked]="m.kept"
                (change)="kept.emit(m.role)"
                [attr.data-testid]="'keep-' + m.role"
              />keep</label
            >
          } @else if (m.kept) {
            <span class="num text-[11.5px] text-fine flex-none">kept</span>
          }
        </p>
      }
      @for (f of figures(); track f) {
        <p class="num text-[11.5px] text-ink-2">{{ f }}</p>
      }
      <ng-content select="[tools]" />
    </div>
  `,
})
export class StepRow {
  readonly number = input.required<number>();
  readonly words = input.required<string>();
  readonly trade = input('');
  readonly chips = input<readonly Chip[]>([]);
  /** How many settings are not shown; less than 0 when all are. */
  readonly more = input<number | null>(null);
  readonly makes = input<readonly MadeHere[]>([]);
  readonly figures = input<readonly string[]>([]);
  readonly note = input('');
  readonly editable = input(false);
  readonly editing = input<string | null>(null);
  readonly picked = output<string>();
  readonly moreAsked = output();
  readonly kept = output<string>();
  readonly opened = output<string>();
}
