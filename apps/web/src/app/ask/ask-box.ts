import { CdkConnectedOverlay, CdkOverlayOrigin } from '@angular/cdk/overlay';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { ask } from '@helk/core/method/ask';
import { BenchStore } from '../state/bench.store';
import { Actions } from './actions';
import { ProjectStore } from '../state/project.store';
import { worksOf } from '../work/works';

/** A method, a work by hand, or something that is done outside both, that answers what is asked. */
interface Answer {
  id: string;
  /** In the voice of a question; an action has none. */
  question: string;
  title: string;
  fits: boolean;
  open: () => void;
}

const words = (text: string): string[] =>
  text
    .toLowerCase()
    .split(/[^\p{L}]+/u)
    .filter((w) => w.length > 2);

/** Finds methods by the question they answer, their name or a keyword; those that fit what is selected stand first. */
@Component({
  selector: 'helk-ask-box',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CdkConnectedOverlay, CdkOverlayOrigin],
  template: `
    <div class="relative" cdkOverlayOrigin #o="cdkOverlayOrigin">
      <input
        #field
        class="voice w-full !min-h-[34px] !rounded-full !px-4 text-[15px]"
        placeholder="Ask: how steep is it?"
        autocomplete="off"
        spellcheck="false"
        role="combobox"
        aria-label="Ask for a method"
        [attr.aria-expanded]="bench.askOpen()"
        aria-controls="answers"
        [value]="text()"
        (focus)="bench.set({ askOpen: true })"
        (input)="type($any($event.target).value)"
        (keydown)="key($event)"
      />
      <kbd
        class="num absolute right-3 top-[8px] text-[11px] text-ink-3 border border-line rounded px-1 pointer-events-none"
        >Ctrl K</kbd
      >
    </div>
    <ng-template
      cdkConnectedOverlay
      [cdkConnectedOverlayOrigin]="o"
      [cdkConnectedOverlayOpen]="bench.askOpen()"
      [cdkConnectedOverlayOffsetY]="6"
      [cdkConnectedOverlayWidth]="width()"
      (overlayOutsideClick)="outside($event)"
      (detach)="close()"
    >
      <div id="answers" class="popover py-1 max-h-[420px] overflow-auto w-full" role="listbox" aria-label="Methods">
        @for (a of answers(); track a.id + a.title; let i = $index) {
          @if (i === firstUnfit() && bench.selectedItem()) {
            <div class="px-4 pt-2 pb-1 text-[12px] text-ink-2 border-t border-line-soft mt-1">
              Does not fit {{ bench.selectedItem()!.name }}
            </div>
          }
          <div
            role="option"
            class="px-4 py-1.5"
            [attr.aria-selected]="i === at()"
            [class.bg-act-soft]="i === at()"
            (pointerdown)="pick(i); $event.preventDefault()"
            (pointermove)="at.set(i)"
          >
            @if (a.question) {
              <span class="voice block text-[15px] leading-tight" [class.text-ink-2]="!a.fits">{{ a.question }}</span>
            } @else {
              <span class="block text-[13.5px] font-[550] leading-tight">{{ a.title }}</span>
            }
            <span class="text-[12px] text-ink-2">
              @if (a.question) {
                {{ a.title }} <span class="num ml-1">{{ a.id }}</span>
              } @else {
                {{ 'otherwise: ' + a.id }}
              }
            </span>
          </div>
        } @empty {
          <p class="px-4 py-3 text-ink-2">
            Nothing answers to “{{ text() }}”. Try a trade name, like slope, or a shorter question.
          </p>
        }
      </div>
    </ng-template>
  `,
})
export class AskBox {
  protected readonly bench = inject(BenchStore);
  protected readonly text = signal('');
  protected readonly at = signal(0);
  private readonly field = viewChild.required<ElementRef<HTMLInputElement>>('field');
  private readonly store = inject(ProjectStore);
  private readonly actions = inject(Actions);
  protected readonly width = signal(480);
  protected readonly answers = computed((): Answer[] => {
    const s = this.bench.selectedItem();
    const methods = ask(this.text(), this.store.methods(), s ? [s.info] : []).map(({ method: m, fits }): Answer => ({
      id: m.id,
      question: m.question,
      title: m.title,
      fits,
      open: () => this.bench.openSheet(m.id),
    }));
    // Works that are asked for in their own words, before methods that are near to them.
    const wanted = words(this.text());
    const works = (s && wanted.length ? worksOf(s) : []).filter((w) =>
      wanted.every((x) => words(`${w.question} ${w.does}`).some((y) => y.startsWith(x))),
    );
    const actions = this.actions.asked(this.text()).map((a): Answer => ({
      id: a.where,
      question: '',
      title: a.title,
      fits: true,
      open: () => {
        this.bench.set({ askOpen: false });
        a.does();
      },
    }));
    return [
      ...actions,
      ...works.map((w): Answer => ({
        id: w.id,
        question: w.question,
        title: `${w.does}, by hand`,
        fits: true,
        open: () => this.bench.openWork(w.id, s!.id),
      })),
      ...methods,
    ];
  });
  protected readonly firstUnfit = computed(() => this.answers().findIndex((a) => !a.fits));

  constructor() {
    effect(() => {
      if (this.bench.askOpen()) {
        untracked(() => {
          const f = this.field().nativeElement;
          this.width.set(f.offsetWidth);
          if (document.activeElement !== f) this.take();
          this.at.set(0);
        });
      }
    });
  }

  /** Takes the keyboard at once, so that nothing typed right after is lost. */
  take(): void {
    this.field().nativeElement.focus();
    this.field().nativeElement.select();
  }

  protected type(v: string): void {
    this.text.set(v);
    this.at.set(0);
    this.bench.set({ askOpen: true });
  }

  protected key(e: KeyboardEvent): void {
    const n = this.answers().length;
    if (e.key === 'ArrowDown' && n) this.at.set((this.at() + 1) % n);
    else if (e.key === 'ArrowUp' && n) this.at.set((this.at() + n - 1) % n);
    else if (e.key === 'Enter') this.pick(this.at());
    else if (e.key === 'Escape') this.close();
    else return;
    e.preventDefault();
  }

  protected outside(e: MouseEvent): void {
    if (e.target !== this.field().nativeElement) this.close();
  }

  protected pick(i: number): void {
    const a = this.answers()[i];
    if (!a) return;
    this.text.set('');
    a.open();
    this.field().nativeElement.blur();
  }

  protected close(): void {
    this.bench.set({ askOpen: false });
    this.field().nativeElement.blur();
  }
}
