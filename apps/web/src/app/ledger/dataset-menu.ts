import { CdkMenuItem } from '@angular/cdk/menu';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { kindOf } from '@helk/core';
import { clientKind } from '../kinds';
import { BenchStore } from '../state/bench.store';
import { Desk } from '../state/desk';
import { Judge } from '../state/judge';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Reports } from '../state/reports';
import { threadsOf } from '../state/threads';
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
  private readonly reports = inject(Reports);

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
            { label: 'A report of it', do: () => void this.reports.of([d.id]) },
          ]
        : []),
      ...(d.source && this.thread(d).some((x) => !x.source)
        ? [{ label: 'A report of its thread', do: () => this.tell(d) }]
        : []),
      { label: 'Ask something of it', do: () => this.bench.set({ selected: d.id, askOpen: true }) },
      { label: 'Save as a file', rule: true, do: () => void this.card.open(d.id, 'save') },
      { label: 'Name it', do: () => void this.card.open(d.id, 'name') },
      { label: 'About it, and a note', do: () => void this.card.open(d.id, 'note') },
      { label: 'Remove', no: true, rule: true, do: () => void this.project.removeDatasets([d.id]) },
    ];
  });

  /** All that stands in the thread of a dataset. */
  private thread(d: DatasetItem): DatasetItem[] {
    const threads = threadsOf(this.project.datasetEntities(), this.project.runEntityMap());
    const own = threads.find((t) => t.rows.some((r) => r.items.some((x) => x.id === d.id)));
    return own?.rows.flatMap((r) => r.items) ?? [];
  }

  private tell(d: DatasetItem): void {
    const results = this.thread(d).filter((x) => !x.source);
    void this.reports.of(
      results.map((x) => x.id),
      d.thread ?? d.name,
    );
  }
}
