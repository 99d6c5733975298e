import {
  afterRenderEffect,
  ChangeDetectionStrategy,
  Component,
  computed,
  ElementRef,
  inject,
  input,
  viewChildren,
} from '@angular/core';
import {
  dataOf,
  extentOf,
  featureArea,
  formatArea,
  formatDuration,
  symbolsOf,
  takeFeatures,
  valueOf,
  type Features,
  type VectorStyle,
} from '@helk/core';
import { drawSmall } from '../kinds/features';
import { BenchStore } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { Looks } from '../state/looks';
import type { DatasetItem } from '../state/project.store';

/** Pictures of one dataset that are shown beside each other; more would be too small to compare. */
const MOST = 8;
const [WIDTH, HEIGHT] = [190, 128];

/** What is reached within each limit, side by side: one extent, one key. */
@Component({
  selector: 'helk-multiples-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-1 min-w-0 overflow-auto gap-4 px-3.5 py-2 items-start', 'data-testid': 'multiples' },
  template: `
    @for (m of shown(); track m.limit) {
      <figure class="flex-none m-0">
        <canvas
          #c
          [width]="width * ratio"
          [height]="height * ratio"
          [style.width.px]="width"
          [style.height.px]="height"
          class="border border-line-soft rounded-[3px] bg-paper"
          role="img"
          [attr.aria-label]="'Within ' + m.words"
        ></canvas>
        <figcaption class="flex items-center gap-2 text-[12px] mt-1">
          <span class="w-3 h-3 rounded-[2px] flex-none" [style.background]="m.colour"></span>
          <span class="flex-1">within {{ m.words }}</span
          ><span class="num text-ink-2">{{ m.area }}</span>
        </figcaption>
      </figure>
    }
  `,
})
export class MultiplesPanel {
  readonly item = input.required<DatasetItem>();
  private readonly data = inject(FeatureData);
  private readonly looks = inject(Looks);
  private readonly bench = inject(BenchStore);
  private readonly canvases = viewChildren<ElementRef<HTMLCanvasElement>>('c');
  protected readonly width = WIDTH;
  protected readonly height = HEIGHT;
  protected readonly ratio = Math.min(2, devicePixelRatio || 1);

  private readonly features = computed(() => dataOf('features', this.data.now(this.item().id)));
  private readonly look = computed(() => this.looks.of<VectorStyle>(this.item()));
  protected readonly shown = computed(() => {
    const f = this.features();
    const limit = f?.columns.find((c) => c.name === 'limit');
    if (!f || !limit) return [];
    const rows = new Map<number, number[]>();
    for (let i = 0; i < limit.values.length; i++) {
      const v = valueOf(limit, i);
      if (typeof v === 'number') rows.set(v, [...(rows.get(v) ?? []), i]);
    }
    const symbols = symbolsOf({ ...this.look(), label: null }, f);
    return [...rows]
      .sort((a, b) => a[0] - b[0])
      .slice(0, MOST)
      .map(([v, own]) => ({
        limit: v,
        words: formatDuration(v),
        rows: own,
        colour: symbols.colours[symbols.index[own[0]!]!]!,
        area: formatArea(own.reduce((s, i) => s + featureArea(f, i), 0)),
      }));
  });

  constructor() {
    afterRenderEffect(() => {
      this.bench.dark();
      const [f, shown] = [this.features(), this.shown()];
      this.canvases().forEach((c, k) => {
        const m = shown[k];
        if (f && m) this.draw(c.nativeElement, takeFeatures(f, m.rows), m.colour);
      });
    });
  }

  /** In the frame of the whole dataset, in the colour of its limit. */
  private draw(canvas: HTMLCanvasElement, part: Features, colour: string): void {
    const e = extentOf(this.item().info);
    if (e) drawSmall(canvas, part, e, { ...this.look(), by: { kind: 'one' }, colour, fill: 0.85 });
  }
}
