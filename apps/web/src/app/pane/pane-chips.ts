import { Dialog } from '@angular/cdk/dialog';
import { CdkDrag, CdkDragHandle, CdkDropList, type CdkDragDrop } from '@angular/cdk/drag-drop';
import { CdkConnectedOverlay, CdkOverlayOrigin } from '@angular/cdk/overlay';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  input,
  output,
  signal,
  untracked,
} from '@angular/core';
import { NgTemplateOutlet } from '@angular/common';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { ICONS } from '../parts/icons';
import { MidName } from '../parts/mid-name';
import { BenchStore } from '../state/bench.store';
import type { Layer } from '../state/looks';
import type { Pane } from '../state/panes';
import type { DatasetItem } from '../state/project.store';
import { StyleAsked } from '../state/style-asked';
import type { Stacked } from './map-layers';
import { StyleEditor } from './style-editor';

/** So many layers have chips of their own; in a narrow pane fewer. */
const MOST = 5;
const MOST_NARROW = 2;

/** What a pane shows, as chips along its edge: order, whether it is seen, how it is drawn. */
@Component({
  selector: 'helk-pane-chips',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    NgIcon,
    NgTemplateOutlet,
    MidName,
    StyleEditor,
    CdkConnectedOverlay,
    CdkOverlayOrigin,
    CdkDropList,
    CdkDrag,
    CdkDragHandle,
  ],
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
  readonly narrow = input(false);
  readonly go = output<DatasetItem>();
  protected readonly bench = inject(BenchStore);
  private readonly dialog = inject(Dialog);
  protected readonly editing = signal<string | null>(null);
  protected readonly active = computed(() => this.bench.activePane() === this.pane().id);

  /** The list of all layers is open. */
  protected readonly listed = signal(false);
  /** More than have room beside each other stand in a list; the chosen one keeps its chip. */
  protected readonly folds = computed(() => this.stack().length > (this.narrow() ? MOST_NARROW : MOST));
  protected readonly inRow = computed(() =>
    this.folds() ? this.stack().filter((l) => l.item.id === this.bench.selected()) : this.stack(),
  );
  protected readonly topFirst = computed(() => [...this.stack()].reverse());
  protected readonly hidden = computed(() => this.stack().filter((l) => !l.layer.visible).length);

  private readonly style = inject(StyleAsked);

  constructor() {
    effect(() => {
      const w = this.style.wanted();
      if (w?.pane !== this.pane().id || !this.stack().some((l) => l.item.id === w.dataset)) return;
      untracked(() => {
        this.style.wanted.set(null);
        this.editing.set(w.dataset);
      });
    });
  }

  protected pickChip(layer: Layer): void {
    if (!this.active()) this.bench.set({ activePane: this.pane().id });
    this.bench.select(layer.dataset);
    this.editing.set(this.editing() === layer.dataset ? null : layer.dataset);
  }

  protected drop(e: CdkDragDrop<unknown>): void {
    if (e.previousIndex !== e.currentIndex) this.bench.reorder(this.pane().id, e.previousIndex, e.currentIndex);
  }

  protected dropListed(e: CdkDragDrop<unknown>): void {
    const last = this.stack().length - 1;
    if (e.previousIndex !== e.currentIndex)
      this.bench.reorder(this.pane().id, last - e.previousIndex, last - e.currentIndex);
  }

  /** How a layer is drawn lies above the list and belongs to it. */
  protected outsideList(e: MouseEvent): void {
    const at = e.target as Element;
    if (!this.editing() && !at.closest('[data-testid=layers], .cdk-overlay-container')) this.listed.set(false);
  }

  /** What lies above belongs to it: colours that are put together are drawn with afterwards. */
  protected outside(): void {
    if (!this.dialog.openDialogs.length) this.editing.set(null);
  }
}
