import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { displayUnit, formatNumber, transformer, type RasterInfo } from '@helk/core';
import { BenchStore } from '../state/bench.store';
import { Views } from '../state/cursor';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { ChangeMatrix } from './change-matrix';
import { ClassTable } from './class-table';
import { ColumnCharts } from './column-charts';
import { HistogramChart } from './histogram';
import { ProfileChart } from './profile-chart';
import { rangeWords } from './range-words';
import { Readout } from './readout';
import { TableView } from './table-view';
import { VariogramChart } from './variogram-chart';
import { VariogramWork } from './variogram-work';

type Tab = 'values' | 'changed' | 'gaps' | 'profile' | 'matrix' | 'variogram' | 'table' | 'charts' | 'alike';

/** Height that a chart needs to be worked on, pixels. */
const ROOM = 300;

/** What the active dataset says: its values, what a run changed, where it has holes; and the readout of a place. */
@Component({
  selector: 'helk-evidence',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    ChangeMatrix,
    ClassTable,
    ColumnCharts,
    HistogramChart,
    ProfileChart,
    Readout,
    TableView,
    VariogramChart,
    VariogramWork,
  ],
  host: { class: 'flex h-full min-h-0 bg-leaf', 'data-testid': 'evidence' },
  template: `
    <section class="flex-1 min-w-0 flex flex-col">
      <header
        class="flex items-center gap-4 px-3 h-[34px] flex-none border-b border-line-soft text-[13px]"
        role="tablist"
        aria-label="Evidence"
      >
        @for (t of tabs(); track t.id) {
          <button
            role="tab"
            class="h-full border-b-2"
            [class]="tab() === t.id ? 'border-act font-[600]' : 'border-transparent text-ink-2'"
            [attr.aria-selected]="tab() === t.id"
            (click)="choose(t.id)"
          >
            {{ t.label }}
          </button>
        }
        <span class="flex-1"></span>
        @if (told(); as t) {
          <span class="text-[12px] text-pick truncate" data-testid="told" [title]="t">{{ t }}</span>
          <button class="link text-[12px] flex-none" (click)="clear()">clear</button>
        }
        <span class="text-[12px] text-ink-2 truncate">{{ bench.selectedItem()?.name }}</span>
      </header>
      <div class="flex-1 min-h-0 flex">
        @if (band(); as b) {
          @switch (tab()) {
            @case ('values') {
              @if (scale()?.classes; as classes) {
                <helk-class-table class="flex-1 min-w-0" [info]="b.info" [classes]="classes" />
              } @else {
                <helk-histogram
                  class="flex-1 min-w-0"
                  [band]="b.band"
                  [scale]="scale()"
                  [picked]="ranged(bench.selected())"
                  (chosen)="range(bench.selected(), $event)"
                />
                <dl
                  class="w-[188px] flex-none grid grid-cols-[auto_1fr] gap-x-3 content-start py-2 pr-3 text-[12px] overflow-auto"
                >
                  @for (s of statistics(); track s.name) {
                    <dt class="text-ink-2">{{ s.name }}</dt>
                    <dd class="num text-right">{{ s.value }}</dd>
                  }
                </dl>
              }
            }
            @case ('changed') {
              @if (change(); as c) {
                <helk-histogram
                  class="flex-1 min-w-0"
                  [band]="c.band"
                  [scale]="null"
                  [log]="true"
                  [label]="c.label"
                  [picked]="ranged(c.item.id)"
                  (chosen)="range(c.item.id, $event)"
                />
                <div class="w-[216px] flex-none overflow-auto border-l border-line-soft">
                  <div class="text-[12px] px-3 py-1.5 text-ink-2">{{ c.heading }}</div>
                  @for (x of c.list; track $index) {
                    <button
                      class="flex justify-between w-full px-3 h-[26px] items-center num hover:bg-act-soft"
                      (click)="go(c.item, x.column, x.row, 1, 1)"
                    >
                      <span>no. {{ $index + 1 }}</span
                      ><span>{{ number(x.value) }} {{ unit(c.band.unit) }}</span>
                    </button>
                  }
                </div>
              }
            }
            @case ('gaps') {
              <div class="flex-1 overflow-auto">
                <table class="w-full text-[12.5px]">
                  <thead class="text-left text-ink-2">
                    <tr>
                      <th class="font-[450] px-3 py-1">Hole</th>
                      <th class="font-[450] text-right">Missing cells</th>
                      <th class="font-[450] text-right">Columns × rows</th>
                      <th></th>
                    </tr>
                  </thead>
                  <tbody>
                    @for (g of b.band.facts!.gapBoxes ?? []; track $index) {
                      <tr class="border-t border-line-soft">
                        <td class="num px-3 h-[28px]">{{ $index + 1 }}</td>
                        <td class="num text-right">{{ number(g.cells) }}</td>
                        <td class="num text-right">{{ g.columns }} × {{ g.rows }}</td>
                        <td class="text-right pr-3">
                          <button class="link" (click)="go(bench.selectedItem()!, g.column, g.row, g.columns, g.rows)">
                            Go there
                          </button>
                        </td>
                      </tr>
                    }
                  </tbody>
                </table>
              </div>
            }
          }
        } @else if (tab() === 'profile' && bench.selectedItem()) {
          <helk-profile-chart class="flex-1 min-w-0" [item]="bench.selectedItem()!" />
        } @else if (tab() === 'variogram' && bench.selectedItem()) {
          <helk-variogram-chart class="flex-1 min-w-0" [item]="bench.selectedItem()!" />
        } @else if (tab() === 'matrix' && bench.selectedItem()) {
          <helk-change-matrix class="flex-1 min-w-0" [item]="bench.selectedItem()!" />
        } @else if (tab() === 'alike' && bench.selectedItem()) {
          @defer (on immediate) {
            <helk-variogram-work class="flex-1 min-w-0" [item]="bench.selectedItem()!" />
          }
        } @else if (tab() === 'charts' && bench.selectedItem()) {
          @defer (on immediate) {
            <helk-column-charts class="flex-1 min-w-0" [item]="bench.selectedItem()!" />
          }
        } @else if (tab() === 'table' && bench.selectedItem()) {
          <helk-table-view class="flex-1 min-w-0 min-h-0" [item]="bench.selectedItem()!" />
        } @else {
          <p class="p-4 text-ink-2">Choose a dataset in the ledger to see what is in it.</p>
        }
      </div>
    </section>
    @if (!bench.sheet() || bench.readout() || bench.pins().length) {
      <helk-readout class="flex-none border-l border-line" [class]="bench.sheet() ? 'w-[224px]' : 'w-[290px]'" />
    }
  `,
})
export class Evidence {
  protected readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly views = inject(Views);
  private readonly picks = inject(Picks);
  /** The tab somebody chose, for the dataset it was chosen on; another dataset starts with its own first tab. */
  protected readonly wanted = signal<{ dataset: string | null; tab: Tab }>({ dataset: null, tab: 'values' });
  protected readonly unit = displayUnit;

  protected choose(tab: Tab): void {
    this.wanted.set({ dataset: this.bench.selected(), tab });
    // A model is not judged, nor dragged, on a strip.
    if (tab === 'alike' && this.bench.evidenceHeight() < ROOM) this.bench.set({ evidenceHeight: ROOM });
  }

  protected readonly number = (v: number): string => formatNumber(v, Math.abs(v) < 1000 ? 100 : 1e5);

  protected readonly band = computed(() => {
    const info = this.bench.selectedItem()?.info;
    return info?.kind === 'raster' ? { info, band: info.bands[0]! } : null;
  });
  protected readonly scale = computed(() => {
    const id = this.bench.selected();
    const scales = this.bench.scales();
    return (
      scales.get(`${this.bench.activePane()}/${id}`) ?? [...scales].find(([k]) => k.endsWith(`/${id}`))?.[1] ?? null
    );
  });
  protected ranged(id: string | null): [number, number] | null {
    const r = this.picks.range();
    return r && r.dataset === id ? [r.low, r.high] : null;
  }

  protected range(dataset: string | null, [low, high]: [number, number]): void {
    if (dataset) this.picks.range.set({ dataset, low, high });
  }

  /** What is picked of the active dataset, always in sight: rows with their area or length, or cells of a range. */
  protected readonly told = computed(() => {
    const id = this.bench.selected();
    if (!id) return '';
    if (!this.band()) return this.tab() === 'table' ? '' : this.picks.words(id);
    const of = this.tab() === 'changed' ? this.change()!.item : this.bench.selectedItem()!;
    const r = this.ranged(of.id);
    return r ? rangeWords(of.info as RasterInfo, r) : '';
  });

  constructor() {
    effect(() => {
      const changed = this.change()?.item.id;
      if (changed) untracked(() => void this.store.look(changed));
    });
  }

  protected clear(): void {
    this.picks.range.set(null);
    if (this.bench.selected()) this.picks.clear(this.bench.selected()!);
  }

  /** The dataset that holds what a run changed: a difference itself, or the depth that filling made beside its result. */
  protected readonly change = computed(() => {
    const d = this.bench.selectedItem();
    if (!d) return null;
    const sibling =
      d.role === 'filled' ? this.store.datasetEntities().find((x) => x.runId === d.runId && x.role === 'depth') : d;
    const info = sibling?.info as RasterInfo | undefined;
    const band = info?.kind === 'raster' ? info.bands[0]! : undefined;
    if (!sibling || !band?.facts || (band.role !== 'depth' && band.role !== 'difference')) return null;
    const fill = band.role === 'depth';
    return {
      item: sibling,
      band,
      list: band.facts.extremes ?? [],
      label: fill ? 'depth of fill' : 'difference',
      heading: fill ? 'Deepest' : 'Furthest from zero',
      tab: fill ? 'What filling changed' : 'Where they differ',
    };
  });
  protected readonly tabs = computed(() => {
    const d = this.bench.selectedItem();
    const b = this.band();
    if (!d) return [];
    if (!b)
      return [
        ...(d.role === 'variogram' ? [{ id: 'variogram' as Tab, label: 'How alike near places are' }] : []),
        ...(d.role === 'matrix' ? [{ id: 'matrix' as Tab, label: 'What became what' }] : []),
        ...(d.role === 'profile' ? [{ id: 'profile' as Tab, label: 'Profile' }] : []),
        { id: 'table' as Tab, label: 'Table' },
        ...(d.info.kind !== 'raster' && d.info.columns.some((c) => c.type === 'number')
          ? [{ id: 'charts' as Tab, label: 'Charts' }]
          : []),
        ...(this.measured(d) ? [{ id: 'alike' as Tab, label: 'How alike near places are' }] : []),
      ];
    return [
      ...(this.change() ? [{ id: 'changed' as Tab, label: this.change()!.tab }] : []),
      { id: 'values' as Tab, label: this.scale()?.classes ? 'Classes' : 'Values' },
      ...(b.band.facts!.enclosedGaps ? [{ id: 'gaps' as Tab, label: 'Holes' }] : []),
    ];
  });
  /** Points with numbers in a plane: how alike near ones are can be worked out. */
  private measured(d: DatasetItem): boolean {
    const i = d.info;
    return (
      i.kind === 'features' &&
      i.geometry === 'point' &&
      i.count >= 10 &&
      !i.crs?.geographic &&
      i.columns.some((c) => c.type === 'number')
    );
  }

  protected readonly tab = computed((): Tab => {
    const ids = this.tabs().map((t) => t.id);
    const w = this.wanted();
    return w.dataset === this.bench.selected() && ids.includes(w.tab) ? w.tab : (ids[0] ?? 'values');
  });

  protected readonly statistics = computed(() => {
    const b = this.band()?.band;
    if (!b?.facts) return [];
    const { summary: s, percentiles: p } = b.facts;
    const range = s.max - s.min;
    const unit = displayUnit(b.unit);
    const v = (x: number | undefined): string => `${formatNumber(x, range)} ${unit}`.trim();
    return [
      { name: 'lowest', value: v(s.min) },
      { name: '5 %', value: v(p['5']) },
      { name: 'median', value: v(p['50']) },
      { name: 'mean', value: v(s.mean) },
      { name: '95 %', value: v(p['95']) },
      { name: 'highest', value: v(s.max) },
      { name: 's.d.', value: v(s.sd) },
      { name: 'cells', value: formatNumber(s.count) },
      { name: 'missing', value: formatNumber(s.missing) },
    ];
  });

  /** Takes the active pane's view to some cells and marks their middle. */
  protected go(item: DatasetItem, column: number, row: number, columns: number, rows: number): void {
    const { grid } = item.info as RasterInfo;
    const crs = this.store.crs();
    const t = transformer(grid.crs ?? crs, crs);
    const at = (c: number, r: number): [number, number] => {
      const out = [0, 0];
      t(grid.x + c * grid.dx, grid.y - r * grid.dy, out);
      return out as [number, number];
    };
    const [x, y] = at(column + columns / 2, row + rows / 2);
    const margin = Math.max(20, columns, rows);
    const a = at(column - margin, row + rows + margin);
    const b = at(column + columns + margin, row - margin);
    const view = this.views.for(this.bench.activePane(), this.bench.linkedView(), crs, null, this.store.project()!.id);
    view.fit([Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[0], b[0]), Math.max(a[1], b[1])], {
      duration: 200,
    });
    this.bench.set({ readout: { x, y } });
  }
}
