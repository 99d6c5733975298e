import { NgComponentOutlet } from '@angular/common';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  signal,
  type Type,
} from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';
import { WORKS } from './works';

/** The work that is going on, beside the panes. */
@Component({
  selector: 'helk-work-side',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgComponentOutlet, NgIcon],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'flex flex-col h-full min-h-0', 'data-testid': 'work' },
  template: `
    @if (work(); as w) {
      <header class="flex items-start gap-2 px-4 pt-3 pb-1 flex-none">
        <h2 class="voice text-[20px] leading-tight flex-1">{{ w.record.question }}</h2>
        <button class="icon-btn flex-none" (click)="bench.leaveWork()" aria-label="Leave this work" title="Leave (])">
          <ng-icon name="lucideX" size="15" />
        </button>
      </header>
      @if (shown(); as s) {
        @if (s.id === w.record.id) {
          <ng-container *ngComponentOutlet="s.component; inputs: { item: w.item }" />
        }
      }
    }
  `,
})
export class WorkSide {
  protected readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  protected readonly shown = signal<{ id: string; component: Type<unknown> } | null>(null);
  protected readonly work = computed(() => {
    const w = this.bench.work();
    const item = w ? this.store.datasetEntityMap()[w.dataset] : undefined;
    const record = WORKS.find((x) => x.id === w?.id);
    return item && record ? { item, record } : null;
  });

  constructor() {
    effect(() => {
      const record = this.work()?.record;
      if (record && this.shown()?.id !== record.id)
        void record.load().then((component) => this.shown.set({ id: record.id, component }));
    });
    // The keyboard is where the work begins; a menu that opened it takes the focus back first as it closes.
    const host = inject<ElementRef<HTMLElement>>(ElementRef);
    effect((done) => {
      if (!this.bench.work() || !this.shown()) return;
      const timer = setTimeout(() => host.nativeElement.querySelector<HTMLElement>('[data-begins]')?.focus(), 100);
      done(() => clearTimeout(timer));
    });
  }
}
