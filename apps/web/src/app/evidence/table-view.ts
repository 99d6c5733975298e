import { Clipboard } from '@angular/cdk/clipboard';
import { CdkFixedSizeVirtualScroll, CdkVirtualForOf, CdkVirtualScrollViewport } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { displayUnit, formatNumber, valueOf, type Features, type Table } from '@helk/core';
import { Api, sentence } from '../api/api';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** Columns of a table or of features, row by row. */
@Component({
  selector: 'helk-table-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CdkVirtualScrollViewport, CdkFixedSizeVirtualScroll, CdkVirtualForOf],
  host: { class: 'block overflow-x-auto' },
  template: `
    @if (data(); as d) {
      <div class="h-full flex flex-col min-w-max">
        <div class="flex flex-none text-[12px] text-ink-2 border-b border-line-soft h-[28px] items-center">
          <span class="w-14 px-3 num text-right">no.</span>
          @for (c of d.columns; track c.name) {
            <span class="w-32 px-3 truncate" [class.text-right]="c.type === 'number'" [title]="c.name"
              >{{ c.name }}{{ c.unit ? ', ' + unit(c.unit) : '' }}</span
            >
          }
          <button class="link px-3" (click)="copy()">Copy</button>
        </div>
        <cdk-virtual-scroll-viewport itemSize="26" class="flex-1 min-h-0">
          <div *cdkVirtualFor="let i of rows()" class="flex h-[26px] items-center border-b border-line-soft">
            <span class="w-14 px-3 num text-right text-ink-3">{{ i + 1 }}</span>
            @for (c of d.columns; track c.name) {
              <span class="w-32 px-3 truncate" [class]="c.type === 'number' ? 'num text-right' : 'text-[12.5px]'">{{
                cell(c, i)
              }}</span>
            }
          </div>
        </cdk-virtual-scroll-viewport>
      </div>
    } @else {
      <p class="p-4 text-ink-2">{{ failed() ?? 'Reading …' }}</p>
    }
  `,
})
export class TableView {
  readonly item = input.required<DatasetItem>();
  private readonly api = inject(Api);
  private readonly store = inject(ProjectStore);
  private readonly clipboard = inject(Clipboard);
  protected readonly data = signal<Features | Table | null>(null);
  protected readonly failed = signal<string | null>(null);
  protected readonly unit = displayUnit;
  protected readonly rows = computed(() => {
    const i = this.item().info;
    return Array.from({ length: i.kind === 'table' ? i.rows : i.kind === 'features' ? i.count : 0 }, (_, k) => k);
  });

  constructor() {
    effect(() => {
      const id = this.item().id;
      const project = this.store.project()?.id;
      this.data.set(null);
      if (!project || this.item().kind === 'raster') return;
      this.api.features(project, id).then(
        (d) => this.item().id === id && this.data.set(d),
        (e: unknown) => this.failed.set(sentence(e)),
      );
    });
  }

  protected cell(c: Features['columns'][number], i: number): string {
    const v = valueOf(c, i);
    return v === null ? '–' : typeof v === 'number' ? formatNumber(v) : String(v);
  }

  protected copy(): void {
    const d = this.data();
    if (!d) return;
    const lines = [
      d.columns.map((c) => (c.unit ? `${c.name} [${c.unit}]` : c.name)),
      ...this.rows().map((i) => d.columns.map((c) => String(valueOf(c, i) ?? ''))),
    ];
    this.clipboard.copy(lines.map((l) => l.join('\t')).join('\n'));
    this.store.notify(`Copied ${this.rows().length} ${this.rows().length === 1 ? 'row' : 'rows'}.`);
  }
}
