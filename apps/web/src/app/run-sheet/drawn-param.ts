import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  inject,
  input,
  output,
  untracked,
} from '@angular/core';
import { plural, systemOf, transformer } from '@helk/core';
import { Sketch } from '../draw/sketch';
import { Outlines } from '../state/outlines';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** A setting that is drawn on the map: lines or points, kept as a text of coordinates in the system of what is worked on. */
@Component({
  selector: 'helk-drawn-param',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block min-w-0' },
  template: `
    <div class="flex items-baseline gap-2 text-[13px]">
      <span class="flex-1">{{ label() }}</span>
      <span class="num text-ink-2 text-[12px]">{{ told() }}</span>
    </div>
    <div class="flex gap-3 text-[12.5px] mt-0.5">
      <button class="link" (click)="draw()" [attr.data-testid]="'draw-' + name()">
        {{ lines() ? 'Draw a line across' : 'Put one on the map' }}
      </button>
      @if (shapes().length) {
        <button class="link" (click)="back()">Take the last one back</button>
      }
    </div>
  `,
})
export class DrawnParam {
  readonly name = input.required<string>();
  readonly label = input.required<string>();
  readonly value = input.required<string>();
  readonly lines = input(false);
  readonly item = input.required<DatasetItem>();
  /** It is to be drawn at once. */
  readonly begin = input(false);
  readonly changed = output<string>();
  /** It has begun. */
  readonly begun = output<void>();
  private readonly sketch = inject(Sketch);
  private readonly outlines = inject(Outlines);
  private readonly project = inject(ProjectStore);

  protected readonly shapes = computed(() =>
    this.value()
      .split(';')
      .map((s) => s.trim())
      .filter(Boolean),
  );
  protected readonly told = computed(() => {
    const n = this.shapes().length;
    return n ? plural(n, this.lines() ? 'line' : 'place') : 'none';
  });

  constructor() {
    effect(() => {
      const owner = this.name();
      const crs = this.project.crs();
      const go = transformer(systemOf(this.item().info) ?? crs, crs);
      const rings = this.shapes().map((s) =>
        s.split(',').map((c) => {
          const [x, y] = c.trim().split(/\s+/).map(Number);
          const out = [x!, y!];
          go(x!, y!, out);
          return out;
        }),
      );
      const good = rings.filter((r) => r.flat().every(Number.isFinite));
      untracked(() =>
        this.outlines.put(
          owner,
          good.map((ring) => ({ ring, ink: '--pick', ...(this.lines() ? {} : { dots: 6 }) })),
        ),
      );
    });
    effect(() => {
      if (this.begin())
        untracked(() => {
          this.begun.emit();
          this.draw();
        });
    });
    inject(DestroyRef).onDestroy(() => this.outlines.put(this.name(), []));
  }

  protected draw(): void {
    const crs = this.project.crs();
    const own = systemOf(this.item().info) ?? crs;
    const go = transformer(crs, own);
    const digits = own.geographic ? 7 : 1;
    this.sketch.pick(this.lines() ? 'line' : 'point', (corners) => {
      const text = corners
        .map(([x, y]) => {
          const out = [x!, y!];
          go(x!, y!, out);
          return out.map((v) => Number(v.toFixed(digits))).join(' ');
        })
        .join(', ');
      this.changed.emit([...this.shapes(), text].join('; '));
    });
  }

  protected back(): void {
    this.changed.emit(this.shapes().slice(0, -1).join('; '));
  }
}
