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
import { columnsOf, dataOf, extentOf, meantWords, type Features, type VectorStyle } from '@helk/core';
import { figure, quartersOf } from './quarters';
import { onPaper } from '../draw/theme';
import { drawSmall } from '../kinds/features';
import { BenchStore } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { Looks } from '../state/looks';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** Pictures side by side; more would be too small to compare. */
const MOST = 12;
const [WIDTH, HEIGHT] = [144, 104];

interface Frame {
  key: string;
  item: DatasetItem;
  column: string;
  words: string;
}

/** The classes of a run for each of its distances, and those of other runs of the same method on the same features: one frame, one key. */
@Component({
  selector: 'helk-several-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-col flex-1 min-w-0 min-h-0 overflow-auto px-3.5 py-2 gap-2', 'data-testid': 'several' },
  template: `
    @if (legend().length) {
      <ul class="flex-none flex flex-wrap gap-x-4 gap-y-0.5 text-[12px]" aria-label="Key">
        @for (e of legend(); track e.key) {
          <li class="flex items-center gap-1.5">
            <span class="w-4 h-2.5 rounded-[2px] border border-line" [style.background]="e.colour"></span>{{ e.key }}
          </li>
        }
      </ul>
    }
    <div class="flex flex-wrap gap-x-3.5 gap-y-2">
      @for (m of frames(); track m.key) {
        <figure class="flex-none m-0">
          <button
            class="block border rounded-[3px] bg-paper hover:border-act"
            [class]="m.item.id === item().id ? 'border-line' : 'border-line-soft'"
            (click)="open(m)"
            [title]="m.item.name + ', ' + m.words + ': in a pane beside'"
            [attr.data-testid]="'frame-' + m.column"
          >
            <canvas
              #c
              [width]="width * ratio"
              [height]="height * ratio"
              [style.width.px]="width"
              [style.height.px]="height"
              role="img"
              [attr.aria-label]="m.words"
            ></canvas>
          </button>
          <figcaption class="text-[12px] mt-1" [style.max-width.px]="width">
            <span class="block truncate font-[550]" [title]="m.words">{{ m.words }}</span>
            <span class="num text-ink-2 text-[11px] block">{{ counts().get(m.key) ?? '' }}</span>
          </figcaption>
        </figure>
      } @empty {
        <p class="text-ink-2">Reading …</p>
      }
      @if (frames().length === 1) {
        <p class="text-ink-2 text-[12px] max-w-[240px]">
          Runs of the same method on the same features come to stand here.
        </p>
      }
    </div>
  `,
})
export class SeveralPanel {
  readonly item = input.required<DatasetItem>();
  private readonly data = inject(FeatureData);
  private readonly looks = inject(Looks);
  private readonly bench = inject(BenchStore);
  private readonly project = inject(ProjectStore);
  private readonly canvases = viewChildren<ElementRef<HTMLCanvasElement>>('c');
  protected readonly width = WIDTH;
  protected readonly height = HEIGHT;
  protected readonly ratio = Math.min(2, devicePixelRatio || 1);

  private readonly look = computed(() => this.looks.of<VectorStyle>(this.item()));
  /** The key of this one counts for all. */
  private readonly by = computed(() => {
    const by = this.look().by;
    return by.kind === 'category' ? by : null;
  });
  protected readonly legend = computed(() =>
    Object.entries(this.by()?.colours ?? {}).map(([key, colour]) => ({
      key: meantWords(key),
      colour: onPaper(colour, this.bench.dark()),
    })),
  );

  protected readonly frames = computed((): Frame[] => {
    const own = this.item();
    const run = this.project.madeBy(own);
    const all = [
      own,
      ...this.project.datasetEntities().filter((d) => {
        const r = this.project.madeBy(d);
        return (
          d.id !== own.id &&
          d.role === own.role &&
          r?.method === run?.method &&
          r?.inputs['features']?.[0] === run?.inputs['features']?.[0]
        );
      }),
    ];
    // In the order of what they are of, so that years stand in theirs.
    const frames = all.flatMap((d) => this.framesOf(d, all));
    return frames
      .map((f, i) => ({ f, i }))
      .sort((a, b) =>
        own.role === 'gathered' ? a.i - b.i : a.f.words.localeCompare(b.f.words, 'en', { numeric: true }),
      )
      .map(({ f }) => f)
      .slice(0, MOST);
  });

  private framesOf(d: DatasetItem, all: readonly DatasetItem[]): Frame[] {
    const run = this.project.madeBy(d);
    const p = run?.params ?? {};
    const prefix = String(p['prefix'] ?? '');
    const first = this.firstNew(d);
    const columns = columnsOf(d.info)
      .slice(first)
      .filter((c) => c.type === 'text' && (c.name.startsWith(`${prefix}cluster`) || c.name.startsWith('quadrant')));
    // What others have otherwise is what tells them apart.
    const others = all.map((o) => this.project.madeBy(o)?.params ?? {});
    const telling = Object.keys(p).filter(
      (k) => k !== 'prefix' && k !== 'column' && others.some((o) => String(o[k]) !== String(p[k])),
    );
    return columns.map((c) => {
      const distance = c.name.slice(`${prefix}cluster_`.length);
      return {
        key: `${d.id}/${c.name}`,
        item: d,
        column: c.name,
        words: [
          String(p['column'] ?? d.name),
          ...(columns.length > 1 ? [`within ${distance.replace(/(\d)(k?m)$/, '$1 $2')}`] : []),
          ...telling.filter((k) => k !== 'distances').map((k) => `${k} ${String(p[k])}`),
        ].join(', '),
      };
    });
  }

  /** Columns that a run added come after those of its features. */
  private firstNew(d: DatasetItem): number {
    const run = this.project.madeBy(d);
    const from = this.project.datasetEntityMap()[run?.inputs['features']?.[0]?.split('#')[0] ?? ''];
    return from ? columnsOf(from.info).length : 0;
  }

  protected readonly counts = computed(() => {
    const out = new Map<string, string>();
    for (const m of this.frames()) {
      const f = dataOf('features', this.data.now(m.item.id));
      const c = f?.columns.find((o) => o.name === m.column);
      if (!c) continue;
      const n = (start: string): number =>
        (c.values as string[]).filter((v, i) => !c.missing?.[i] && v.startsWith(start)).length;
      const run = this.project.madeBy(m.item);
      const i = run && (run.figures['i'] ?? quartersOf(f!, run)?.slope);
      out.set(m.key, `${typeof i === 'number' ? `I ${figure(i)} · ` : ''}${n('high')} high, ${n('low')} low`);
    }
    return out;
  });

  constructor() {
    afterRenderEffect(() => {
      this.bench.dark();
      const frames = this.frames();
      this.canvases().forEach((c, k) => {
        const m = frames[k];
        const f = m && dataOf('features', this.data.now(m.item.id));
        if (m && f) this.draw(c.nativeElement, f, m);
      });
    });
  }

  private draw(canvas: HTMLCanvasElement, f: Features, m: Frame): void {
    const [by, e] = [this.by(), extentOf(this.item().info)];
    if (e && by) drawSmall(canvas, f, e, { ...this.look(), by: { ...by, column: m.column } });
  }

  protected open(m: Frame): void {
    const by = this.by();
    if (by) this.bench.showBesideAs(m.item.id, { ...this.look(), by: { ...by, column: m.column } });
  }
}
