import { CdkMenuItem } from '@angular/cdk/menu';
import { Dialog } from '@angular/cdk/dialog';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { BenchStore } from '../state/bench.store';
import { Judge } from '../state/judge';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { DatasetCard } from './dataset-card';

/** What can be done with one dataset. */
@Component({
  selector: 'helk-dataset-menu',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CdkMenuItem],
  host: { class: 'popover block py-1 w-[220px] text-[13px]' },
  template: `
    @for (a of actions(); track a.label) {
      <button
        cdkMenuItem
        class="block w-full text-left px-3 h-[30px] hover:bg-act-soft focus:bg-act-soft outline-none"
        [class.border-t]="a.rule"
        [class.border-line-soft]="a.rule"
        [class.text-no]="a.no"
        (cdkMenuItemTriggered)="a.do()"
      >
        {{ a.label }}
      </button>
    }
  `,
})
export class DatasetMenu {
  readonly item = input.required<DatasetItem>();
  private readonly bench = inject(BenchStore);
  private readonly project = inject(ProjectStore);
  private readonly dialog = inject(Dialog);
  private readonly judge = inject(Judge);

  protected readonly actions = computed((): { label: string; do: () => void; rule?: boolean; no?: boolean }[] => {
    const d = this.item();
    const map = d.kind !== 'table';
    const made = d.runId && this.project.runEntityMap()[d.runId]?.method !== 'import';
    return [
      ...(map
        ? [
            { label: 'Open beside', do: () => this.bench.showBeside(d.id) },
            { label: 'Add on top of this pane', do: () => this.bench.show(d.id, this.bench.activePane(), true) },
          ]
        : []),
      ...(this.judge.siblings(d).length > 1
        ? [{ label: 'Hold against the other estimates', do: () => this.judge.hold(d) }]
        : []),
      ...(made ? [{ label: 'Vary its run', do: () => this.bench.vary(d.id) }] : []),
      { label: 'Ask something of it', do: () => this.bench.set({ selected: d.id, askOpen: true }) },
      {
        label: 'About, rename, save as a file',
        rule: true,
        do: () => void this.dialog.open(DatasetCard, { data: d.id }),
      },
      { label: 'Remove', no: true, rule: true, do: () => void this.project.deleteDataset(d.id) },
    ];
  });
}
