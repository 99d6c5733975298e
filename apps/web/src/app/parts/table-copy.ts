import { CdkMenu, CdkMenuItem, CdkMenuTrigger } from '@angular/cdk/menu';
import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import { ProjectStore } from '../state/project.store';
import { copyPicture, copyTable, pngOf } from './save';
import { tabbed, tableHtml, type CopiedTable } from './table-text';

/** A table into the clipboard: for a spreadsheet, for a document, or as a picture. */
@Component({
  selector: 'helk-table-copy',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CdkMenu, CdkMenuItem, CdkMenuTrigger],
  template: `
    <button [class]="look()" [cdkMenuTriggerFor]="menu" [disabled]="!can()" [attr.data-testid]="testid()">
      {{ label() }}
    </button>
    <ng-template #menu>
      <div cdkMenu class="popover py-1 w-[236px] text-[13px]">
        <button cdkMenuItem class="menu-row !h-auto py-1" (cdkMenuItemTriggered)="text()" data-testid="copy-text">
          For a spreadsheet<span class="block text-[12px] text-ink-2">tabs between, every digit</span>
        </button>
        <button cdkMenuItem class="menu-row !h-auto py-1" (cdkMenuItemTriggered)="html()" data-testid="copy-html">
          For a document<span class="block text-[12px] text-ink-2">a table as it is read</span>
        </button>
        <button cdkMenuItem class="menu-row !h-auto py-1" (cdkMenuItemTriggered)="picture()" data-testid="copy-picture">
          As a picture<span class="block text-[12px] text-ink-2">for slides</span>
        </button>
      </div>
    </ng-template>
  `,
})
export class TableCopy {
  /** Asked for when it is copied. */
  readonly table = input.required<() => CopiedTable>();
  readonly title = input('');
  readonly can = input(true);
  readonly look = input('link');
  readonly label = input('Copy');
  readonly testid = input('copy-table');
  private readonly store = inject(ProjectStore);

  protected text(): void {
    this.copy(async (table) => copyTable({ 'text/plain': tabbed(table) }));
  }

  protected html(): void {
    this.copy(async (table) => copyTable({ 'text/plain': tabbed(table), 'text/html': tableHtml(table, this.title()) }));
  }

  protected picture(): void {
    this.copy(async (table) => {
      const [{ tableList, MOST_PICTURED }, { painted }] = await Promise.all([
        import('./table-list'),
        import('../draw/paint'),
      ]);
      if (table.length > MOST_PICTURED + 1)
        throw new Error(
          `The table has ${table.length - 1} rows; a picture that can be read takes up to ${MOST_PICTURED}. Pick some of them.`,
        );
      await copyPicture(await pngOf(await painted(tableList(table, this.title()), 2)));
    });
  }

  private copy(how: (table: CopiedTable) => Promise<void>): void {
    void this.store.guarded(async () => {
      const table = this.table()();
      await how(table);
      const n = table.length - 1;
      this.store.notify(`Copied ${n} ${n === 1 ? 'row' : 'rows'} with ${table[0]?.length ?? 0} columns.`);
    });
  }
}
