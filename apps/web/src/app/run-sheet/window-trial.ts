import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  inject,
  input,
  signal,
  untracked,
} from '@angular/core';
import {
  classColour,
  figureUnit,
  formatFigure,
  formatNumber,
  metresOfPlace,
  transformer,
  type CloudInfo,
  type CloudStyle,
  type Extent,
  type Figure,
  type MethodDescription,
} from '@helk/core';
import type { Tried } from '@helk/core/glance/cloud-window';
import { sentence } from '../api/api';
import { boundsOf, Sketch } from '../draw/sketch';
import { BenchStore } from '../state/bench.store';
import { Glances } from '../state/glances';
import { Looks } from '../state/looks';
import { Outlines, type Outline } from '../state/outlines';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Views } from '../state/views';

/** How long settings have to stand before they are tried. */
const AFTER = 400;
const OWNER = 'trial';

/**
 * What the settings of a run do, tried on a small window before the whole is run: figures, outlines on the maps, points in the colours of the
 * classes they would have.
 */
@Component({
  selector: 'helk-window-trial',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block min-w-0 border-t border-line-soft pt-2', 'data-testid': 'window-trial' },
  template: `
    <div class="flex items-baseline gap-1.5 text-[12.5px]">
      <b class="font-[600]">In this window</b>
      <span class="text-ink-2 flex-1 min-w-0">{{ size() }}</span>
      <button class="link flex-none" (click)="elsewhere()">Put it elsewhere</button>
    </div>
    @if (tried(); as t) {
      <p class="text-[12px] text-ink-2">{{ number(t.points) }} points, every setting as of the whole</p>
    }
    @if (failed(); as why) {
      <p class="text-[12px] text-look mt-0.5" role="status">{{ why }}</p>
    } @else if (tried(); as t) {
      <p class="num text-[12px] mt-1" [class.opacity-50]="busy()" role="status" data-testid="trial-figures">
        {{ told() }}
      </p>
      @if (t.classes.length) {
        <ul class="grid grid-cols-2 gap-x-3 text-[12px] mt-1" [class.opacity-50]="busy()">
          @for (k of t.classes; track k.value) {
            <li class="flex items-center gap-1.5 min-w-0">
              <span class="w-3 h-3 rounded-[2px] flex-none" [style.background]="colour(k.value)"></span>
              <span class="truncate flex-1">{{ k.name }}</span>
              <span class="num text-ink-2">{{ number(k.count) }}</span>
            </li>
          }
        </ul>
      }
    } @else if (busy()) {
      <p class="text-[12px] text-ink-2 mt-0.5" role="status">trying …</p>
    } @else {
      <p class="text-[12px] text-ink-2 mt-0.5">What the settings do is shown here, as soon as they can be run.</p>
    }
  `,
})
export class WindowTrial {
  readonly method = input.required<MethodDescription>();
  readonly item = input.required<DatasetItem>();
  readonly params = input.required<Record<string, unknown>>();
  /** Whether the settings can be run as they are. */
  readonly ready = input(false);
  private readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly glances = inject(Glances);
  private readonly looks = inject(Looks);
  private readonly outlines = inject(Outlines);
  private readonly sketch = inject(Sketch);
  private readonly views = inject(Views);
  protected readonly tried = signal<Tried | null>(null);
  protected readonly failed = signal<string | null>(null);
  protected readonly busy = signal(false);
  /** Where somebody put the window, in the cloud's system. */
  private readonly box = signal<Extent | null>(null);
  private turn = 0;

  private readonly info = computed(() => this.item().info as CloudInfo);
  private readonly look = computed(() => this.looks.of<CloudStyle>(this.item()));
  protected readonly number = (n: number): string => formatNumber(n);
  protected colour(value: number): string {
    return classColour(this.look(), value);
  }

  protected readonly size = computed(() => {
    const t = this.tried();
    if (!t) return '';
    const m = metresOfPlace(this.info().crs);
    const side = (a: number, b: number): string => formatNumber((b - a) * m, 100);
    return `${side(t.box[0], t.box[2])} × ${side(t.box[1], t.box[3])} m`;
  });

  protected readonly told = computed(() => {
    const specs = this.method().figures;
    return Object.entries(this.tried()?.figures ?? {})
      .map(([name, v]) => {
        const spec = specs[name];
        return `${(spec?.label ?? name).toLowerCase()} ${this.text(v, spec?.unit)}`;
      })
      .join(' · ');
  });

  private text(v: Figure, unit: string | undefined): string {
    if (v === null) return '–';
    return typeof v === 'number' ? formatFigure(v, figureUnit(unit, this.params(), { band: this.info() })) : v;
  }

  constructor() {
    // Another cloud is looked at where it lies.
    let of = '';
    effect(() => {
      const id = this.item().id;
      if (of && of !== id) untracked(() => this.box.set(null));
      of = id;
    });
    effect((done) => {
      const [method, item, params, box] = [this.method().id, this.item(), this.params(), this.box()];
      if (!this.ready()) return;
      const timer = setTimeout(() => void this.attempt(method, item.id, params, box), AFTER);
      done(() => clearTimeout(timer));
    });
    effect(() => {
      const t = this.tried();
      const shown = t ? this.drawn(t) : [];
      untracked(() => this.outlines.put(OWNER, shown));
    });
    inject(DestroyRef).onDestroy(() => this.outlines.put(OWNER, []));
  }

  private async attempt(
    method: string,
    cloud: string,
    params: Record<string, unknown>,
    own: Extent | null,
  ): Promise<void> {
    const turn = ++this.turn;
    this.busy.set(true);
    const box = own ?? this.tried()?.box;
    try {
      const t = await this.glances.ask<Tried>(
        'cloud.window',
        { cloud },
        { method, params, ...(box ? { box } : { about: this.lookedAt() }) },
      );
      if (turn !== this.turn) return;
      this.tried.set(t);
      this.failed.set(null);
    } catch (e) {
      if (turn === this.turn) this.failed.set(sentence(e));
    } finally {
      if (turn === this.turn) this.busy.set(false);
    }
  }

  /** The middle of the active pane, in the cloud's system. */
  private lookedAt(): [number, number] | undefined {
    const project = this.store.project();
    const crs = this.store.crs();
    const at = project && this.views.for(this.bench.activePane(), this.bench.linkedView(), crs, project.id).getCenter();
    if (!at) return undefined;
    const out: [number, number] = [0, 0];
    transformer(crs, this.info().crs ?? crs)(at[0]!, at[1]!, out);
    return out.every(Number.isFinite) ? out : undefined;
  }

  protected elsewhere(): void {
    this.sketch.pick('box', (corners) => this.box.set(boundsOf(corners, this.store.crs(), this.item())));
  }

  /** The window, what was made in it, and its points by class, in the panes' system. */
  private drawn(t: Tried): Outline[] {
    const crs = this.store.crs();
    const go = transformer(this.info().crs ?? crs, crs);
    const place = (x: number, y: number): number[] => {
      const out = [0, 0];
      go(x, y, out);
      return out;
    };
    const [w, s, e, n] = t.box;
    const dots = t.classes.map(({ value, xy }): Outline => {
      const ring: number[][] = [];
      for (let i = 0; i < xy.length; i += 2) ring.push(place(xy[i]!, xy[i + 1]!));
      return { ring, ink: this.colour(value), dots: 2 };
    });
    return [
      ...dots,
      ...t.rings.map((r): Outline => ({ ring: r.map(([x, y]) => place(x, y)), ink: '--act' })),
      { ring: [place(w, s), place(e, s), place(e, n), place(w, n), place(w, s)], ink: '--pick' },
    ];
  }
}
