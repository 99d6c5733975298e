import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  signal,
  viewChild,
} from '@angular/core';
import { Chart, Filler, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
import { dataOf, formatNumber, symbolsOf, type ColourBy, type VectorStyle } from '@helk/core';
import { own } from '@helk/core/data/own';
import type { StackInfo } from '@helk/core/data/stack-facts';
import { BenchStore } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { Glances } from '../state/glances';
import { Looks } from '../state/looks';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { SameRows } from '../state/same-rows';
import { onPaper } from '../draw/theme';
import { axis, themeColour } from './chart-look';
import { seriesChart, type Band, type SeriesAnswer } from './series-config';

Chart.register(LineController, LineElement, PointElement, LinearScale, Filler, Tooltip);

const COLUMN = 'group';

interface Listed {
  key: string;
  name: string;
  colour: string;
  /** As the map has it, whatever the theme. */
  own: string;
  count: number;
  silhouette: number;
  doubtful: number;
}

/** Groups by how they went: their means with what surrounds them, named and coloured where they are read; how many there are to be. */
@Component({
  selector: 'helk-groups-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-1 min-w-0 min-h-0', 'data-testid': 'groups' },
  template: `
    <div class="relative flex-1 min-w-0 px-2 py-1">
      <div class="relative h-full"><canvas #c role="img" [attr.aria-label]="told()"></canvas></div>
    </div>
    <div class="w-[296px] flex-none p-2 pl-1 text-[12.5px] overflow-auto">
      <table class="w-full">
        <thead class="text-[11.5px] text-ink-2 text-left">
          <tr>
            <th class="font-[450]" colspan="2">name the groups by how they went</th>
            <th class="font-[450] text-right pr-1">places</th>
            <th class="font-[450] text-right" title="Mean silhouette: 1 well within, 0 between two groups">
              silhouette
            </th>
          </tr>
        </thead>
        <tbody>
          @for (g of groups(); track g.key) {
            <tr
              (mouseenter)="lit.set(g.key)"
              (mouseleave)="lit.set(null)"
              (focusin)="lit.set(g.key)"
              (focusout)="lit.set(null)"
              [attr.data-testid]="'group-' + g.key"
            >
              <td class="w-[34px] py-0.5">
                <input
                  type="color"
                  class="!p-0 !min-h-[24px] w-[28px] cursor-pointer"
                  [value]="g.own"
                  (change)="colour(g.key, $any($event.target).value)"
                  [attr.aria-label]="'Colour of group ' + g.key"
                />
              </td>
              <td class="py-0.5 pr-1">
                <input
                  class="w-full !min-h-[26px]"
                  [value]="g.name"
                  [placeholder]="'group ' + g.key"
                  (change)="name(g.key, $any($event.target).value)"
                  [attr.aria-label]="'Name of group ' + g.key"
                  maxlength="80"
                />
              </td>
              <td class="text-right pr-1">
                <button class="link num" (click)="pick(g.key, false)" title="Pick them on the map">
                  {{ g.count }}
                </button>
              </td>
              <td class="text-right num whitespace-nowrap">
                {{ number(g.silhouette) }}
                @if (g.doubtful) {
                  <button
                    class="link num !text-look"
                    (click)="pick(g.key, true)"
                    [title]="g.doubtful + ' nearer to another group: pick them'"
                    [attr.data-testid]="'doubtful-' + g.key"
                  >
                    {{ g.doubtful }}?
                  </button>
                }
              </td>
            </tr>
          }
        </tbody>
      </table>
      @if (tried().length > 1) {
        <p class="text-[11.5px] text-ink-2 mt-2">
          index by number of groups, the higher the better apart; click one to try it
        </p>
        <div class="relative h-[92px]">
          <canvas
            #k
            role="img"
            class="cursor-pointer"
            [attr.aria-label]="'Index by number of groups, highest at ' + best()"
            (click)="try($event)"
            data-testid="index-chart"
          ></canvas>
        </div>
      }
    </div>
  `,
})
export class GroupsPanel {
  readonly item = input.required<DatasetItem>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly counts = viewChild<ElementRef<HTMLCanvasElement>>('k');
  private readonly bench = inject(BenchStore);
  private readonly data = inject(FeatureData);
  private readonly glances = inject(Glances);
  private readonly looks = inject(Looks);
  private readonly picks = inject(Picks);
  private readonly project = inject(ProjectStore);
  private readonly rows = inject(SameRows);
  private chart: Chart<'line', { x: number; y: number }[]> | null = null;
  private small: Chart<'line', { x: number; y: number }[]> | null = null;

  private readonly bands = signal<Band[]>([]);
  protected readonly lit = signal<string | null>(null);
  protected readonly number = (v: number): string => formatNumber(v, 1);

  private readonly run = computed(() => this.project.madeBy(this.item()));
  private readonly stack = computed(() => this.rows.ofKind(this.item(), 'stack'));
  private readonly info = computed(() => (this.stack()?.info as StackInfo | undefined) ?? null);
  private readonly variable = computed(() => {
    const name = String(this.run()?.params['variable'] ?? '');
    return this.info()?.variables.find((v) => v.name === name) ?? this.info()?.variables[0] ?? null;
  });
  private readonly features = computed(() => dataOf('features', this.data.now(this.item().id)));
  private readonly look = computed(() => this.looks.of<VectorStyle>(this.item()));
  /** Its groups as categories, whatever the map is coloured by now. */
  private readonly by = computed((): Extract<ColourBy, { kind: 'category' }> => {
    const { by } = this.look();
    return by.kind === 'category' && by.column === COLUMN ? by : { kind: 'category', column: COLUMN, colours: {} };
  });

  protected readonly groups = computed((): Listed[] => {
    const f = this.features();
    if (!f) return [];
    const dark = this.bench.dark();
    const by = this.by();
    const { legend } = symbolsOf({ ...this.look(), by, label: null }, f);
    const group = f.columns.find((c) => c.name === COLUMN)?.values as Float64Array | undefined;
    const shape = f.columns.find((c) => c.name === 'silhouette')?.values as Float64Array | undefined;
    return legend
      .filter((e) => e.key !== '')
      .map((e) => {
        let [sum, n, doubtful] = [0, 0, 0];
        group?.forEach((g, i) => {
          if (String(g) !== e.key || !shape || shape[i] !== shape[i]) return;
          sum += shape[i]!;
          n++;
          if (shape[i]! < 0) doubtful++;
        });
        return {
          key: e.key,
          name: own(by.labels ?? {}, e.key) ?? '',
          colour: onPaper(e.colour, dark),
          own: e.colour,
          count: e.count,
          silhouette: n ? sum / n : NaN,
          doubtful,
        };
      })
      .sort((a, b) => a.key.localeCompare(b.key, 'en', { numeric: true }));
  });
  protected readonly told = computed(
    () =>
      `Mean series of ${this.groups()
        .map((g) => g.name || `group ${g.key}`)
        .join(', ')}`,
  );

  /** Numbers of groups that were tried, with their index. */
  protected readonly tried = computed(() => {
    const d = this.project.datasetEntities().find((x) => x.runId === this.item().runId && x.role === 'choice');
    const t = dataOf('table', this.data.now(d?.id));
    const [k, index] = ['k', 'index'].map(
      (n) => t?.columns.find((c) => c.name === n)?.values as Float64Array | undefined,
    );
    return k && index ? Array.from(k, (v, i) => ({ x: v, y: index[i]! })) : [];
  });
  protected readonly best = computed(() => this.tried().reduce((a, b) => (b.y > a.y ? b : a), { x: 0, y: -1 }).x);

  constructor() {
    let asked = 0;
    effect(() => {
      const [stack, v] = [this.stack(), this.variable()];
      if (!stack || !v) return;
      const mine = ++asked;
      this.glances
        .ask<SeriesAnswer>('time.series', { stack: stack.id, groups: this.item().id }, { variable: v.name, by: COLUMN })
        .then(
          (a) => mine === asked && this.bands.set(a.bands),
          (e: unknown) => this.project.notify(e instanceof Error ? e.message : String(e), 'refused'),
        );
    });
    effect(() => {
      this.bench.dark();
      const [info, v, bands, groups, lit] = [this.info(), this.variable(), this.bands(), this.groups(), this.lit()];
      this.chart?.destroy();
      this.chart = null;
      if (!info || !v || !bands.length) return;
      const of = new Map(groups.map((g) => [g.key, g]));
      // Shades of many groups would hide each other: that of the one that is pointed at, or of few.
      const shaded = bands.filter((b) => (lit === null ? bands.length <= 3 : b.key === lit));
      this.chart = new Chart(
        this.canvas().nativeElement,
        seriesChart({
          steps: info.steps,
          unit: v.unit,
          name: v.name,
          lines: bands.map((b) => ({
            label: of.get(b.key)?.name || `group ${b.key}`,
            values: b.mean,
            colour: of.get(b.key)?.colour ?? themeColour('--ink'),
            width: lit === b.key ? 3 : lit === null ? 2 : 1,
            dots: info.steps.count <= 12,
          })),
          bands: shaded.map((b) => ({ ...b, label: b.key, colour: `${of.get(b.key)?.colour ?? '#888888'}33` })),
          now: null,
          window: null,
        }),
      );
    });
    effect(() => {
      this.bench.dark();
      const [tried, canvas, k] = [this.tried(), this.counts()?.nativeElement, Number(this.run()?.figures['k'])];
      this.small?.destroy();
      this.small = canvas && tried.length > 1 ? indexChart(canvas, tried, k) : null;
    });
    inject(DestroyRef).onDestroy(() => {
      this.chart?.destroy();
      this.small?.destroy();
    });
  }

  protected name(key: string, text: string): void {
    const labels = { ...this.by().labels, [key]: text.trim() };
    if (!text.trim()) delete labels[key];
    this.draw({ labels });
  }

  protected colour(key: string, colour: string): void {
    this.draw({ colours: { ...this.by().colours, [key]: colour } });
  }

  /** Kept with the dataset, so that every map and key has it. */
  private draw(patch: object): void {
    this.project.drawAs(this.item().id, { ...this.look(), by: { ...this.by(), ...patch } });
  }

  protected pick(key: string, doubtful: boolean): void {
    const f = this.features();
    const group = f?.columns.find((c) => c.name === COLUMN)?.values as Float64Array | undefined;
    const shape = f?.columns.find((c) => c.name === 'silhouette')?.values as Float64Array | undefined;
    if (!group) return;
    this.picks.pick(
      this.item().id,
      Uint8Array.from(group, (g, i) => (String(g) === key && (!doubtful || shape![i]! < 0) ? 1 : 0)),
    );
  }

  /** Another number of groups: a variant beside. */
  protected try(e: MouseEvent): void {
    const x = this.small?.scales['x'];
    const k = x ? Math.round(x.getValueForPixel(e.offsetX) ?? 0) : 0;
    if (!this.tried().some((t) => t.x === k)) return;
    this.bench.vary(this.item().id);
    this.bench.fillSheet({ params: { ...this.bench.sheet()!.params, k } });
  }
}

/** The index over the number of groups, the one that was taken marked. */
function indexChart(
  canvas: HTMLCanvasElement,
  tried: { x: number; y: number }[],
  taken: number,
): Chart<'line', { x: number; y: number }[]> {
  const [act, pick] = [themeColour('--act'), themeColour('--pick')];
  const colours = tried.map((t) => (t.x === taken ? pick : act));
  return new Chart(canvas, {
    type: 'line',
    data: {
      datasets: [
        {
          label: 'index',
          data: tried,
          borderColor: act,
          borderWidth: 1.5,
          pointBackgroundColor: colours,
          pointBorderColor: colours,
          pointRadius: tried.map((t) => (t.x === taken ? 4 : 2.5)),
        },
      ],
    },
    options: {
      animation: false,
      maintainAspectRatio: false,
      scales: {
        x: axis('x', '', (v) => (Number.isInteger(v) ? String(v) : ''), {
          ticks: { stepSize: 1, font: { size: 10.5 } },
        }),
        y: axis('y', '', (v) => formatNumber(v, Math.max(...tried.map((t) => t.y))), {
          ticks: { maxTicksLimit: 3, font: { size: 10.5 } },
        }),
      },
      plugins: {
        legend: { display: false },
        tooltip: {
          backgroundColor: themeColour('--ink'),
          callbacks: {
            title: (t) => `${t[0]!.parsed.x ?? ''} groups`,
            label: (t) => `index ${formatNumber(t.parsed.y ?? 0)}`,
          },
        },
      },
    },
  });
}
