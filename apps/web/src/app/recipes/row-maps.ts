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
import { displayUnit, extentOf, formatNumber, joined, kindOf, type Extent } from '@helk/core';
import type { ApiTable } from '@helk/core/api/schemas';
import { clientKind } from '../kinds';
import { KindTools } from '../kinds/tools';
import { BenchStore } from '../state/bench.store';
import { Desk } from '../state/desk';
import { Looks } from '../state/looks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Tables } from '../state/tables';

/** Pictures that are drawn at once. */
const MOST = 48;
const [WIDTH, HEIGHT] = [170, 128];

/** The first result of each row side by side: one frame, one key. */
@Component({
  selector: 'helk-row-maps',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-col min-h-0 min-w-0', 'data-testid': 'row-maps' },
  template: `
    @if (between(); as b) {
      <p class="num text-[12px] px-4 pb-1 text-ink-2">
        all from {{ b.low }} to {{ b.high }} {{ b.unit }}, in the colours of the first
      </p>
    }
    <div class="flex-1 min-h-0 overflow-auto px-4 pb-2 flex flex-wrap gap-x-3 gap-y-1.5 content-start">
      @for (m of shown(); track m.item.id) {
        <figure class="flex-none m-0">
          <button
            class="block border border-line-soft rounded-[3px] bg-paper hover:border-act"
            (click)="open(m.item.id)"
            [title]="m.item.name + ': on the map'"
          >
            <canvas
              #c
              [width]="width * ratio"
              [height]="height * ratio"
              [style.width.px]="width"
              [style.height.px]="height"
              role="img"
              [attr.aria-label]="m.item.name"
            ></canvas>
          </button>
          <figcaption class="text-[11.5px] w-[170px] truncate" [title]="m.item.name">{{ m.item.name }}</figcaption>
        </figure>
      } @empty {
        <p class="text-ink-2 text-[12.5px] py-3">What the rows make is seen here, in one frame and on one key.</p>
      }
      @if (left()) {
        <p class="text-ink-2 text-[12px] self-center">and {{ left() }} more</p>
      }
    </div>
  `,
})
export class RowMaps {
  readonly table = input.required<ApiTable>();
  private readonly tables = inject(Tables);
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly desk = inject(Desk);
  private readonly looks = inject(Looks);
  private readonly tools = inject(KindTools);
  private readonly canvases = viewChildren<ElementRef<HTMLCanvasElement>>('c');
  protected readonly ratio = Math.min(2, devicePixelRatio || 1);
  protected readonly width = WIDTH;
  protected readonly height = HEIGHT;

  private readonly all = computed(() =>
    this.tables.rows(this.table()).flatMap((r): DatasetItem[] => {
      if (r.run?.state !== 'done') return [];
      const made = r.run.outputs.flatMap((id) => this.store.datasetEntityMap()[id] ?? []);
      const item = made.find((d) => clientKind(d.info).goes !== 'evidence');
      return item ? [item] : [];
    }),
  );
  protected readonly left = computed(() => Math.max(0, this.all().length - MOST));
  /** The values that all colours go between, where they are of one unit. */
  private readonly scale = computed(() => {
    const scales = this.all().map((d) => {
      const kind = clientKind(d.info);
      return { d, of: kind.between ? kind.scale?.(d.info as never, this.looks.of(d)) : null };
    });
    const groups = new Set(scales.map((s) => s.of?.group));
    if (!scales.length || groups.size !== 1 || scales.some((s) => !s.of || s.of.scale.classes)) return null;
    return {
      low: Math.min(...scales.map((s) => s.of!.scale.low)),
      high: Math.max(...scales.map((s) => s.of!.scale.high)),
      unit: kindOf(scales[0]!.d.info).unit(scales[0]!.d.info) ?? '',
    };
  });
  protected readonly between = computed(() => {
    const s = this.scale();
    const text = (v: number): string => formatNumber(Number(v.toPrecision(4)), Math.abs(v));
    return s && { low: text(s.low), high: text(s.high), unit: displayUnit(s.unit) };
  });
  /** What all lie within, where they are in one system. */
  private readonly frame = computed((): Extent | undefined => {
    let e: Extent | undefined;
    const systems = new Set<string>();
    for (const d of this.all()) {
      const x = extentOf(d.info);
      systems.add(JSON.stringify(kindOf(d.info).system(d.info)?.proj4 ?? null));
      if (x) e = e ? joined(e, x) : x;
    }
    return systems.size === 1 ? e : undefined;
  });
  protected readonly shown = computed(() => {
    const [first] = this.all();
    const [scale, look] = [this.scale(), first && this.looks.of(first)];
    return this.all()
      .slice(0, MOST)
      .map((item) => {
        const kind = clientKind(item.info);
        const own = look && clientKind(first!.info) === kind ? look : this.looks.of(item);
        return { item, look: scale && kind.between ? kind.between(own, scale.low, scale.high) : own };
      });
  });

  constructor() {
    afterRenderEffect((done) => {
      this.bench.dark();
      const [shown, frame] = [this.shown(), this.frame()];
      const abort = new AbortController();
      done(() => abort.abort());
      this.canvases().forEach((c, k) => {
        const m = shown[k];
        if (m)
          void clientKind(m.item.info)
            .thumbnail(c.nativeElement, m.item, m.look, this.tools, abort.signal, frame)
            .catch(() => undefined);
      });
    });
  }

  protected open(id: string): void {
    this.desk.clear();
    this.bench.showBeside(id);
  }
}
