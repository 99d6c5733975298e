import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { cellArea, dataOf, formatNumber, percentOf, type RasterInfo, type Scale } from '@helk/core';
import { FeatureData } from '../state/feature-data';
import { ProjectStore } from '../state/project.store';
import { TableCopy } from '../parts/table-copy';
import type { CopiedTable } from '../parts/table-text';

/** Classes of a raster with their cells, area and share. */
@Component({
  selector: 'helk-class-table',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [TableCopy],
  host: { class: 'block overflow-auto' },
  template: `
    <table class="w-full text-[12.5px]">
      <thead class="text-left text-ink-2">
        <tr>
          <th class="font-[450] px-3 py-1" colspan="2">Class</th>
          <th class="font-[450] text-right px-2">Cells</th>
          <th class="font-[450] text-right px-2">{{ rows().unit }}</th>
          @if (checked()) {
            <th
              class="font-[450] text-right px-2"
              title="Area that each class really has, by the places that were checked, with the interval of 95 %"
            >
              {{ rows().unit }} by places checked
            </th>
          }
          <th class="font-[450] px-2 w-[34%]">Share</th>
          <th class="text-right pr-3">
            <helk-table-copy [table]="copied" title="Area by class" testid="copy-classes" />
          </th>
        </tr>
      </thead>
      <tbody>
        @for (r of rows().list; track r.value) {
          <tr class="border-t border-line-soft h-[26px]">
            <td class="pl-3 w-9"><span class="block w-5 h-3 rounded-[2px]" [style.background]="r.colour"></span></td>
            <td class="pr-2">
              <span class="num text-ink-2 mr-1.5">{{ r.value }}</span>{{ r.label }}
            </td>
            <td class="num text-right px-2">{{ r.cells }}</td>
            <td class="num text-right px-2">{{ r.area }}</td>
            @if (checked()) {
              <td class="num text-right px-2 whitespace-nowrap" data-testid="interval">{{ r.adjusted }}</td>
            }
            <td class="px-2" colspan="2">
              <span class="flex items-center gap-2"
                ><span class="h-2 rounded-[1px]" [style.width.%]="r.share * 0.7" [style.background]="r.colour"></span
                ><span class="num">{{ r.percent }} %</span></span
              >
            </td>
          </tr>
        }
      </tbody>
    </table>
  `,
})
export class ClassTable {
  readonly dataset = input.required<string>();
  readonly info = input.required<RasterInfo>();
  readonly band = input(0);
  readonly classes = input.required<NonNullable<Scale['classes']>>();
  private readonly data = inject(FeatureData);
  private readonly store = inject(ProjectStore);
  /** Shares of the area by the last accuracy that was worked out for the classes, each with its interval. */
  protected readonly checked = computed((): ReadonlyMap<string, [number, number]> | null => {
    const judge = this.store.serving().get('judge a map');
    const role = judge && Object.keys(judge.inputs)[0]!;
    const run = this.store
      .runEntities()
      .filter((r) => r.method === judge?.id && r.state === 'done' && r.inputs[role!]?.[0] === this.dataset())
      .sort((a, b) => (a.createdAt < b.createdAt ? 1 : -1))[0];
    const matrix = run?.outputs.find((id) => this.store.datasetEntityMap()[id]?.role === 'matrix');
    const t = matrix ? dataOf('table', this.data.now(matrix)) : null;
    const column = (name: string) => t?.columns.find((c) => c.name === name)?.values as Float64Array | undefined;
    const [share, by] = [column('share of area'), column('± share of area')];
    if (!t || !share || !by) return null;
    const names = t.columns[0]!.values as string[];
    return new Map(names.flatMap((n, i) => (by[i] === by[i] ? [[n, [share[i]!, by[i]!]] as const] : [])));
  });
  protected readonly rows = computed(() => {
    const { grid, bands } = this.info();
    const values = bands[this.band()]!.facts?.values ?? [];
    const total = values.reduce((s, v) => s + v.cells, 0) || 1;
    // Cells of a geographic grid differ a little from row to row; the middle row stands for all.
    const cell = cellArea(grid, grid.rows >> 1);
    const wide = total * cell > 1e8;
    const whole = (total * cell) / (wide ? 1e6 : 1e4);
    const list = this.classes().map((c) => {
      const found = this.checked()?.get(c.label);
      const cells = values.find((v) => v.value === c.value)?.cells ?? 0;
      return {
        ...c,
        label: c.label === String(c.value) ? '' : c.label,
        count: cells,
        cells: formatNumber(cells),
        area: formatNumber((cells * cell) / (wide ? 1e6 : 1e4), 10),
        interval: found ? found.map((v) => v * whole) : null,
        adjusted: found ? `${formatNumber(found[0] * whole, 10)} ± ${formatNumber(found[1] * whole, 10)}` : '–',
        size: (cells * cell) / (wide ? 1e6 : 1e4),
        share: (100 * cells) / total,
        percent: percentOf(cells / total),
      };
    });
    return { unit: wide ? 'km²' : 'ha', list };
  });

  protected readonly copied = (): CopiedTable => {
    const { unit, list } = this.rows();
    return [
      ['class', 'name', 'cells', unit, '%', ...(this.checked() ? [`${unit} by places checked`, '±'] : [])],
      ...list.map((r) => [r.value, r.label, r.count, r.size, r.share, ...(r.interval ?? [])]),
    ];
  };
}
