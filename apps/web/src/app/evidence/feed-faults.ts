import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { ofKind, plural } from '@helk/core';
import type { DatasetItem } from '../state/project.store';

/** What a timetable has that its specification does not allow, by file and row. */
@Component({
  selector: 'helk-feed-faults',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block flex-1 min-w-0 overflow-auto', 'data-testid': 'feed-faults' },
  template: `
    <p class="px-3.5 py-1.5 text-[12.5px] text-ink-2">{{ told() }}</p>
    <table class="w-full text-[12.5px]">
      <tbody>
        @for (f of faults(); track $index) {
          <tr class="border-t border-line-soft h-[28px]">
            <td class="num pl-3.5 w-[1%] whitespace-nowrap">{{ f.file }}.txt</td>
            <td class="num text-right px-3 w-[70px] text-ink-2">{{ f.row === null ? '' : 'row ' + f.row }}</td>
            <td class="num px-3 w-[1%] whitespace-nowrap text-ink-2">{{ f.column ?? '' }}</td>
            <td class="px-3" [class.text-look]="f.level === 'error'">{{ f.message }}</td>
          </tr>
        }
      </tbody>
    </table>
  `,
})
export class FeedFaults {
  readonly item = input.required<DatasetItem>();
  private readonly all = computed(() => ofKind('timetable', this.item().info)?.faults);
  protected readonly faults = computed(() => this.all()?.told ?? []);
  protected readonly told = computed(() => {
    const a = this.all();
    if (!a) return '';
    const odd = a.count - a.errors;
    return `${plural(a.errors, 'fault')} in what cannot be used and is left out of every search${odd ? `, ${odd} in what is only odd` : ''}${a.told.length < a.count ? `; the first ${a.told.length} are listed` : ''}. Row 1 has the names of the columns.`;
  });
}
