import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { ICONS } from './icons';

/** Takes changes back, and gives them again. */
@Component({
  selector: 'helk-undo-redo',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'contents' },
  template: `
    <button
      class="icon-btn"
      (click)="undo.emit()"
      [disabled]="!canUndo()"
      aria-label="Undo"
      [title]="'Undo (Ctrl+Z)' + of(undoes())"
    >
      <ng-icon name="lucideUndo2" size="15" />
    </button>
    <button
      class="icon-btn"
      (click)="redo.emit()"
      [disabled]="!canRedo()"
      aria-label="Redo"
      [title]="'Redo (Ctrl+Shift+Z)' + of(redoes())"
    >
      <ng-icon name="lucideRedo2" size="15" />
    </button>
  `,
})
export class UndoRedo {
  readonly canUndo = input.required<boolean>();
  readonly canRedo = input.required<boolean>();
  /** What it would take back, and do again. */
  readonly undoes = input<string | null>(null);
  readonly redoes = input<string | null>(null);
  readonly undo = output();
  readonly redo = output();

  protected readonly of = (words: string | null): string => (words ? `: ${words.replace(/\.$/, '')}` : '');
}
