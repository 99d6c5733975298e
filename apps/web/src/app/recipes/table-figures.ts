import {
  afterRenderEffect,
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  ElementRef,
  inject,
  input,
  signal,
  viewChild,
} from '@angular/core';
import {
  CategoryScale,
  Chart,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
  type ChartConfiguration,
} from 'chart.js';
import { CATEGORY_COLOURS, displayUnit, formatNumber } from '@helk/core';
import type { ApiTable } from '@helk/core/api/schemas';
import { axis, NUMBER_FONT, themeColour, WORD_FONT } from '../evidence/chart-look';
import { BenchStore } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';
import { Tables } from '../state/tables';
import { figuresOfRows, leading } from './row-figures';

Chart.register(LineController, LineElement, PointElement, LinearScale, CategoryScale, Tooltip);

/** Kind by colour and by mark, for those who do not see colours. */
const MARKS = [
  { style: 'circle', text: '●' },
  { style: 'rect', text: '■' },
  { style: 'triangle', text: '▲' },
  { style: 'rectRot', text: '◆' },
  { style: 'star', text: '✳' },
  { style: 'crossRot', text: '✕' },
] as const;

/** A setting against a figure, a line for each value of another setting: what the result hangs on, at a glance. */
@Component({
  selector: 'helk-table-figures',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-col min-h-0 min-w-0', 'data-testid': 'sensitivity' },
  template: `
    <div class="flex items-center gap-3 flex-wrap px-4 py-2 text-[12.5px]" [class.hidden]="!points()">
      <label class="flex items-center gap-1.5"
        >figure
        <select (change)="figure.set($any($event.target).value)" data-testid="figure">
          @for (f of figures(); track f.name) {
            <option [value]="f.name" [selected]="f.name === y()?.name">{{ f.label }}</option>
          }
        </select></label
      >
      <label class="flex items-center gap-1.5"
        >against
        <select (change)="against.set(+$any($event.target).value)" data-testid="against">
          @for (c of varying(); track c.at) {
            <option [value]="c.at" [selected]="c.at === x()?.at">{{ c.label }}</option>
          }
        </select></label
      >
      @if (series().length > 1) {
        <ul class="flex flex-wrap gap-x-3 gap-y-0.5" [attr.aria-label]="by()!.label">
          <li class="text-ink-2">{{ by()!.label.toLowerCase() }}</li>
          @for (l of series(); track l.key; let k = $index) {
            <li class="flex items-center gap-1.5">
              <span class="text-[13px] leading-none" [style.color]="colour(k)">{{
                marks[k % marks.length]!.text
              }}</span>{{ l.key }}
            </li>
          }
        </ul>
      }
    </div>
    @if (points()) {
      <div class="flex-1 min-h-0 px-3 pb-2 relative"><canvas #c role="img" [attr.aria-label]="words()"></canvas></div>
    } @else {
      <p class="px-4 py-4 text-ink-2 text-[12.5px]">
        When rows have run, a setting that differs from row to row is drawn against any figure.
      </p>
    }
  `,
})
export class TableFigures {
  readonly table = input.required<ApiTable>();
  private readonly tables = inject(Tables);
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly canvas = viewChild<ElementRef<HTMLCanvasElement>>('c');
  protected readonly figure = signal('');
  protected readonly against = signal(-1);
  private chart: Chart | null = null;

  private readonly rows = computed(() =>
    this.tables.rows(this.table()).filter((r) => r.run?.state === 'done' && !r.changed),
  );
  protected readonly figures = computed(() =>
    figuresOfRows(
      this.rows().map((r) => r.run!),
      this.tables.methodOf(this.table()),
      this.store.datasetEntityMap(),
    ),
  );
  /** Columns that differ from row to row, those of numbers first. */
  protected readonly varying = computed(() => {
    const rows = this.rows();
    return this.tables
      .columns(this.table())
      .map((c, at) => ({ ...c, at, values: new Set(rows.map((r) => r.cells[at])) }))
      .filter((c) => c.values.size > 1)
      .map((c) => ({ ...c, numeric: !c.input && [...c.values].every((v) => leading(v ?? '') !== null) }))
      .sort((a, b) => Number(b.numeric) - Number(a.numeric) || b.values.size - a.values.size);
  });
  protected readonly y = computed(() => this.figures().find((f) => f.name === this.figure()) ?? this.figures().at(0));
  protected readonly x = computed(() => this.varying().find((c) => c.at === this.against()) ?? this.varying().at(0));
  protected readonly by = computed(() => this.varying().find((c) => c.at !== this.x()?.at));
  private readonly text = (at: number, cell: string): string => {
    const c = this.tables.columns(this.table())[at];
    if (c?.input) return cell.split(';').map(this.tables.nameOf).join(' + ');
    return c?.setting?.choices?.find((o) => o.value === cell)?.label ?? cell;
  };
  protected readonly series = computed(() => {
    const [x, y, by] = [this.x(), this.y(), this.by()];
    if (!x || !y) return [];
    const out = new Map<string, { x: number | string; y: number }[]>();
    for (const r of this.rows()) {
      const v = r.run!.figures[y.name];
      if (typeof v !== 'number') continue;
      const cell = r.cells[x.at]!;
      const key = by ? this.text(by.at, r.cells[by.at]!) : '';
      out.set(key, [...(out.get(key) ?? []), { x: x.numeric ? leading(cell)! : this.text(x.at, cell), y: v }]);
    }
    if (x.numeric) for (const l of out.values()) l.sort((a, b) => Number(a.x) - Number(b.x));
    return [...out].map(([key, points]) => ({ key, points }));
  });
  protected readonly points = computed(() => this.series().some((s) => s.points.length > 0));

  protected words(): string {
    const [x, y] = [this.x(), this.y()];
    return x && y ? `${y.label} against ${x.label}, ${this.rows().length} rows` : '';
  }

  constructor() {
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
    afterRenderEffect(() => {
      this.bench.dark();
      const canvas = this.canvas()?.nativeElement;
      const [x, y, series] = [this.x(), this.y(), this.series()];
      this.chart?.destroy();
      this.chart = null;
      if (!canvas || !x || !y) return;
      this.chart = new Chart(canvas, this.config(x, y, series));
    });
  }

  private config(
    x: { label: string; numeric: boolean; at: number },
    y: { label: string; unit: string },
    series: { key: string; points: { x: number | string; y: number }[] }[],
  ): ChartConfiguration {
    const unit = this.unitOf(x.at);
    const number = (v: number): string => formatNumber(v, Math.abs(v));
    return {
      type: 'line',
      data: {
        datasets: series.map((s, k) => {
          const colour = this.colour(k);
          return {
            label: s.key,
            data: s.points as never,
            borderColor: colour,
            backgroundColor: colour,
            borderWidth: 1.6,
            pointStyle: MARKS[k % MARKS.length]!.style,
            pointRadius: 4,
            showLine: x.numeric,
          };
        }),
      },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        parsing: false as never,
        normalized: false,
        scales: {
          x: x.numeric
            ? axis('x', unit ? `${x.label} (${unit})` : x.label, number)
            : {
                type: 'category',
                ticks: { color: themeColour('--ink-2'), font: NUMBER_FONT },
                grid: { display: false },
              },
          y: axis('y', y.unit ? `${y.label} (${displayUnit(y.unit)})` : y.label, number),
        },
        plugins: {
          tooltip: { bodyFont: NUMBER_FONT, titleFont: WORD_FONT },
        },
      } as never,
    };
  }

  /** One line is in the ink of the workbench; several are told apart. */
  protected colour = (k: number): string =>
    this.series().length > 1 ? CATEGORY_COLOURS[k % CATEGORY_COLOURS.length]! : themeColour('--act');

  protected readonly marks = MARKS;

  /** The unit that the values of a column are written in, else the one that a bare number takes. */
  private unitOf(at: number): string {
    const cell = this.rows()[0]?.cells[at] ?? '';
    const written = cell.replace(/^[+-]?[\d.,]+\s*/, '').trim();
    return displayUnit(written || (this.tables.columns(this.table())[at]?.setting?.unit ?? '').replace('crs', ''));
  }
}
