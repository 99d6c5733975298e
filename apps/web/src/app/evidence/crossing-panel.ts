import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { dataOf, formatNumber, type VectorStyle } from '@helk/core';
import { FeatureData } from '../state/feature-data';
import { Looks } from '../state/looks';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { TableCopy } from '../parts/table-copy';
import type { CopiedTable } from '../parts/table-text';

/** Which class became which, as counts of features; a cell picks its features on the map beside. */
@Component({
  selector: 'helk-crossing-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [TableCopy],
  host: { class: 'flex flex-1 min-w-0 min-h-0 overflow-auto px-3.5', 'data-testid': 'crossing' },
  template: `
    @if (matrix(); as m) {
      <table class="matrix text-[12px] border-collapse self-start">
        <thead>
          <tr class="text-ink-2">
            <th class="pr-3 text-left font-[450] whitespace-nowrap" [title]="names().join(' → ')">
              before ↓ after →
              <helk-table-copy class="ml-2" [table]="copied" title="Before and after" testid="copy-crossing" />
            </th>
            @for (c of m.to; track c) {
              <th class="px-2 text-right font-[450] whitespace-nowrap">{{ c }}</th>
            }
            <th class="px-2 text-right font-[600] text-ink">total</th>
          </tr>
        </thead>
        <tbody>
          @for (row of m.rows; track row.from) {
            <tr class="border-t border-line-soft h-[26px]">
              <th class="pr-3 text-left font-[500] whitespace-nowrap">{{ row.from }}</th>
              @for (c of row.cells; track c.to) {
                <td class="p-0">
                  <button
                    class="num w-full text-right px-2 h-[26px] hover:outline hover:outline-1 hover:outline-act disabled:text-ink-3"
                    [class.font-[600]]="c.to === row.from"
                    [style.background]="c.shade"
                    [class.!outline]="here() === c.key"
                    [class.!outline-pick]="here() === c.key"
                    [disabled]="!c.count"
                    (click)="pick(row.from, c.to)"
                    [attr.aria-label]="row.from + ' to ' + c.to + ', ' + c.count"
                    [attr.data-testid]="'cross-' + row.from + '-' + c.to"
                  >
                    {{ c.count || '·' }}
                  </button>
                </td>
              }
              <td class="num text-right px-2 font-[600]">{{ row.total }}</td>
            </tr>
          }
          <tr class="border-t border-line h-[26px]">
            <th class="pr-3 text-left font-[600]">total</th>
            @for (t of m.totals; track $index) {
              <td class="num text-right px-2 font-[600]">{{ t }}</td>
            }
            <td class="num text-right px-2 font-[600]">{{ m.total }}</td>
          </tr>
        </tbody>
      </table>
      <dl class="ml-6 grid grid-cols-[auto_auto] gap-x-3 gap-y-0.5 text-[12.5px] content-start">
        @for (f of told(); track f.name) {
          <dt class="text-ink-2 flex items-center gap-1.5">
            <span class="w-3 h-3 rounded-[2px] border border-line" [style.background]="f.colour"></span>{{ f.name }}
          </dt>
          <dd class="num text-right">{{ f.value }}</dd>
        }
      </dl>
    } @else {
      <p class="text-ink-2">Reading …</p>
    }
  `,
})
export class CrossingPanel {
  readonly item = input.required<DatasetItem>();
  private readonly data = inject(FeatureData);
  private readonly picks = inject(Picks);
  private readonly looks = inject(Looks);
  private readonly project = inject(ProjectStore);
  protected readonly here = signal('');

  private readonly run = computed(() => this.project.madeBy(this.item()));
  protected readonly names = computed(() =>
    ['a', 'b'].map((role) => this.project.datasetEntityMap()[this.run()?.inputs[role]?.[0] ?? '']?.name ?? 'removed'),
  );
  private readonly changes = computed(() =>
    this.project
      .datasetEntities()
      .find((d) => d.runId === this.item().runId && d.role === this.looks.shows(this.item())?.panel?.of),
  );
  protected readonly matrix = computed(() => {
    const t = dataOf('table', this.data.now(this.item().id));
    if (!t) return null;
    const from = t.columns[0]!.values as string[];
    const to = t.columns.slice(1);
    const at = (r: number, c: number): number => to[c]!.values[r] as number;
    const most = Math.max(1, ...from.flatMap((_, r) => to.map((_c, c) => at(r, c))));
    const sum = (all: number[]): number => all.reduce((s, v) => s + v, 0);
    return {
      to: to.map((c) => c.name),
      rows: from.map((name, r) => ({
        from: name,
        total: sum(to.map((_, c) => at(r, c))),
        cells: to.map((c, k) => ({
          to: c.name,
          key: `${name}\n${c.name}`,
          count: at(r, k),
          shade: at(r, k)
            ? `color-mix(in oklab, var(--act) ${Math.round(6 + (30 * at(r, k)) / most)}%, var(--leaf))`
            : '',
        })),
      })),
      totals: to.map((_, c) => sum(from.map((_n, r) => at(r, c)))),
      total: sum(from.flatMap((_, r) => to.map((_c, c) => at(r, c)))),
    };
  });
  protected readonly told = computed(() => {
    const f = this.run()?.figures ?? {};
    const changes = this.changes();
    const look = changes ? this.looks.of<VectorStyle>(changes) : null;
    const colour = (k: string): string => (look?.by.kind === 'category' ? (look.by.colours[k] ?? '') : '');
    return [
      { name: 'the same', key: 'same', value: f['same'] },
      { name: 'of another kind', key: 'other', value: f['other'] },
      { name: 'came', key: 'came', value: f['came'] },
      { name: 'went', key: 'went', value: f['went'] },
    ].map((x) => ({ name: x.name, colour: colour(x.key), value: formatNumber(Number(x.value ?? 0)) }));
  });

  protected pick(from: string, to: string): void {
    const changes = this.changes();
    const f = changes && this.data.features(changes.id);
    if (!changes || !f) return;
    this.here.set(`${from}\n${to}`);
    const [a, b] = ['before', 'after'].map((n) =>
      f.columns.findLast((c) => c.name === n || (/^(before|after)_\d+$/.test(c.name) && c.name.startsWith(n)))!,
    ) as [(typeof f.columns)[number], (typeof f.columns)[number]];
    this.picks.pick(
      changes.id,
      Uint8Array.from({ length: a.values.length }, (_, i) =>
        a.values[i] === from && b.values[i] === to && !a.missing?.[i] && !b.missing?.[i] ? 1 : 0,
      ),
    );
  }

  protected readonly copied = (): CopiedTable => {
    const m = this.matrix();
    if (!m) return [];
    return [
      ['before \\ after', ...m.to, 'total'],
      ...m.rows.map((r) => [r.from, ...r.cells.map((c) => c.count), r.total]),
      ['total', ...m.totals, m.total],
    ];
  };
}
