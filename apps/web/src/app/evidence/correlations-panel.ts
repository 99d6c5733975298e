import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { dataOf, formatNumber, type Table } from '@helk/core';
import { BenchStore } from '../state/bench.store';
import { ChartAsked } from '../state/chart-asked';
import { FeatureData } from '../state/feature-data';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { LEVELS, starsOf } from './levels';
import { TableCopy } from '../parts/table-copy';
import type { CopiedTable } from '../parts/table-text';

interface Cell {
  r: number;
  p: number;
  n: number;
}

/** Correlations as a matrix; a cell opens the scatter of its two columns. */
@Component({
  selector: 'helk-correlations-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [TableCopy],
  host: { class: 'flex flex-col flex-1 min-w-0 min-h-0', 'data-testid': 'correlations' },
  template: `
    @if (matrix(); as m) {
      <div class="flex items-baseline gap-3 px-3.5 pt-1.5 text-[12px] flex-none">
        <span class="text-ink-2 flex-1 truncate">{{ said() }}</span>
        <helk-table-copy [table]="copied" title="Correlations" testid="copy-correlations" />
      </div>
      <div class="flex-1 min-h-0 overflow-auto px-3.5 pb-2">
        <table class="matrix border-separate border-spacing-[2px] text-[12px]">
          <thead>
            <tr>
              <th></th>
              @for (c of m.names; track c) {
                <th class="font-[450] text-ink-2 px-1 max-w-[96px] truncate text-right" [title]="c">{{ c }}</th>
              }
            </tr>
          </thead>
          <tbody>
            @for (row of m.rows; track row.name) {
              <tr>
                <th class="text-left font-[450] text-ink-2 pr-2 max-w-[180px] truncate" [title]="row.name">
                  {{ row.name }}
                </th>
                @for (c of row.cells; track c.name) {
                  <td class="p-0">
                    @if (c.cell; as v) {
                      <button
                        class="num w-full min-w-[60px] h-[26px] px-1 text-right rounded-[2px] hover:outline hover:outline-1 hover:outline-act"
                        [style.background]="c.shade"
                        [style.color]="c.ink"
                        [class.!outline]="here() === c.key"
                        [class.!outline-pick]="here() === c.key"
                        (click)="open(row.name, c.name)"
                        [title]="
                          row.name +
                          ' and ' +
                          c.name +
                          ': ' +
                          c.text +
                          ', p ' +
                          c.p +
                          ', ' +
                          v.n +
                          ' rows; opens the scatter'
                        "
                        [attr.data-testid]="'pair-' + row.name + '-' + c.name"
                      >
                        {{ c.text }}<sup class="inline-block w-[18px] text-left">{{ c.stars }}</sup>
                      </button>
                    } @else {
                      <span class="block h-[26px] min-w-[60px] rounded-[2px] bg-line-soft/40"></span>
                    }
                  </td>
                }
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
export class CorrelationsPanel {
  readonly item = input.required<DatasetItem>();
  private readonly data = inject(FeatureData);
  private readonly bench = inject(BenchStore);
  private readonly project = inject(ProjectStore);
  private readonly asked = inject(ChartAsked);
  protected readonly here = signal('');

  private readonly run = computed(() => this.project.madeBy(this.item()));
  protected readonly said = computed(() => {
    const how = String(this.run()?.params['method'] ?? 'pearson');
    const words: Record<string, string> = {
      pearson: 'Pearson’s r',
      spearman: 'Spearman’s rank correlation',
      kendall: 'Kendall’s tau-b',
    };
    return `${words[how] ?? how}; ${LEVELS}. A cell opens the scatter.`;
  });
  protected readonly matrix = computed(() => {
    const t = dataOf('table', this.data.now(this.item().id));
    if (!t) return null;
    const { names, cell } = pairsOf(t);
    return {
      names,
      rows: names.map((name) => ({
        name,
        cells: names.map((other) => {
          const v = name === other ? null : cell(name, other);
          return {
            name: other,
            key: `${name}\n${other}`,
            cell: v,
            text: v && v.r === v.r ? v.r.toFixed(2).replace('-', '−') : '–',
            p: v && v.p === v.p ? (v.p < 0.001 ? '< 0.001' : v.p.toFixed(3)) : 'not known',
            stars: v ? starsOf(v.p) : '',
            shade: v && v.r === v.r ? shadeOf(v.r) : 'transparent',
            ink: v && Math.abs(v.r) > 0.62 ? '#fcfaf5' : 'inherit',
          };
        }),
      })),
    };
  });

  protected open(y: string, x: string): void {
    this.here.set(`${y}\n${x}`);
    const source = this.run()?.inputs['data']?.[0];
    const d = source ? this.project.datasetEntityMap()[source.split('#')[0]!] : undefined;
    if (!d) {
      this.project.notify('The rows that these were worked out from are not in the project any more.', 'refused');
      return;
    }
    this.asked.ask(d.id, y, x);
    this.bench.showPanel(d.id, 'charts');
    // The matrix goes on being read.
    this.bench.select(this.item().id);
  }

  protected readonly copied = (): CopiedTable => {
    const m = this.matrix();
    if (!m) return [];
    const value = (text: string): string | number => {
      const v = Number(text.replace('−', '-'));
      return v === v && text.trim() ? v : text;
    };
    return [['', ...m.names], ...m.rows.map((r) => [r.name, ...r.cells.map((c) => (c.cell ? value(c.text) : 1))])];
  };
}

/** Columns in their first order, and what stands for two of them in either order. */
function pairsOf(t: Table): { names: string[]; cell: (a: string, b: string) => Cell | null } {
  const [a, b, r, p, n] = t.columns;
  const names: string[] = [];
  const cells = new Map<string, Cell>();
  for (let i = 0; i < a!.values.length; i++) {
    const [u, v] = [(a!.values as string[])[i]!, (b!.values as string[])[i]!];
    for (const name of [u, v]) if (!names.includes(name)) names.push(name);
    const c = { r: r!.values[i] as number, p: p!.values[i] as number, n: n!.values[i] as number };
    cells.set(`${u}\n${v}`, c);
    cells.set(`${v}\n${u}`, c);
  }
  return { names, cell: (u, v) => cells.get(`${u}\n${v}`) ?? null };
}

/** Kind by hue, strength by how much of it. */
const shadeOf = (r: number): string =>
  `color-mix(in oklab, ${r < 0 ? '#2f6f5e' : '#6d2f5c'} ${formatNumber(Math.round(88 * Math.abs(r)))}%, var(--leaf))`;
