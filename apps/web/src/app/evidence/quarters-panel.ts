import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  viewChild,
} from '@angular/core';
import { Chart, LinearScale, LineController, LineElement, PointElement, ScatterController, Tooltip } from 'chart.js';
import { dataOf, formatNumber, ofKind, symbolsOf, type VectorStyle } from '@helk/core';
import { symbolsOnPaper } from '../draw/theme';
import { BenchStore } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { Looks } from '../state/looks';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { ChanceChart } from './chance-chart';
import { chanceOf } from './chance-panel';
import { ChartBrush, valuesBetween, type Brushed } from './chart-brush';
import { figure, madeColumn, namesOf, QUARTERS, quartersChart, quartersOf } from './quarters';

Chart.register(LinearScale, LineController, LineElement, PointElement, ScatterController, Tooltip);

/** Steps of p that a map of how sure one is tells apart: the usual levels, themselves on the side of what they let through. */
const SURE = [0.001, 0.01, 0.05].map((p) => p * (1 + 1e-9));

/** Value against the neighbours' mean, in four quarters, in the colours of the map; and by its side what chance alone would make of it. */
@Component({
  selector: 'helk-quarters-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChanceChart, ChartBrush],
  host: { class: '@container flex flex-1 min-w-0 min-h-0', 'data-testid': 'quarters' },
  template: `
    @if (quarters(); as q) {
      <div class="flex flex-1 min-w-0 min-h-0 @max-[560px]:flex-col">
        <div class="flex-1 min-w-0 min-h-0 flex flex-col px-3 pt-1.5 pb-1">
          <div class="flex items-baseline gap-3 text-[12px] flex-none min-w-0">
            <span class="num truncate max-w-full" [title]="figures()" data-testid="quarters-figures">{{
              figures()
            }}</span>
            <span class="text-ink-2 truncate flex-1" [title]="seeded()">{{ seeded() }}</span>
            @if (p()) {
              <button class="link flex-none text-[12px]" (click)="sure()" data-testid="how-sure">
                How sure, beside
              </button>
            }
          </div>
          <div class="relative flex-1 min-h-0">
            <canvas #c role="img" [attr.aria-label]="figures()"></canvas>
            <helk-chart-brush
              [chart]="drawn"
              mode="box"
              title="Drag a box over dots to pick them"
              data-testid="quarters-brush"
              (brushed)="choose($event)"
            />
            @for (k of counted(); track k.id) {
              <button
                class="absolute voice text-[13px] text-ink-2 hover:text-act leading-none py-1"
                [class]="k.place"
                (click)="quarter(k.id)"
                [title]="'Pick these ' + k.count"
                [attr.data-testid]="'quarter-' + k.id"
              >
                {{ k.words }} <span class="num not-italic text-[11px]">{{ k.count }}</span>
              </button>
            }
          </div>
          <p class="text-[12px] flex-none truncate h-[18px]" [class.text-pick]="told()" data-testid="quarters-picked">
            {{ told() }}
          </p>
        </div>
        @if (chance(); as c) {
          <helk-chance-chart
            class="w-[34%] max-w-[380px] flex-none border-l border-line-soft px-3 py-1.5 @max-[560px]:w-auto @max-[560px]:max-w-none @max-[560px]:h-[34%] @max-[560px]:border-l-0 @max-[560px]:border-t"
            [observed]="c.observed"
            [draws]="c.draws"
            [measure]="c.measure"
          />
        }
      </div>
    } @else {
      <p class="p-4 text-ink-2">{{ empty() }}</p>
    }
  `,
})
export class QuartersPanel {
  readonly item = input.required<DatasetItem>();
  private readonly canvas = viewChild<ElementRef<HTMLCanvasElement>>('c');
  private readonly data = inject(FeatureData);
  private readonly picks = inject(Picks);
  private readonly bench = inject(BenchStore);
  private readonly looks = inject(Looks);
  private readonly project = inject(ProjectStore);
  private chart: Chart | null = null;

  private readonly run = computed(() => this.project.madeBy(this.item()));
  private readonly features = computed(() => dataOf('features', this.data.now(this.item().id)));
  protected readonly quarters = computed(() => {
    const [f, run] = [this.features(), this.run()];
    return f && run ? quartersOf(f, run) : null;
  });
  protected readonly empty = computed(() => (this.features() ? 'Too few features have both values.' : 'Reading …'));
  private readonly picked = computed(() => this.picks.of(this.item().id));

  /** The result beside it that holds the shuffles, where there is one. */
  protected readonly chance = computed(() => {
    const d = this.item();
    const beside = this.project
      .datasetEntities()
      .find((x) => x.runId === d.runId && this.looks.shows(x)?.panel?.id === 'chance');
    return beside ? chanceOf(dataOf('table', this.data.now(beside.id))) : null;
  });
  protected readonly figures = computed(() => {
    const [q, f] = [this.quarters(), this.run()?.figures ?? {}];
    if (!q) return '';
    const told = (name: string, words: string): string[] =>
      typeof f[name] === 'number' ? [`${words} ${figure(f[name])}`] : [];
    return [
      `I ${figure((f['i'] as number | undefined) ?? q.slope)}`,
      ...told('expected', 'expected'),
      ...told('z', 'z'),
      ...told('pPermutation', 'p'),
    ].join(' · ');
  });
  protected readonly seeded = computed(() => {
    const [q, run] = [this.quarters(), this.run()];
    if (!q || !run) return '';
    const other = run.params['other'];
    const of = [`${q.of}${other ? ` against neighbours’ ${String(other)}` : ''}`, `${formatNumber(q.count)} features`];
    return [
      ...of,
      ...(run.params['permutations']
        ? [`${formatNumber(Number(run.params['permutations']))} shuffles, seed ${run.seed}`]
        : []),
    ].join(' · ');
  });
  protected readonly counted = computed(() => {
    const q = this.quarters();
    return QUARTERS.map((k) => {
      let count = 0;
      if (q) for (let i = 0; i < q.x.length; i++) if (k.has(q.x[i]!, q.y[i]!) && q.x[i] === q.x[i]) count++;
      return { ...k, count };
    });
  });
  protected readonly told = computed(() => {
    const [q, p] = [this.quarters(), this.picked()];
    if (!q || !p) return '';
    const counts = QUARTERS.map((k) => {
      let n = 0;
      for (let i = 0; i < q.x.length; i++) if (p[i] && q.x[i] === q.x[i] && k.has(q.x[i]!, q.y[i]!)) n++;
      return { words: k.words, n };
    }).filter((k) => k.n > 0);
    return `${this.picks.count(this.item().id)} of ${formatNumber(q.x.length)} picked: ${counts.map((k) => `${k.n} ${k.words}`).join(', ')}`;
  });
  /** The column of p, where each feature has one. */
  protected readonly p = computed(() => {
    const f = this.features();
    const prefix = String(this.run()?.params['prefix'] ?? '');
    return f ? (madeColumn(f, `${prefix}p_corrected`) ?? madeColumn(f, `${prefix}p`)) : undefined;
  });

  constructor() {
    effect(() => {
      this.bench.dark();
      this.draw();
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  private draw(): void {
    const [q, f, at] = [this.quarters(), this.features(), this.canvas()];
    this.chart?.destroy();
    this.chart = null;
    if (!q || !f || !at) return;
    const look = this.looks.of<VectorStyle>(this.item());
    const symbols = symbolsOnPaper(symbolsOf({ ...look, label: null }, f), this.bench.dark());
    const config = quartersChart(q, (i) => symbols.colours[symbols.index[i]!]!, namesOf(f), this.picked());
    this.chart = new Chart(at.nativeElement, config as never);
  }

  protected readonly drawn = (): Chart | null => this.chart;

  protected choose(b: Brushed): void {
    const q = this.quarters();
    if (!this.chart || !q) return;
    const within = valuesBetween(this.chart, b, 5);
    this.picks.pick(
      this.item().id,
      Uint8Array.from(q.x, (x, i) => (within(x, q.y[i]!) ? 1 : 0)),
    );
  }

  protected quarter(id: string): void {
    const q = this.quarters();
    const k = QUARTERS.find((o) => o.id === id);
    if (q && k)
      this.picks.pick(
        this.item().id,
        Uint8Array.from(q.x, (x, i) => (x === x && k.has(x, q.y[i]!) ? 1 : 0)),
      );
  }

  /** The same features by how sure one may be of each, in a pane beside. */
  protected sure(): void {
    const column = this.p()?.name;
    if (!column || !ofKind('features', this.item().info)) return;
    this.bench.showBesideAs(this.item().id, {
      ...this.looks.of<VectorStyle>(this.item()),
      by: {
        kind: 'classes',
        column,
        rule: 'own',
        classes: SURE.length + 1,
        own: SURE,
        ramp: 'certainty',
        reversed: false,
      },
    });
  }
}
