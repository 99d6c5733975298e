import { Clipboard } from '@angular/cdk/clipboard';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { cellArea, formatNumber, type RasterInfo, type Scale } from '@helk/core';
import { ProjectStore } from '../state/project.store';

/** Classes of a raster with their cells, area and share. */
@Component({
  selector: 'helk-class-table',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block overflow-auto' },
  template: `
    <table class="w-full text-[12.5px]">
      <thead class="text-left text-ink-2">
        <tr>
          <th class="font-[450] px-3 py-1" colspan="2">Class</th>
          <th class="font-[450] text-right px-2">Cells</th>
          <th class="font-[450] text-right px-2">{{ rows().unit }}</th>
          <th class="font-[450] px-2 w-[34%]">Share</th>
          <th class="text-right pr-3"><button class="link" (click)="copy()">Copy</button></th>
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
  readonly info = input.required<RasterInfo>();
  readonly band = input(0);
  readonly classes = input.required<NonNullable<Scale['classes']>>();
  private readonly clipboard = inject(Clipboard);
  private readonly store = inject(ProjectStore);
  protected readonly rows = computed(() => {
    const { grid, bands } = this.info();
    const values = bands[this.band()]!.facts?.values ?? [];
    const total = values.reduce((s, v) => s + v.cells, 0) || 1;
    // Cells of a geographic grid differ a little from row to row; the middle row stands for all.
    const cell = cellArea(grid, grid.rows >> 1);
    const wide = total * cell > 1e8;
    const list = this.classes().map((c) => {
      const cells = values.find((v) => v.value === c.value)?.cells ?? 0;
      return {
        ...c,
        label: c.label === String(c.value) ? '' : c.label,
        count: cells,
        cells: formatNumber(cells),
        area: formatNumber((cells * cell) / (wide ? 1e6 : 1e4), 10),
        size: (cells * cell) / (wide ? 1e6 : 1e4),
        share: (100 * cells) / total,
        percent: ((100 * cells) / total).toFixed(1),
      };
    });
    return { unit: wide ? 'km²' : 'ha', list };
  });

  protected copy(): void {
    const { unit, list } = this.rows();
    const lines = [
      ['class', 'name', 'cells', unit, '%'],
      ...list.map((r) => [r.value, r.label, r.count, r.size, r.share]),
    ];
    this.clipboard.copy(lines.map((l) => l.join('\t')).join('\n'));
    this.store.notify(`Copied ${list.length} classes.`);
  }
}
