import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { dataOf, kindOf, percentOf, type Table } from '@helk/core';
import { datasetsIn } from '@helk/core/api/refs';
import { Z95 } from '@helk/core/numeric/agreement';
import { BenchStore } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { Glances } from '../state/glances';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { TableCopy } from '../parts/table-copy';
import type { CopiedTable } from '../parts/table-text';

/** Rows beneath the classes: total, user's, user's by area and its interval. */
const BENEATH = 4;
/** Columns beside the classes: total, producer's, by area, its interval, share of area, its interval. */
const BESIDE = 6;

const percent = (v: number | undefined): string => (v === undefined ? '–' : percentOf(v));

/** An error matrix: the map across, what was found down; a cell picks its places. Shares stand with their intervals of 95 %. */
@Component({
  selector: 'helk-error-matrix',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [TableCopy],
  host: { class: 'flex flex-col min-h-0 flex-1 min-w-0', 'data-testid': 'error-matrix' },
  template: `
    @if (matrix(); as m) {
      <p class="flex items-center gap-x-4 px-3 h-[32px] flex-none text-[12.5px] border-b border-line-soft">
        @for (f of m.figures; track f.label) {
          <span class="text-ink-2 whitespace-nowrap"
            >{{ f.label }} <b class="num text-ink font-[600]">{{ f.text }}</b></span
          >
        }
        <span class="flex-1"></span>
        <helk-table-copy [table]="copied" title="Map against places" testid="copy-errors" />
      </p>
      <div class="flex-1 min-h-0 overflow-auto">
        <table class="matrix text-[12px] border-collapse">
          <thead>
            <tr class="text-ink-2 align-bottom">
              <th class="px-2 py-1 text-left font-[450] whitespace-nowrap">found ↓ on the map →</th>
              @for (c of m.names; track c) {
                <th class="px-2 text-right font-[450] truncate max-w-[92px]" [title]="c">{{ c }}</th>
              }
              <th class="px-2 text-right font-[600] text-ink">total</th>
              <th class="px-2 text-right font-[450]" title="Of what is so, the share that the map calls so">
                producer’s %
              </th>
              <th class="px-2 text-right font-[450]" title="The same by area, with the interval of 95 %">by area ±</th>
              <th class="px-2 text-right font-[450]" title="Of the area, how much is so, with the interval of 95 %">
                area % ±
              </th>
            </tr>
          </thead>
          <tbody>
            @for (row of m.rows; track row.name) {
              <tr class="border-t border-line-soft h-[25px]">
                <th class="px-2 text-left font-[500] whitespace-nowrap">{{ row.name }}</th>
                @for (c of row.cells; track c.mapped) {
                  <td class="p-0">
                    <button
                      class="num w-full text-right px-2 h-[25px] hover:outline hover:outline-1 hover:outline-act"
                      [style.background]="c.shade"
                      [class.font-[600]]="c.same"
                      [class.outline]="here() === c.key"
                      [class.!outline-pick]="here() === c.key"
                      [class.text-ink-3]="!c.value"
                      [disabled]="!c.value"
                      (click)="pick(c.mapped, row.name)"
                      [attr.aria-label]="c.value + ' places mapped ' + c.mapped + ', found ' + row.name"
                    >
                      {{ c.value }}
                    </button>
                  </td>
                }
                <td class="num text-right px-2 font-[600]">{{ row.total }}</td>
                <td class="num text-right px-2">{{ row.producers }}</td>
                <td class="num text-right px-2 whitespace-nowrap">{{ row.adjusted }}</td>
                <td class="num text-right px-2 whitespace-nowrap">{{ row.area }}</td>
              </tr>
            }
            @for (b of m.beneath; track b.name; let first = $first) {
              <tr class="h-[25px] border-t" [class]="first ? 'border-line' : 'border-line-soft'">
                <th class="px-2 text-left whitespace-nowrap" [class]="first ? 'font-[600]' : 'font-[450] text-ink-2'">
                  {{ b.name }}
                </th>
                @for (v of b.values; track $index) {
                  <td class="num text-right px-2 whitespace-nowrap" [class.font-[600]]="first">{{ v }}</td>
                }
                <td class="num text-right px-2 font-[600]">{{ b.total }}</td>
                <td colspan="3"></td>
              </tr>
            }
          </tbody>
        </table>
      </div>
    } @else {
      <p class="p-4 text-ink-2">Reading …</p>
    }
  `,
})
export class ErrorMatrix {
  readonly item = input.required<DatasetItem>();
  private readonly data = inject(FeatureData);
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly picks = inject(Picks);
  private readonly glances = inject(Glances);
  protected readonly here = signal('');
  private readonly table = computed((): Table | null => dataOf('table', this.data.now(this.item().id)));
  private readonly run = computed(() => this.store.madeBy(this.item()));

  protected readonly matrix = computed(() => {
    const t = this.table();
    if (!t) return null;
    const labels = t.columns[0]!.values as string[];
    const names = labels.slice(0, labels.length - BENEATH);
    const k = names.length;
    const classes = t.columns.slice(1, 1 + k);
    const [total, producers, adjusted, adjustedBy, area, areaBy] = t.columns
      .slice(1 + k, 1 + k + BESIDE)
      .map((c) => c.values as Float64Array) as Float64Array[];
    const at = (c: number, r: number): number => classes[c]!.values[r] as number;
    const figures = this.run()?.figures ?? {};
    const number = (name: string): number => Number(figures[name] ?? NaN);
    const most = Math.max(1, ...names.flatMap((_, c) => names.map((_n, r) => (c === r ? 0 : at(c, r)))));
    const shade = (c: number, r: number): string => {
      const v = at(c, r);
      if (!v) return 'transparent';
      return c === r
        ? 'var(--fine-soft)'
        : `color-mix(in srgb, var(--look) ${Math.round(8 + (42 * v) / most)}%, transparent)`;
    };
    const with95 = (v: number | undefined, by: number | undefined): string =>
      v === undefined || v !== v ? '–' : `${percent(v)} ± ${percent(by)}`;
    return {
      names,
      figures: [
        { label: 'places', text: String(number('n')) },
        { label: 'right', text: `${percent(number('overall'))} %` },
        { label: 'kappa', text: number('kappa').toFixed(3) },
        {
          label: 'right, by area',
          text: `${percent(number('overallAdjusted'))} ± ${percent(Z95 * number('overallAdjustedError'))} %`,
        },
      ],
      rows: names.map((name, r) => ({
        name,
        cells: names.map((mapped, c) => ({
          mapped,
          key: `${mapped}>${name}`,
          value: at(c, r),
          same: c === r,
          shade: shade(c, r),
        })),
        total: total![r],
        producers: percent(producers![r]),
        adjusted: with95(adjusted![r], adjustedBy![r]),
        area: with95(area![r], areaBy![r]),
      })),
      beneath: [
        { name: 'total', values: names.map((_, c) => String(at(c, k))), total: String(total![k]) },
        { name: 'user’s %', values: names.map((_, c) => percent(at(c, k + 1))), total: '' },
        { name: 'by area ±', values: names.map((_, c) => with95(at(c, k + 2), at(c, k + 3))), total: '' },
      ],
    };
  });

  /** Picks the places of a cell among those that were looked at. */
  protected async pick(mapped: string, found: string): Promise<void> {
    this.here.set(`${mapped}>${found}`);
    const run = this.run();
    const [classes] = datasetsIn({ of: run?.inputs['classes'] ?? [] });
    const [reference] = datasetsIn({ of: run?.inputs['reference'] ?? [] });
    const places = this.store.datasetEntityMap()[reference ?? ''];
    if (!run || !classes || !places || !this.store.datasetEntityMap()[classes]) {
      this.store.notify('The map or the places of this matrix are no longer there.', 'refused');
      return;
    }
    const params = { classColumn: String(run.params['classColumn']), mapped, found };
    const got = await this.store.guarded(() =>
      this.glances.ask<{ rows: number[] }>('imagery.matrixPlaces', { classes, reference: places.id }, params),
    );
    if (!got) return;
    const rows = new Uint8Array(kindOf(places.info).rows!(places.info).count);
    for (const r of got.rows) rows[r] = 1;
    this.picks.pick(places.id, rows, 'replace');
    if (!this.bench.panes().some((p) => p.layers.some((l) => l.dataset === places.id))) {
      const selected = this.bench.selected();
      this.bench.show(places.id, this.bench.activePane(), true);
      this.bench.select(selected);
    }
  }

  protected readonly copied = (): CopiedTable => {
    const t = this.table()!;
    const head = ['found \\ on the map', ...t.columns.slice(1).map((c) => c.name)];
    const rows = (t.columns[0]!.values as string[]).map((name, r) => [
      name,
      ...t.columns.slice(1).map((c) => c.values[r] as number),
    ]);
    return [head, ...rows];
  };
}
