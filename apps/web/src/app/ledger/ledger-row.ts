import { CdkMenu, CdkMenuTrigger } from '@angular/cdk/menu';
import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { ICONS } from '../parts/icons';
import { MidName } from '../parts/mid-name';
import { Thumbnail } from '../parts/thumbnail';
import type { DatasetItem } from '../state/project.store';
import type { LedgerRow } from '../state/threads';
import { DatasetMenu } from './dataset-menu';

/** A row as it is drawn. */
export interface RowSeen {
  row: LedgerRow;
  item: DatasetItem;
  /** What it stands for: one dataset, or all of a set. */
  ids: readonly string[];
  title: string;
  summary: string;
  checks: number;
  checkText: string;
  /** The first of its thread. */
  first: boolean;
  /** One of a set that is open. */
  member: boolean;
  set: boolean;
  open: boolean;
  selected: boolean;
  chosen: boolean;
  /** Whether the arrow keys stand here. */
  here: boolean;
  /** Depths of lines that go on below it. */
  through: readonly number[];
  panes: readonly number[];
}

/** One line of the ledger: square or circle on its thread, small picture, name, what it is. */
@Component({
  selector: 'helk-ledger-row',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CdkMenu, CdkMenuTrigger, DatasetMenu, MidName, NgIcon, Thumbnail],
  viewProviders: [provideIcons(ICONS)],
  host: {
    role: 'listitem',
    class: 'group relative flex items-center gap-2 pr-2',
    '[class.bg-act-soft]': 'r().selected',
    '[class.is-chosen]': 'r().chosen',
    '[attr.data-dataset]': 'r().item.id',
    '[style.height.px]': 'dense() ? 28 : 46',
    '[style.contain-intrinsic-height.px]': 'dense() ? 28 : 46',
    '[style.content-visibility]': '"auto"',
    '[style.padding-left.px]': '14 + r().row.depth * 20 + (r().member ? 18 : 0)',
    '(contextmenu)': '$event.preventDefault()',
  },
  template: `
    @let v = r();
    @if (!v.member) {
      @if (!v.first) {
        <span
          class="rod"
          [style.left.px]="20 + v.row.depth * 20"
          [style.top.px]="0"
          [style.height.px]="middle() - 5"
        ></span>
      }
      @if (v.row.more) {
        <span class="rod bottom-0" [style.left.px]="20 + v.row.depth * 20" [style.top.px]="middle() + 5"></span>
      }
      @for (d of v.through; track d) {
        <span class="rod inset-y-0" [style.left.px]="20 + d * 20"></span>
      }
      <span
        class="w-[13px] h-[13px] border-[1.5px] flex-none z-[1]"
        [class]="
          v.row.source
            ? 'bg-ink-2 border-ink-2 rounded-[2px] scale-[.8]'
            : v.selected
              ? 'bg-act border-act rounded-full scale-[.85]'
              : 'bg-paper border-ink-2 rounded-full scale-[.85]'
        "
      ></span>
    }
    <button
      class="flex items-center gap-2.5 min-w-0 flex-1 h-full text-left"
      (click)="picked.emit($event)"
      (dblclick)="beside.emit()"
      [attr.aria-label]="v.title + (v.chosen ? ', chosen' : '')"
      [attr.data-testid]="'row-' + v.title"
      [attr.data-row]="v.row.key"
      [attr.tabindex]="v.here ? 0 : -1"
    >
      @if (!dense()) {
        <helk-thumbnail [item]="v.item" />
      }
      <span class="min-w-0 flex-1" [class.flex]="dense()" [class.items-baseline]="dense()" [class.gap-2]="dense()">
        <span class="flex items-center gap-1.5 leading-[17px] min-w-0" [class.flex-1]="dense()">
          <helk-name class="font-[550] text-[13px]" [text]="v.title" />
          @for (p of v.panes; track p) {
            <span
              class="num text-[10.5px] leading-[14px] border border-act text-act rounded-[3px] px-1 flex-none"
              [title]="'In pane ' + p"
              >{{ p }}</span
            >
          }
        </span>
        <span
          class="flex items-center gap-1.5 text-[12px] leading-[17px] text-ink-2"
          [class]="dense() ? 'flex-none max-w-[38%]' : ''"
          ><span class="truncate" [title]="v.summary">{{ v.summary }}</span>
          @if (v.checks) {
            <span
              class="tag-look flex-none leading-[14px] hover:underline"
              [title]="v.checkText"
              (click)="$event.stopPropagation(); told.emit()"
              >{{ v.checks }}{{ dense() ? '' : v.checks === 1 ? ' check' : ' checks' }}</span
            >
          }
        </span>
      </span>
    </button>
    @if (v.set) {
      <button
        class="icon-btn !w-[24px]"
        tabindex="-1"
        (click)="toggled.emit()"
        [attr.aria-expanded]="v.open"
        [attr.aria-label]="'Show the ' + v.ids.length + ' of ' + v.title"
      >
        <ng-icon [name]="v.open ? 'lucideChevronDown' : 'lucideChevronRight'" size="15" />
      </button>
    } @else {
      <button
        class="icon-btn !w-[24px] opacity-0 group-hover:opacity-100 group-focus-within:opacity-100 focus:opacity-100 aria-expanded:opacity-100"
        data-more
        tabindex="-1"
        [cdkMenuTriggerFor]="menu"
        [attr.aria-label]="'What can be done with ' + v.title"
      >
        <ng-icon name="lucideChevronDown" size="15" />
      </button>
    }
    <ng-template #menu><helk-dataset-menu cdkMenu [item]="r().item" /></ng-template>
  `,
})
export class LedgerRowView {
  readonly r = input.required<RowSeen>();
  readonly dense = input.required<boolean>();
  readonly picked = output<MouseEvent>();
  readonly beside = output();
  /** Its checks are to be read. */
  readonly told = output();
  readonly toggled = output();
  /** Where its square or circle stands, pixels. */
  protected readonly middle = (): number => (this.dense() ? 14 : 23);
}
