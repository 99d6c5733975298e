import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { ICONS } from './icons';

/** Something kept in the project that is opened on its own (a sheet, a report): its name, a word about it, and away with it. */
@Component({
  selector: 'helk-kept-row',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon],
  viewProviders: [provideIcons(ICONS)],
  template: `
    <div class="mx-2 flex items-center rounded-[5px] hover:bg-act-soft" [class.bg-act-soft]="on()">
      <button
        class="flex-1 min-w-0 text-left px-2.5 py-1.5"
        (click)="opened.emit()"
        [attr.aria-current]="on() || null"
        [attr.data-testid]="testId()"
      >
        <span class="block font-[600] text-[13.5px] truncate" [title]="name()">{{ name() }}</span>
        <span class="block text-[12px] text-ink-2">{{ words() }}</span>
      </button>
      <button class="icon-btn !w-7" (click)="removed.emit()" [attr.aria-label]="'Remove ' + name()" title="Remove">
        <ng-icon name="lucideTrash2" size="13" />
      </button>
    </div>
  `,
})
export class KeptRow {
  readonly name = input.required<string>();
  readonly words = input.required<string>();
  /** Whether it is the one that is open. */
  readonly on = input.required<boolean>();
  readonly testId = input.required<string>();
  readonly opened = output();
  readonly removed = output();
}
