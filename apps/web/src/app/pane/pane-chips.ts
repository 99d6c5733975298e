import { CdkDrag, CdkDragHandle, CdkDropList, type CdkDragDrop } from '@angular/cdk/drag-drop';
import { CdkConnectedOverlay, CdkOverlayOrigin } from '@angular/cdk/overlay';
import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import type { Layer } from '../state/looks';
import type { Pane } from '../state/panes';
import type { DatasetItem } from '../state/project.store';
import type { Stacked } from './map-layers';
import { StyleEditor } from './style-editor';

/** What a pane shows, as chips along its edge: order, whether it is seen, how it is drawn. */
@Component({
  selector: 'helk-pane-chips',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon, StyleEditor, CdkConnectedOverlay, CdkOverlayOrigin, CdkDropList, CdkDrag, CdkDragHandle],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './pane-chips.html',
  host: {
    class: 'absolute left-2 right-10 top-2 flex flex-wrap gap-1.5 items-start pointer-events-none z-20',
  },
})
export class PaneChips {
  readonly pane = input.required<Pane>();
  readonly stack = input.required<readonly Stacked[]>();
  /** Those of which nothing is in view. */
  readonly away = input<ReadonlySet<string>>(new Set());
  readonly go = output<DatasetItem>();
  protected readonly bench = inject(BenchStore);
  protected readonly editing = signal<string | null>(null);
  protected readonly active = computed(() => this.bench.activePane() === this.pane().id);

  protected pickChip(layer: Layer): void {
    if (!this.active()) this.bench.set({ activePane: this.pane().id });
    this.bench.select(layer.dataset);
    this.editing.set(this.editing() === layer.dataset ? null : layer.dataset);
  }

  protected drop(e: CdkDragDrop<unknown>): void {
    if (e.previousIndex !== e.currentIndex) this.bench.reorder(this.pane().id, e.previousIndex, e.currentIndex);
  }
}
