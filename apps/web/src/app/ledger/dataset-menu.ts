import { CdkMenuItem } from '@angular/cdk/menu';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { kindOf } from '@helk/core';
import { clientKind } from '../kinds';
import { BenchStore } from '../state/bench.store';
import { Desk } from '../state/desk';
import { Judge } from '../state/judge';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { worksOf } from '../work/works';
import { Card } from './card';

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
        class="menu-row"
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
  private readonly card = inject(Card);
  private readonly judge = inject(Judge);
  private readonly desk = inject(Desk);

  protected readonly actions = computed((): { label: string; do: () => void; rule?: boolean; no?: boolean }[] => {
    const d = this.item();
    const map = clientKind(d.info).goes !== 'evidence';
    const made = d.runId !== null && this.project.madeBy(d)?.method !== 'import';
    return [
      ...(map
        ? [
            { label: 'Open beside', do: () => this.bench.showBeside(d.id) },
            { label: 'Add on top of this pane', do: () => this.bench.show(d.id, this.bench.activePane(), true) },
          ]
        : []),
      ...(kindOf(d.info).rows ? [{ label: 'Its table in a pane', do: () => this.bench.showPanel(d.id, 'table') }] : []),
      ...(this.judge.siblings(d).length > 1
        ? [{ label: 'Hold against the other estimates', do: () => this.judge.hold(d) }]
        : []),
      ...worksOf(d).map((w) => ({ label: w.does, do: () => this.bench.openWork(w.id, d.id) })),
      ...(made
        ? [
            { label: 'Vary its run', do: () => this.bench.vary(d.id) },
            { label: 'How this was made', do: () => this.desk.lay({ what: 'made', ids: [d.id] }) },
          ]
        : []),
      { label: 'Ask something of it', do: () => this.bench.set({ selected: d.id, askOpen: true }) },
      {
        label: 'About, rename, save as a file',
        rule: true,
        do: () => void this.card.open(d.id),
      },
      { label: 'Remove', no: true, rule: true, do: () => void this.project.deleteDataset(d.id) },
    ];
  });
}
