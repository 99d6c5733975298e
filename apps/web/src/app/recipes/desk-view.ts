import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Desk } from '../state/desk';
import { MadeView } from './made-view';
import { RecipeView } from './recipe-view';
import { TableView } from './table-view';

/** What lies on the desk: how results were made, a recipe, or a run table. */
@Component({
  selector: 'helk-desk',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MadeView, RecipeView, TableView],
  host: { class: 'flex min-h-0 min-w-0' },
  template: `
    @if (made(); as ids) {
      <helk-made-view class="flex-1" [ids]="ids" />
    } @else if (desk.entry()) {
      <helk-recipe-view class="flex-1" />
    } @else if (desk.table()) {
      <helk-table-view class="flex-1" />
    } @else {
      <div class="flex-1 grid place-items-center text-ink-2">
        <p>It has been removed. <button class="link" (click)="desk.clear()">Back to the panes</button></p>
      </div>
    }
  `,
})
export class DeskView {
  protected readonly desk = inject(Desk);
  protected readonly made = computed(() => {
    const l = this.desk.lying();
    return l?.what === 'made' ? l.ids : null;
  });
}
