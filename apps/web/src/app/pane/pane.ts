import { NgComponentOutlet } from '@angular/common';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  input,
  signal,
  type Type,
  untracked,
} from '@angular/core';
import type { Pane } from '../state/panes';
import { PANE_KINDS } from './pane-kinds';

/** A pane of whatever kind it is. */
@Component({
  selector: 'helk-pane',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgComponentOutlet],
  template: `@if (shown(); as c) {
      <ng-container *ngComponentOutlet="c; inputs: { pane: pane() }" />
    } @else {
      <p class="p-4 text-ink-2">Opening …</p>
    }`,
  host: { class: 'block min-w-0 min-h-0 overflow-hidden', '[attr.data-testid]': '"pane-" + pane().id' },
})
export class PaneShell {
  readonly pane = input.required<Pane>();
  private readonly kind = computed(() => PANE_KINDS.find((k) => k.id === this.pane().kind) ?? PANE_KINDS[0]!);
  private readonly loaded = signal<{ id: string; component: Type<unknown> } | null>(null);
  protected readonly shown = computed(() => {
    const l = this.loaded();
    return this.kind().now ?? (l?.id === this.kind().id ? l.component : null);
  });

  constructor() {
    effect(() => {
      const kind = this.kind();
      if (kind.now || untracked(this.loaded)?.id === kind.id) return;
      void kind.load().then((component) => this.loaded.set({ id: kind.id, component }));
    });
  }
}
