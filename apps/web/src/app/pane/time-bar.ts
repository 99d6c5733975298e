import { CdkMenu, CdkMenuItem, CdkMenuTrigger } from '@angular/cdk/menu';
import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { markedSteps, stepLabel, stepText } from '@helk/core/data/time-steps';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import { Moments, type Timed } from '../state/moments';
import type { Pane } from '../state/panes';
import { stepsSeen } from '../state/stack-data';

/** Dates beneath the track. */
const MARKS = 6;

/** The steps of what a pane shows: one is chosen, several are seen together, all pass by. */
@Component({
  selector: 'helk-time-bar',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon, CdkMenu, CdkMenuItem, CdkMenuTrigger],
  viewProviders: [provideIcons(ICONS)],
  host: {
    class: 'flex items-start gap-2 px-2 pt-1.5 bg-leaf border-t border-line',
    role: 'group',
    '[attr.aria-label]': "'Time in pane ' + pane().id",
    'data-testid': 'time-bar',
  },
  template: `
    <button
      class="icon-btn flex-none"
      (click)="moments.toggle(pane().id)"
      [attr.aria-label]="playing() ? 'Stop' : 'Let the steps pass by'"
      [title]="playing() ? 'Stop' : 'Let the steps pass by'"
      [attr.aria-pressed]="playing()"
      data-testid="play"
    >
      <ng-icon [name]="playing() ? 'lucidePause' : 'lucidePlay'" size="15" />
    </button>
    <div class="flex-none w-[104px] pt-1">
      <div class="num text-[13px] font-[600] leading-[18px] whitespace-nowrap" data-testid="moment" aria-live="off">
        {{ label() }}
      </div>
    </div>
    <div class="relative flex-1 min-w-[70px] pt-1">
      <input
        type="range"
        class="w-full block !min-h-0 h-[18px]"
        min="0"
        [max]="steps().count - 1"
        step="1"
        [value]="seen().to"
        (input)="moments.step(pane(), +$any($event.target).value)"
        aria-label="Step"
        [attr.aria-valuetext]="label()"
      />
      <div class="relative h-[14px] mx-[7px]">
        @for (m of marks(); track m.step) {
          <span
            class="num absolute text-[10.5px] text-ink-2 -translate-x-1/2 whitespace-nowrap"
            [style.left.%]="m.left"
            >{{ m.text }}</span
          >
        }
      </div>
    </div>
    <label class="flex-none flex items-center gap-1 text-[12px] text-ink-2 pt-0.5" [title]="windowHelp()"
      >{{ narrow() ? '' : 'seen together' }}
      <select
        class="!min-h-[28px] num"
        (change)="moments.set(pane(), { window: +$any($event.target).value })"
        aria-label="Steps seen together"
        data-testid="time-window"
      >
        @for (w of windows(); track w) {
          <option [value]="w" [selected]="w === window()">{{ w }}</option>
        }
      </select></label
    >
    @if (bench.panes().length > 1) {
      <button
        class="icon-btn flex-none"
        [class.!text-act]="bench.linkedTime()"
        (click)="bench.set({ linkedTime: !bench.linkedTime() })"
        [attr.aria-pressed]="bench.linkedTime()"
        aria-label="All panes at one moment"
        [title]="bench.linkedTime() ? 'All panes at one moment' : 'Each pane at a moment of its own'"
        data-testid="time-linked"
      >
        <ng-icon [name]="bench.linkedTime() ? 'lucideLink2' : 'lucideLink2Off'" size="15" />
      </button>
    }
    <button
      class="icon-btn flex-none"
      [cdkMenuTriggerFor]="more"
      aria-label="Steps as pictures"
      title="Steps as pictures"
      data-testid="time-more"
    >
      <ng-icon name="lucideFilm" size="15" />
    </button>
    <ng-template #more>
      <div cdkMenu class="popover py-1 w-[256px] text-[13px]">
        <button cdkMenuItem class="menu-row" (cdkMenuItemTriggered)="together.emit()">Steps side by side</button>
        <button cdkMenuItem class="menu-row" (cdkMenuItemTriggered)="film.emit('gif')" data-testid="gif">
          Moving picture (GIF, {{ steps().count }} steps)
        </button>
        <button cdkMenuItem class="menu-row" (cdkMenuItemTriggered)="film.emit('zip')" data-testid="stills">
          A picture each step (PNG, zip)
        </button>
      </div>
    </ng-template>
  `,
})
export class TimeBar {
  readonly pane = input.required<Pane>();
  readonly timed = input.required<Timed>();
  readonly narrow = input(false);
  readonly film = output<'gif' | 'zip'>();
  readonly together = output<void>();
  protected readonly moments = inject(Moments);
  protected readonly bench = inject(BenchStore);

  protected readonly steps = computed(() => this.timed().steps);
  protected readonly seen = computed(() => stepsSeen(this.steps(), this.pane().time ?? null));
  protected readonly window = computed(() => this.pane().time?.window ?? 1);
  protected readonly playing = computed(() => this.moments.playing() === this.pane().id);
  protected readonly label = computed(() => {
    const { from, to } = this.seen();
    const s = this.steps();
    if (from === to) return stepLabel(s, to);
    // Two that begin alike are told shorter.
    const [a, b] = [stepLabel(s, from), stepLabel(s, to)];
    return a.slice(0, 5) === b.slice(0, 5) && a.length > 5 ? `${a}…${b.slice(5)}` : `${a}…`;
  });
  protected readonly windows = computed(() =>
    [1, 2, 3, 4, 6, 12, 24].filter((w) => w === 1 || w < this.steps().count || w === this.window()),
  );
  protected readonly windowHelp = computed(
    () => `So many ${stepText(this.steps())} steps up to the one that is chosen, by their mean`,
  );
  protected readonly marks = computed(() => {
    const s = this.steps();
    return markedSteps(s, this.narrow() ? 3 : MARKS).map((m) => ({
      ...m,
      left: (100 * m.step) / Math.max(1, s.count - 1),
    }));
  });
}
