import { ChangeDetectionStrategy, Component, inject, input, output } from '@angular/core';
import { Said } from '../parts/said';
import { BenchStore } from '../state/bench.store';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** What checks have to say of a dataset, each with its mend. */
@Component({
  selector: 'helk-dataset-checks',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Said],
  host: { class: 'grid grid-cols-1 gap-1' },
  template: `
    @for (c of item().checks; track $index) {
      <div class="check" [class]="'check-' + c.level">
        <helk-said [text]="c.message" />
        @if (c.mend?.run; as r) {
          <button class="link block" (click)="mend(r.method, r.role, r.params)">{{ c.mend!.label }}</button>
        } @else if (!about() && (c.code === 'crs.missing' || c.code === 'crs.implausible')) {
          <button class="link block" (click)="system.emit()">Say which it is</button>
        } @else if (c.code === 'table.noCoordinates') {
          <button class="link block" (click)="place()">Place its rows</button>
        }
      </div>
    }
  `,
})
export class DatasetChecks {
  readonly item = input.required<DatasetItem>();
  /** Whether all of the dataset can be said right here. */
  readonly about = input(false);
  /** A sheet was opened. */
  readonly left = output();
  /** Its system is to be said. */
  readonly system = output();
  private readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);

  protected mend(method: string, role: string, params: Record<string, unknown> = {}): void {
    this.bench.openSheet(method, { [role]: [this.item().id] }, params);
    this.left.emit();
  }

  protected place(): void {
    const method = this.store.serving().get('place rows');
    if (method) this.mend(method.id, Object.keys(method.inputs)[0]!);
  }
}
