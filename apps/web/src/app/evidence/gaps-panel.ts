import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { formatNumber, ofKind } from '@helk/core';
import type { DatasetItem } from '../state/project.store';
import { Steps } from './steps';

/** Holes inside the data, the largest first, each to be gone to. */
@Component({
  selector: 'helk-gaps-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block flex-1 min-w-0 overflow-auto' },
  template: `
    <table class="w-full text-[12.5px]">
      <thead class="text-left text-ink-2">
        <tr>
          <th class="font-[450] px-3 py-1">Hole</th>
          @if (several()) {
            <th class="font-[450]">Band</th>
          }
          <th class="font-[450] text-right">Missing cells</th>
          <th class="font-[450] text-right">Columns × rows</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        @for (g of holes(); track $index) {
          <tr class="border-t border-line-soft">
            <td class="num px-3 h-[28px]">{{ $index + 1 }}</td>
            @if (several()) {
              <td>{{ g.band }}</td>
            }
            <td class="num text-right">{{ number(g.cells) }}</td>
            <td class="num text-right">{{ g.columns }} × {{ g.rows }}</td>
            <td class="text-right pr-3">
              <button class="link" (click)="steps.go(item(), g.column, g.row, g.columns, g.rows)">Go there</button>
            </td>
          </tr>
        }
      </tbody>
    </table>
  `,
})
export class GapsPanel {
  readonly item = input.required<DatasetItem>();
  protected readonly steps = inject(Steps);
  protected readonly number = (v: number): string => formatNumber(v);
  private readonly bands = computed(() => ofKind('raster', this.item().info)?.bands ?? []);
  protected readonly several = computed(() => this.bands().length > 1);
  protected readonly holes = computed(() =>
    this.bands().flatMap((b) => (b.facts?.gapBoxes ?? []).map((g) => ({ ...g, band: b.name }))),
  );
}
