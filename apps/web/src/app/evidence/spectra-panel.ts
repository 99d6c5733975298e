import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  linkedSignal,
  signal,
  viewChild,
} from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { Chart, Filler, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
import { CATEGORY_COLOURS, formatNumber, ofKind, systemText } from '@helk/core';
import type { Spectra } from '@helk/core/glance/spectra';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import { Cursor } from '../state/cursor';
import { DrawnAreas } from '../state/drawn-areas';
import { Glances } from '../state/glances';
import { Naming } from '../state/naming';
import { Picks } from '../state/picks';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Scenes } from '../state/scenes';
import { Training } from '../state/training';
import { themeColour } from './chart-look';
import { spectraConfig, type SpectrumLine } from './spectra-config';
import { TableCopy } from '../parts/table-copy';
import type { CopiedTable } from '../parts/table-text';

Chart.register(LineController, LineElement, PointElement, LinearScale, Tooltip, Filler);

/** What classes, drawn areas and pinned places look like in the bands of a picture. */
@Component({
  selector: 'helk-spectra-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon, TableCopy],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'flex flex-1 min-w-0 min-h-0', 'data-testid': 'spectra' },
  template: `
    <div class="flex-1 min-w-0 relative">
      <div class="absolute inset-0 px-2 pt-2 pb-1" [class.invisible]="!lines().length">
        <canvas #c role="img" [attr.aria-label]="words()"></canvas>
      </div>
      @if (!lines().length) {
        <p class="p-4 text-ink-2 text-[13px] max-w-[52ch]">{{ waiting() }}</p>
      }
    </div>
    <div class="w-[196px] flex-none border-l border-line-soft flex flex-col min-h-0 text-[12.5px]">
      @if (!classed() && groups().length) {
        <select
          class="mx-2 mt-2 !min-h-[28px]"
          aria-label="Classes"
          (change)="of.set($any($event.target).value)"
          data-testid="spectra-classes"
        >
          <option value="" [selected]="!of()">no classes</option>
          @for (g of groups(); track g.id) {
            <option [value]="g.id" [selected]="g.id === of()">{{ g.name }}</option>
          }
        </select>
      }
      <div class="flex-1 min-h-0 overflow-auto py-1">
        @for (l of all(); track l.key) {
          <div class="flex items-center gap-1.5 px-2 h-[26px]" [class.opacity-50]="hidden().has(l.key)">
            <button
              class="flex items-center gap-2 flex-1 min-w-0 text-left h-full"
              (click)="toggle(l.key)"
              [attr.aria-pressed]="!hidden().has(l.key)"
              [title]="l.label + ', ' + count(l.n)"
            >
              <span class="w-3.5 h-[3px] rounded flex-none" [style.background]="l.colour"></span
              ><span class="truncate" [class.font-[600]]="l.lit">{{ l.label }}</span>
            </button>
            @if (l.key.startsWith('area')) {
              <button
                class="icon-btn !w-[24px] !h-[24px]"
                (click)="areas.remove(l.label)"
                [attr.aria-label]="'Forget ' + l.label"
              >
                <ng-icon name="lucideX" size="11" />
              </button>
            }
          </div>
        }
      </div>
      <div class="flex gap-3 px-2 py-1.5 border-t border-line-soft">
        <button class="link flex-1" (click)="areas.draw()">Draw an area</button>
        <helk-table-copy [table]="copied" title="Spectra of classes" [can]="lines().length > 0" />
      </div>
    </div>
  `,
})
export class SpectraPanel {
  readonly item = input.required<DatasetItem>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly scenes = inject(Scenes);
  private readonly glances = inject(Glances);
  private readonly naming = inject(Naming);
  private readonly picks = inject(Picks);
  private readonly training = inject(Training);
  private readonly cursor = inject(Cursor);
  protected readonly areas = inject(DrawnAreas);
  private chart: Chart | null = null;
  protected readonly hidden = signal<ReadonlySet<string>>(new Set());

  /** It is of classes itself, rather than of a picture. */
  protected readonly classed = computed(() => ofKind('raster', this.item().info)?.bands[0]?.kind === 'category');
  private readonly scene = computed(() => (this.classed() ? this.scenes.of(this.item()) : this.item()));
  /** Classes on the grid of the picture. */
  protected readonly groups = computed(() => {
    const scene = this.scene();
    return scene
      ? this.store
          .datasetEntities()
          .filter(
            (d) =>
              ofKind('raster', d.info)?.bands[0]?.kind === 'category' &&
              this.scenes.fitting(d).some((s) => s.id === scene.id),
          )
      : [];
  });
  /** The classes that are shown with a picture. */
  protected readonly of = linkedSignal<string>(() => (this.classed() ? this.item().id : ''));
  private readonly classes = computed(() => this.store.datasetEntityMap()[this.of()]);

  private readonly byClass = signal<Spectra | null>(null);
  private readonly byPlace = signal<Spectra | null>(null);
  private readonly byArea = signal<Spectra | null>(null);
  /** Examples that are being drawn on the picture. */
  private readonly trained = computed(() => {
    const t = this.training.told();
    return t && t.scene === this.scene()?.id ? t : null;
  });
  private readonly here = computed(() => this.bench.readout() ?? this.cursor.framed());

  private readonly bands = computed((): Spectra['bands'] | undefined => {
    const of = (this.byClass() ?? this.byArea() ?? this.byPlace())?.bands;
    return of ?? this.trained()?.examples.bands.map((b) => ({ ...b, role: null }));
  });
  protected readonly all = computed((): SpectrumLine[] => {
    this.bench.dark();
    const out: SpectrumLine[] = [];
    const lit = this.picks.range();
    const classes = this.classes();
    const named = new Map(classes ? this.naming.of(classes).map((c) => [c.value, c]) : []);
    for (const g of this.byClass()?.groups ?? []) {
      const on = lit?.alone === true && lit.dataset === classes?.id && lit.low === g.key;
      const c = named.get(g.key);
      out.push({
        ...g,
        key: `class ${g.key}`,
        label: c && c.label !== String(g.key) && c.label !== `cluster ${g.key}` ? `${g.key} ${c.label}` : `${g.key}`,
        colour: on ? themeColour('--pick') : (c?.colour ?? themeColour('--ink-3')),
        lit: on,
      });
    }
    const trained = this.trained();
    for (const [i, c] of (trained?.examples.classes ?? []).entries())
      if (c.mean.length)
        out.push({
          ...c,
          n: c.cells,
          key: `example ${i}`,
          colour: trained!.colours.get(c.label) ?? themeColour('--ink-3'),
          lit: false,
        });
    const colour = (k: number): string => CATEGORY_COLOURS[k % CATEGORY_COLOURS.length]!;
    for (const g of this.byArea()?.groups ?? [])
      if (g.n) out.push({ ...g, key: `area ${g.label}`, colour: colour(g.key), lit: !classes });
    const pins = this.bench.pins().length;
    for (const g of this.byPlace()?.groups ?? []) {
      if (!g.n) continue;
      const isHere = g.key >= pins;
      out.push({
        ...g,
        key: `place ${isHere ? 'here' : g.key}`,
        label: isHere ? 'here' : `no. ${g.key + 1}`,
        colour: isHere ? themeColour('--ink') : colour(g.key + 5),
        lit: false,
      });
    }
    return out;
  });
  protected readonly lines = computed(() => this.all().filter((l) => !this.hidden().has(l.key)));
  protected readonly waiting = computed(() =>
    !this.scene()
      ? 'There is no picture on the grid of these classes, so what they look like in bands is not known.'
      : this.classes() && !this.byClass()
        ? 'Reading the bands …'
        : 'Click a place in a pane, pin some, draw an area, or choose classes: what they look like in the bands is shown here.',
  );
  protected readonly words = computed(
    () =>
      `Means in the bands of ${this.scene()?.name ?? 'a picture'}: ${this.lines()
        .map((l) => l.label)
        .join(', ')}`,
  );
  protected readonly count = (n: number): string => `${formatNumber(n)} ${n === 1 ? 'cell' : 'cells'}`;

  constructor() {
    const ask = (
      into: typeof this.byClass,
      what: () => { inputs?: Record<string, string>; params: object; any: boolean } | null,
    ): void => {
      let turn = 0;
      effect(() => {
        const scene = this.scene()?.id;
        const w = what();
        const mine = ++turn;
        if (!scene || !w?.any) {
          into.set(null);
          return;
        }
        void this.store
          .guarded(() => this.glances.ask<Spectra>('imagery.spectra', { scene, ...w.inputs }, w.params))
          .then((s) => mine === turn && into.set(s ?? null));
      });
    };
    const crs = (): string => systemText(this.store.crs());
    const classes = computed(() => this.classes()?.id);
    ask(this.byClass, () => {
      const id = classes();
      return id ? { inputs: { classes: id }, params: {}, any: true } : null;
    });
    ask(this.byArea, () => ({ params: { areas: this.areas.all(), crs: crs() }, any: this.areas.all().length > 0 }));
    ask(this.byPlace, () => {
      const h = this.here();
      const places = [...this.bench.pins(), ...(h ? [h] : [])].map((p) => [p.x, p.y]);
      return { params: { places, crs: crs() }, any: places.length > 0 };
    });
    effect(() => {
      const bands = this.bands();
      const lines = this.lines();
      this.chart?.destroy();
      this.chart = bands && lines.length ? new Chart(this.canvas().nativeElement, spectraConfig(bands, lines)) : null;
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  protected toggle(key: string): void {
    this.hidden.update((h) => new Set(h.has(key) ? [...h].filter((k) => k !== key) : [...h, key]));
  }

  protected readonly copied = (): CopiedTable => {
    const bands = this.bands()!;
    const head = ['', 'cells', ...bands.map((b) => `mean ${b.name}`), ...bands.map((b) => `sd ${b.name}`)];
    return [head, ...this.lines().map((l) => [l.label, l.n, ...l.mean, ...l.sd])];
  };
}
