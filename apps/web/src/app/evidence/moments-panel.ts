import {
  afterRenderEffect,
  ChangeDetectionStrategy,
  Component,
  computed,
  ElementRef,
  inject,
  input,
  signal,
  viewChildren,
} from '@angular/core';
import { extentOf, formatNumber, symbolsOf, withUnit, type Features, type VectorStyle } from '@helk/core';
import type { StackInfo } from '@helk/core/data/stack-facts';
import { numberColumn } from '@helk/core/data/table';
import { stepLabel, stepsAYear } from '@helk/core/data/time-steps';
import { overAllSteps, steadyLegend } from '../draw/stack-layer';
import { onPaper } from '../draw/theme';
import { drawSmall } from '../kinds/features';
import { BenchStore } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { Looks } from '../state/looks';
import { Moments } from '../state/moments';
import type { DatasetItem } from '../state/project.store';
import { StackData, stepsSeen } from '../state/stack-data';

/** Pictures that are drawn at once. */
const MOST = 36;

/** Chosen steps side by side: one frame, one key. */
@Component({
  selector: 'helk-moments-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-col flex-1 min-w-0 min-h-0', 'data-testid': 'moments' },
  template: `
    <div class="flex items-center gap-x-4 gap-y-1 flex-wrap px-3.5 py-1.5 text-[12.5px] flex-none">
      <label class="flex items-center gap-1.5"
        >one of every
        <select class="num" (change)="chosen.set(+$any($event.target).value)" aria-label="Steps" data-testid="every">
          @for (e of everies(); track e) {
            <option [value]="e" [selected]="e === every()">{{ e }}</option>
          }
        </select>
        steps</label
      >
      @if (every() > 1) {
        <label class="flex items-center gap-1.5"
          >from
          <select class="num" (change)="begun.set(+$any($event.target).value)" aria-label="First of them">
            @for (s of firsts(); track s.step) {
              <option [value]="s.step" [selected]="s.step === first()">{{ s.text }}</option>
            }
          </select></label
        >
      }
      <ul class="flex flex-wrap gap-x-3 gap-y-0.5 text-[12px] min-w-0" [attr.aria-label]="'Key: ' + column()">
        <li class="font-[550]">{{ titled() }}</li>
        @for (e of legend(); track e.text) {
          <li class="flex items-center gap-1.5 num">
            <span class="w-4 h-2.5 rounded-[2px] border border-line" [style.background]="e.colour"></span>{{ e.text }}
          </li>
        }
      </ul>
    </div>
    <div class="flex-1 min-h-0 overflow-auto px-3.5 pb-2 flex flex-wrap gap-x-3 gap-y-1.5 content-start">
      @for (m of shown(); track m.step) {
        <figure class="flex-none m-0">
          <button
            class="block border rounded-[3px] bg-paper hover:border-act"
            [class]="m.step === now() ? 'border-act' : 'border-line-soft'"
            (click)="go(m.step)"
            [title]="m.text + ': on the map'"
            [attr.data-testid]="'moment-' + m.text"
          >
            <canvas
              #c
              [width]="size().w * ratio"
              [height]="size().h * ratio"
              [style.width.px]="size().w"
              [style.height.px]="size().h"
              role="img"
              [attr.aria-label]="column() + ', ' + m.text"
            ></canvas>
          </button>
          <figcaption class="num text-[11.5px] text-center">{{ m.text }}</figcaption>
        </figure>
      }
      @if (left()) {
        <p class="text-ink-2 text-[12px] self-center">and {{ left() }} more: take fewer of them</p>
      }
    </div>
  `,
})
export class MomentsPanel {
  readonly item = input.required<DatasetItem>();
  private readonly bench = inject(BenchStore);
  private readonly data = inject(FeatureData);
  private readonly looks = inject(Looks);
  private readonly moments = inject(Moments);
  private readonly stacks = inject(StackData);
  private readonly canvases = viewChildren<ElementRef<HTMLCanvasElement>>('c');
  protected readonly ratio = Math.min(2, devicePixelRatio || 1);
  protected readonly chosen = signal(0);
  protected readonly begun = signal(-1);

  private readonly info = computed(() => this.item().info as StackInfo);
  private readonly steps = computed(() => this.info().steps);
  /** What is drawn: as the map is. */
  private readonly look = computed(() => overAllSteps(this.looks.of<VectorStyle>(this.item()), this.info()));
  protected readonly column = computed(() => {
    const { by } = this.look();
    return by.kind === 'one' ? this.info().variables[0]!.name : by.column;
  });
  /** What the key is of, in which unit. */
  protected readonly titled = computed(() =>
    withUnit(this.column(), this.info().variables.find((v) => v.name === this.column())?.unit),
  );
  private readonly variable = computed(() => {
    const { variables } = this.info();
    const k = variables.findIndex((v) => v.name === this.column());
    return k >= 0 ? k : 0;
  });
  /** Such that at first a round number of them is seen. */
  protected readonly every = computed(() => {
    if (this.chosen()) return this.chosen();
    const n = this.steps().count;
    if (n <= 24) return 1;
    const year = stepsAYear(this.steps());
    return year > 1 && n / year <= MOST && n >= 2 * year ? year : Math.ceil(n / 16);
  });
  protected readonly everies = computed(() =>
    [...new Set([1, 2, 3, 4, 6, 12, 24, 52, this.every()])].filter((e) => e < this.steps().count).sort((a, b) => a - b),
  );
  protected readonly first = computed(() =>
    this.begun() >= 0 && this.begun() < this.every() ? this.begun() : (this.steps().count - 1) % this.every(),
  );
  protected readonly firsts = computed(() =>
    Array.from({ length: Math.min(this.every(), this.steps().count) }, (_, step) => ({
      step,
      text: stepLabel(this.steps(), step),
    })),
  );
  private readonly all = computed(() => {
    const out: { step: number; text: string }[] = [];
    for (let k = this.first(); k < this.steps().count; k += this.every())
      out.push({ step: k, text: stepLabel(this.steps(), k) });
    return out;
  });
  protected readonly shown = computed(() => this.all().slice(0, MOST));
  protected readonly left = computed(() => this.all().length - this.shown().length);
  protected readonly size = computed(() => {
    const e = extentOf(this.info());
    const n = this.shown().length;
    const w = n <= 6 ? 190 : n <= 14 ? 126 : 100;
    const shape = e ? (e[3] - e[1]) / Math.max(1e-12, e[2] - e[0]) : 0.75;
    const flat = this.info().crs?.geographic && e ? 1 / Math.cos((((e[1] + e[3]) / 2) * Math.PI) / 180) : 1;
    return { w, h: Math.round(w * Math.min(1.4, Math.max(0.45, shape * flat))) };
  });
  /** The step that is seen in the pane that is worked in. */
  protected readonly now = computed(() => {
    const pane = this.bench.pane();
    return this.moments.of(pane)?.item.id === this.item().id ? stepsSeen(this.steps(), pane.time ?? null).to : -1;
  });

  private readonly places = computed(() => this.data.features(this.item().id));
  protected readonly legend = computed(() => {
    const f = this.places();
    const v = this.info().variables[this.variable()]!;
    if (!f) return [];
    const one = {
      ...f,
      columns: [numberColumn(v.name, new Float64Array(this.info().count).fill(v.mean ?? 0)), ...f.columns],
    };
    const symbols = steadyLegend(
      symbolsOf({ ...this.look(), label: null }, one, (x, r) => formatNumber(x, r)),
      this.look(),
      this.info(),
    );
    return symbols.legend.map((e) => ({ ...e, colour: onPaper(e.colour, this.bench.dark()) }));
  });

  constructor() {
    let drawing = 0;
    afterRenderEffect(() => {
      this.bench.dark();
      const [f, shown, look, k] = [this.places(), this.shown(), this.look(), this.variable()];
      const canvases = this.canvases();
      const mine = ++drawing;
      if (f) void this.drawAll(f, shown, look, k, canvases, () => mine === drawing);
    });
  }

  private async drawAll(
    f: Features,
    shown: readonly { step: number }[],
    look: VectorStyle,
    variable: number,
    canvases: readonly ElementRef<HTMLCanvasElement>[],
    still: () => boolean,
  ): Promise<void> {
    const [item, info] = [this.item(), this.info()];
    const e = extentOf(info);
    for (const [i, c] of canvases.entries()) {
      const m = shown[i];
      if (!m || !e) continue;
      const values = await this.stacks.step(item.id, info, variable, m.step);
      if (!still()) return;
      const columns = [numberColumn(info.variables[variable]!.name, values), ...f.columns];
      drawSmall(c.nativeElement, { ...f, columns }, e, { ...look, label: null });
    }
  }

  protected go(step: number): void {
    const pane = this.bench.panes().find((p) => this.moments.of(p)?.item.id === this.item().id);
    if (pane) this.moments.step(pane, step);
    else {
      this.bench.show(this.item().id, this.bench.activePane(), false);
      this.moments.step(this.bench.pane(), step);
    }
  }
}
