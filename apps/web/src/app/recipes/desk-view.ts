import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Desk } from '../state/desk';
import { MadeView } from './made-view';
import { RecipeView } from './recipe-view';
import { ReportView } from '../report/report-view';
import { SheetView } from '../sheets/sheet-view';
import { TableView } from './table-view';

/** What lies on the desk: how results were made, a recipe, a run table, a map sheet, or a report. */
@Component({
  selector: 'helk-desk',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MadeView, RecipeView, ReportView, SheetView, TableView],
  host: { class: 'flex min-h-0 min-w-0' },
  template: `
    @if (sheet()) {
      @defer (on immediate) {
        <helk-sheet-view class="flex-1 min-w-0" />
      }
    } @else if (report()) {
      @defer (on immediate) {
        <helk-report-view class="flex-1 min-w-0" />
      }
    } @else if (made(); as ids) {
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
  protected readonly sheet = computed(() => this.desk.lying()?.what === 'sheet');
  protected readonly report = computed(() => this.desk.lying()?.what === 'report');
  protected readonly made = computed(() => {
    const l = this.desk.lying();
    return l?.what === 'made' ? l.ids : null;
  });
}
