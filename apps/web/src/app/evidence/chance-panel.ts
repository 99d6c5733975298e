import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { dataOf, type Table } from '@helk/core';
import { FeatureData } from '../state/feature-data';
import type { DatasetItem } from '../state/project.store';
import { ChanceChart } from './chance-chart';

/** Draws of a measure as a run keeps them: the observed value first, at draw 0. */
export function chanceOf(t: Table | null): { observed: number; draws: Float64Array; measure: string } | null {
  const c = t?.columns[1];
  if (!c || t.columns[0]?.name !== 'draw' || !(c.values instanceof Float64Array) || c.values.length < 2) return null;
  return { observed: c.values[0]!, draws: c.values.slice(1), measure: c.name === 'i' ? 'I' : c.name };
}

/** What shuffling alone makes of a measure. */
@Component({
  selector: 'helk-chance-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChanceChart],
  host: { class: 'flex flex-1 min-w-0 min-h-0 p-3', 'data-testid': 'chance' },
  template: `
    @if (chance(); as c) {
      <helk-chance-chart class="flex-1" [observed]="c.observed" [draws]="c.draws" [measure]="c.measure" />
    } @else {
      <p class="text-ink-2">Reading …</p>
    }
  `,
})
export class ChancePanel {
  readonly item = input.required<DatasetItem>();
  private readonly data = inject(FeatureData);
  protected readonly chance = computed(() => chanceOf(dataOf('table', this.data.now(this.item().id))));
}
