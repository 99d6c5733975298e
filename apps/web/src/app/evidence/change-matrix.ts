import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { sankey, sankeyLinkHorizontal } from 'd3-sankey';
import { categoryColours, dataOf, displayUnit, formatNumber, ofKind, percentOf, type Table } from '@helk/core';
import { BenchStore } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { TableCopy } from '../parts/table-copy';
import type { CopiedTable } from '../parts/table-text';

interface Node {
  name: string;
  side: 'before' | 'after';
}
interface Link {
  source: number;
  target: number;
  value: number;
}

/** A change matrix: before across, after down, with gains, losses and what stayed; a cell picks its areas. The flows stand beside it. */
@Component({
  selector: 'helk-change-matrix',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [TableCopy],
  host: { class: 'flex min-h-0 flex-1 min-w-0', 'data-testid': 'change-matrix' },
  template: `
    @if (matrix(); as m) {
      <div class="flex-1 min-w-0 overflow-auto">
        <table class="matrix text-[12px] border-collapse">
          <thead>
            <tr class="text-ink-2">
              <th class="px-2 py-1 text-left font-[450] whitespace-nowrap">
                to ↓ from →
                <helk-table-copy class="ml-2" [table]="copied" title="What became what" testid="copy-matrix" />
              </th>
              @for (c of m.from; track c) {
                <th class="px-2 text-right font-[450] truncate max-w-[90px]" [title]="c">{{ c }}</th>
              }
              <th class="px-2 text-right font-[600] text-ink">total, {{ m.unit }}</th>
              <th class="px-2 text-right font-[450]">gain</th>
            </tr>
          </thead>
          <tbody>
            @for (row of m.rows; track row.name) {
              <tr class="border-t border-line-soft h-[25px]">
                <th class="px-2 text-left font-[500] whitespace-nowrap">
                  <span class="inline-block w-3 h-2.5 mr-1.5 rounded-[2px]" [style.background]="colour(row.name)"></span
                  >{{ row.name }}
                </th>
                @for (c of row.cells; track c.from) {
                  <td class="p-0">
                    <button
                      class="num w-full text-right px-2 h-[25px] hover:outline hover:outline-1 hover:outline-act"
                      [style.background]="c.shade"
                      [class.font-[600]]="c.same"
                      [class.!outline-pick]="here() === c.key"
                      [class.outline]="here() === c.key"
                      [class.text-ink-3]="!c.value"
                      [disabled]="!c.value"
                      (click)="pick(c.from, row.name)"
                      [attr.aria-label]="c.from + ' to ' + row.name + ', ' + c.text + ' ' + m.unit"
                    >
                      {{ c.text }}
                    </button>
                  </td>
                }
                <td class="num text-right px-2 font-[600]">{{ row.total }}</td>
                <td class="num text-right px-2 text-fine">{{ row.gain }}</td>
              </tr>
            }
            <tr class="border-t border-line h-[25px]">
              <th class="px-2 text-left font-[600]">total</th>
              @for (t of m.totals; track $index) {
                <td class="num text-right px-2 font-[600]">{{ t }}</td>
              }
              <td class="num text-right px-2 font-[600]">{{ m.total }}</td>
              <td></td>
            </tr>
            <tr class="h-[25px]">
              <th class="px-2 text-left font-[450] text-ink-2">loss</th>
              @for (t of m.losses; track $index) {
                <td class="num text-right px-2 text-no">{{ t }}</td>
              }
              <td class="text-right px-2 whitespace-nowrap" colspan="2" data-testid="unchanged">
                unchanged <span class="num font-[600]">{{ m.unchanged }} {{ m.unit }}</span
                >, <span class="num">{{ m.share }} %</span>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      @if (flows(); as f) {
        <svg
          class="w-[236px] flex-none border-l border-line-soft"
          viewBox="0 0 236 170"
          preserveAspectRatio="none"
          role="img"
          aria-label="Flows from before (left) to after (right)"
        >
          @for (l of f.links; track $index) {
            <path
              [attr.d]="l.d"
              fill="none"
              [attr.stroke]="l.colour"
              [attr.stroke-width]="l.width"
              stroke-opacity="0.45"
              class="cursor-pointer hover:[stroke-opacity:0.8]"
              (click)="pick(l.from, l.to)"
            >
              <title>{{ l.title }}</title>
            </path>
          }
          @for (n of f.nodes; track $index) {
            <rect [attr.x]="n.x" [attr.y]="n.y" width="7" [attr.height]="n.height" [attr.fill]="n.colour">
              <title>{{ n.title }}</title>
            </rect>
          }
        </svg>
      }
    } @else {
      <p class="p-4 text-ink-2">Reading …</p>
    }
  `,
})
export class ChangeMatrix {
  readonly item = input.required<DatasetItem>();
  private readonly data = inject(FeatureData);
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly picks = inject(Picks);
  protected readonly here = signal('');
  private readonly table = computed((): Table | null => dataOf('table', this.data.now(this.item().id)));
  private readonly colours = computed(() => {
    const t = this.table();
    const names = t
      ? [...new Set([...(t.columns[0]!.values as string[]).slice(0, -1), ...t.columns.slice(1, -1).map((c) => c.name)])]
      : [];
    const all = categoryColours(names);
    return new Map(names.map((n, i) => [n, all[i]!]));
  });
  protected readonly colour = (name: string): string => this.colours().get(name) ?? 'var(--ink-3)';

  protected readonly matrix = computed(() => {
    const t = this.table();
    if (!t) return null;
    const to = (t.columns[0]!.values as string[]).slice(0, -1);
    const columns = t.columns.slice(1, -1);
    const from = columns.map((c) => c.name);
    const at = (c: number, r: number): number => columns[c]!.values[r] as number;
    const totals = t.columns[t.columns.length - 1]!.values as Float64Array;
    const total = totals[to.length]!;
    let unchanged = 0;
    from.forEach((f, c) => {
      const r = to.indexOf(f);
      if (r >= 0) unchanged += at(c, r);
    });
    const show = (v: number): string => (v > 0 ? formatNumber(v, total > 1000 ? 1000 : 100) : '0');
    // What changed is shaded by how much it is of all change; what stayed is grey.
    const most = Math.max(1e-12, ...from.flatMap((f, c) => to.map((n, r) => (f === n ? 0 : at(c, r)))));
    const rows = to.map((name, r) => {
      const same = from.indexOf(name);
      return {
        name,
        cells: from.map((f, c) => ({
          from: f,
          key: `${f}>${name}`,
          value: at(c, r),
          text: show(at(c, r)),
          same: f === name,
          shade:
            f === name
              ? 'var(--line-soft)'
              : at(c, r) > 0
                ? `color-mix(in srgb, var(--look) ${Math.round(8 + (42 * at(c, r)) / most)}%, transparent)`
                : 'transparent',
        })),
        total: show(totals[r]!),
        gain: show(totals[r]! - (same >= 0 ? at(same, r) : 0)),
      };
    });
    return {
      unit: displayUnit(columns[0]?.unit),
      from,
      rows,
      totals: columns.map((c) => show(c.values[to.length] as number)),
      losses: from.map((f, c) => {
        const r = to.indexOf(f);
        return show((columns[c]!.values[to.length] as number) - (r >= 0 ? at(c, r) : 0));
      }),
      total: show(total),
      unchanged: show(unchanged),
      share: percentOf(unchanged / (total || 1)),
    };
  });

  protected readonly flows = computed(() => {
    const t = this.table();
    if (!t) return null;
    const to = (t.columns[0]!.values as string[]).slice(0, -1);
    const columns = t.columns.slice(1, -1);
    const nodes: Node[] = [
      ...columns.map((c) => ({ name: c.name, side: 'before' as const })),
      ...to.map((name) => ({ name, side: 'after' as const })),
    ];
    const links: Link[] = columns.flatMap((c, i) =>
      to.flatMap((_, r) =>
        (c.values[r] as number) > 0 ? [{ source: i, target: columns.length + r, value: c.values[r] as number }] : [],
      ),
    );
    if (!links.length) return null;
    const unit = displayUnit(columns[0]?.unit);
    const made = sankey<Node, Link>()
      .nodeWidth(7)
      .nodePadding(4)
      .nodeSort(null as never)
      .extent([
        [8, 8],
        [228, 162],
      ])({ nodes: nodes.map((n) => ({ ...n })), links: links.map((l) => ({ ...l })) });
    const path = sankeyLinkHorizontal<Node, Link>();
    return {
      links: made.links.map((l) => {
        const [a, b] = [l.source as unknown as Node, l.target as unknown as Node];
        return {
          d: path(l) ?? '',
          width: Math.max(0.6, l.width ?? 0),
          colour: this.colour(a.name),
          from: a.name,
          to: b.name,
          title: `${a.name} → ${b.name}: ${formatNumber(l.value, 100)} ${unit}`,
        };
      }),
      nodes: made.nodes.map((n) => ({
        x: n.x0!,
        y: n.y0!,
        height: Math.max(0.5, n.y1! - n.y0!),
        colour: this.colour(n.name),
        title: `${n.name} ${n.side}: ${formatNumber(n.value, 100)} ${unit}`,
      })),
    };
  });

  /** Picks the areas of a cell in the overlay that was made with the matrix. */
  protected async pick(from: string, to: string): Promise<void> {
    this.here.set(`${from}>${to}`);
    const run = this.store.madeBy(this.item());
    const made = run?.outputs.map((id) => this.store.datasetEntityMap()[id]);
    const grid = made?.find((d) => d && ofKind('raster', d.info));
    if (grid) {
      this.light(grid, from, to);
      return;
    }
    const overlay = run?.outputs.map((id) => this.store.datasetEntityMap()[id]).find((d) => d?.role === 'overlay');
    if (!run || !overlay) {
      this.store.notify('The overlay made with this matrix is no longer there.', 'refused');
      return;
    }
    const f = dataOf('features', await this.store.guarded(() => this.data.get(overlay.id)));
    if (!f) return;
    const change = f.columns.find((c) => c.name === 'change')!.values as string[];
    const before = f.columns.find((c) => c.name === String(run.params['beforeColumn']))!;
    const rows = Uint8Array.from(change, (v, i) =>
      (from === to ? v === 'unchanged' && String(before.values[i]) === from : v === `${from} → ${to}`) ? 1 : 0,
    );
    this.picks.pick(overlay.id, rows, 'replace');
    if (!this.bench.panes().some((p) => p.layers.some((l) => l.dataset === overlay.id))) {
      const selected = this.bench.selected();
      this.bench.show(overlay.id, this.bench.activePane(), true);
      this.bench.select(selected);
    }
  }

  /** Lights the cells of a pair in the grid of changes. */
  private light(grid: DatasetItem, from: string, to: string): void {
    const label = from === to ? `${from}, unchanged` : `${from} → ${to}`;
    const found = ofKind('raster', grid.info)?.bands[0]?.classes?.find((c) => c.label === label);
    if (!found) return;
    const selected = this.bench.selected();
    if (!this.bench.panes().some((p) => p.layers.some((l) => l.dataset === grid.id))) this.bench.showBeside(grid.id);
    this.bench.select(selected);
    this.picks.range.set({ dataset: grid.id, band: 0, low: found.value, high: found.value, alone: true });
  }

  protected readonly copied = (): CopiedTable => {
    const t = this.table()!;
    const unit = t.columns[1]?.unit ?? '';
    const rows = (t.columns[0]!.values as string[]).map((name, r) => [
      name,
      ...t.columns.slice(1).map((c) => c.values[r] as number),
    ]);
    return [[`to \\ from [${unit}]`, ...t.columns.slice(1).map((c) => c.name)], ...rows];
  };
}
