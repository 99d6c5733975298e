import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  Injector,
  input,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import {
  cellArea,
  formatNumber,
  groupsOf,
  isNamed,
  suggestedNames,
  type ClassEntry,
  type RasterInfo,
  percentOf,
} from '@helk/core';
import { readClassTable, writeClassTable } from '@helk/core/formats/class-table';
import { formatRules } from '@helk/core/methods/raster/recode';
import type { Spectra } from '@helk/core/glance/spectra';
import { drawnBand } from '../draw/messages';
import { Drawing } from '../draw/drawing';
import { Steps } from '../evidence/steps';
import { ICONS } from '../parts/icons';
import { chosenFile, saveText } from '../parts/save';
import { SparkLine } from '../parts/spark-line';
import { sparkScale } from '../parts/spark-scale';
import { BenchStore } from '../state/bench.store';
import { Glances } from '../state/glances';
import { Lit } from '../state/lit';
import { Naming } from '../state/naming';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Scenes } from '../state/scenes';

/** Cells that are seen around an example place. */
const AROUND = 70;

interface Place {
  x: number;
  y: number;
  side: number;
}

/** Of so many m²; a tenth of a hectare is told of what is small only. */
function areaWords(m2: number): string {
  const [v, unit] = m2 >= 1e10 ? [m2 / 1e6, 'km²'] : [m2 / 1e4, 'ha'];
  return `${formatNumber(v >= 100 ? Math.round(v) : v, 10)} ${unit}`;
}

/** Clusters are named one by one beside the picture; what is named alike becomes one class, in one run at the end. */
@Component({
  selector: 'helk-interpret',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon, SparkLine],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './interpret.html',
  host: {
    class: 'flex flex-col flex-1 min-h-0',
    '(keydown.control.z)': 'undo($event)',
    '(keydown.meta.z)': 'undo($event)',
  },
})
export class Interpret {
  readonly item = input.required<DatasetItem>();
  protected readonly naming = inject(Naming);
  protected readonly lit = inject(Lit);
  private readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly scenes = inject(Scenes);
  private readonly glances = inject(Glances);
  private readonly drawing = inject(Drawing);
  private readonly steps = inject(Steps);
  private readonly injector = inject(Injector);
  private readonly list = viewChild.required<ElementRef<HTMLElement>>('list');
  private readonly field = viewChild<ElementRef<HTMLInputElement>>('field');

  private readonly info = computed(() => this.item().info as RasterInfo);
  protected readonly fitting = computed(() => this.scenes.fitting(this.item()));
  protected readonly scene = computed(() => this.scenes.of(this.item()));
  protected readonly over = computed(() => {
    const scene = this.scene();
    return scene !== null && this.lit.lies(this.item().id, scene.id);
  });
  /** The class that is lit. */
  protected readonly at = signal<number | null>(null);
  /** The one that is being named, and what has been typed. */
  protected readonly typing = signal<number | null>(null);
  protected readonly text = signal('');
  protected readonly offer = signal(-1);
  protected readonly title = signal('Land cover');
  protected readonly making = signal(false);
  private readonly spectra = signal<Spectra | null>(null);
  private readonly places = signal<ReadonlyMap<number, Place[]>>(new Map());

  protected readonly rows = computed(() => {
    const { grid, bands } = this.info();
    const values = new Map((bands[0]!.facts?.values ?? []).map((v) => [v.value, v.cells]));
    const total = [...values.values()].reduce((s, n) => s + n, 0) || 1;
    const cell = cellArea(grid, grid.rows >> 1);
    return this.naming.of(this.item()).map((c) => {
      const cells = values.get(c.value) ?? 0;
      return {
        ...c,
        colour: c.colour!,
        unsure: c.unsure === true,
        named: isNamed(c),
        size: cells * cell,
        area: areaWords(cells * cell),
        share: percentOf(cells / total),
      };
    });
  });
  protected readonly named = computed(() => this.rows().filter((r) => r.named).length);
  protected readonly unsures = computed(() => this.rows().filter((r) => r.unsure).length);
  protected readonly made = computed(() => groupsOf(this.rows()));
  protected readonly merged = computed(() => this.made().groups.filter((g) => g.from.length > 1));
  protected readonly missing = computed(() => {
    const none = this.rows().filter((r) => !r.named);
    if (!none.length) return '';
    const size = none.reduce((s, r) => s + r.size, 0);
    return `${none.length === 1 ? 'One has' : `${none.length} have`} no name: ${areaWords(size)} would be missing`;
  });

  /** The next one without a name after the lit one, going round; then those that are unsure. */
  protected readonly next = computed(() => this.after((r) => !r.named) ?? this.nextUnsure());
  protected readonly nextUnsure = computed(() => this.after((r) => r.unsure));
  protected readonly nextWords = computed(() => (this.named() < this.rows().length ? 'next unnamed' : 'next unsure'));
  private after(holds: (r: { named: boolean; unsure: boolean }) => boolean): number | null {
    const all = this.rows();
    const from = all.findIndex((r) => r.value === this.at()) + 1;
    return [...all.slice(from), ...all.slice(0, from)].find(holds)?.value ?? null;
  }

  protected readonly offers = computed(() => {
    const own = this.rows().filter((r) => r.named && r.value !== this.typing());
    return suggestedNames(this.text(), [...own, ...this.naming.known()]);
  });
  /** What would complete what is typed. */
  protected readonly completion = computed(() => {
    const t = this.text();
    const o = this.offer() >= 0 ? this.offers()[this.offer()] : this.offers()[0];
    return t && o?.label.toLowerCase().startsWith(t.toLowerCase()) ? o.label.slice(t.length) : '';
  });

  protected readonly scale = computed(() => {
    const s = this.spectra();
    return sparkScale(
      s?.bands ?? [],
      (s?.groups ?? []).map((g) => g.mean),
    );
  });
  protected spectrumOf(value: number): number[] | null {
    return this.spectra()?.groups.find((g) => g.key === value)?.mean ?? null;
  }
  protected placesOf(value: number): Place[] {
    return this.places().get(value) ?? [];
  }

  constructor() {
    // The picture and its classes stand side by side.
    let opened = '';
    effect(() => {
      const [id, scene] = [this.item().id, this.scene()?.id];
      if (opened === `${id} ${scene}`) return;
      opened = `${id} ${scene}`;
      untracked(() => this.sideBySide(scene));
    });
    effect(() => this.lit.light(this.item().id, this.at()));
    // A click tells the class.
    effect(() => {
      const place = this.bench.readout();
      if (!place) return;
      const source = drawnBand(this.store.project()?.id ?? '', untracked(this.item).id, untracked(this.info));
      void this.drawing.value({ kind: 'value', source, crs: this.store.crs(), ...place }).then(({ value }) => {
        if (value !== null && value === value && this.rows().some((r) => r.value === value)) this.at.set(value);
      });
    });
    effect(() => {
      const id = this.item().id;
      const scene = this.scene()?.id;
      this.spectra.set(null);
      if (scene)
        void this.store
          .guarded(() => this.glances.ask<Spectra>('imagery.spectra', { scene, classes: id }))
          .then((s) => s && this.spectra.set(s));
    });
    effect(() => {
      const id = this.item().id;
      type Found = { classes: { value: number; places: Place[] }[] };
      void this.store
        .guarded(() => this.glances.ask<Found>('imagery.examplePlaces', { classes: id }))
        .then((f) => f && this.places.set(new Map(f.classes.map((c) => [c.value, c.places]))));
    });
    effect(() => {
      const v = this.at();
      this.list().nativeElement.querySelector(`[data-class="${v}"]`)?.scrollIntoView({ block: 'nearest' });
    });
    inject(DestroyRef).onDestroy(() => this.putAway());
  }

  private sideBySide(scene: string | undefined): void {
    const seen = (id: string): boolean =>
      this.bench.panes().some((p) => p.layers.some((l) => l.dataset === id && l.visible));
    this.bench.set({ linkedView: true, linkedCursor: true });
    if (scene && !seen(scene)) this.bench.show(scene, this.bench.panes()[0]!.id, false);
    if (!seen(this.item().id)) this.bench.showBeside(this.item().id);
    this.bench.set({ selected: this.item().id, panel: { dataset: this.item().id, panel: 'spectra' }, evidence: true });
    if (this.at() === null) this.at.set(this.next() ?? this.rows()[0]?.value ?? null);
  }

  /** Nothing stands out any more, and the picture is as it was. */
  private putAway(): void {
    const scene = this.scene();
    if (this.over() && scene) this.lit.lay(this.item().id, scene.id, false);
    this.lit.out();
  }

  protected choose(scene: string): void {
    this.scenes.choose(this.item().id, scene);
  }

  /** @param typed what has been typed already */
  protected begin(value: number, typed = ''): void {
    this.at.set(value);
    const r = this.rows().find((x) => x.value === value);
    this.text.set(typed || (r?.named ? r.label : ''));
    this.offer.set(-1);
    this.typing.set(value);
    afterNextRender(
      () => {
        this.field()?.nativeElement.focus();
        if (!typed) this.field()?.nativeElement.select();
      },
      { injector: this.injector },
    );
  }

  /** Gives the name and goes on with the next one that has none. */
  protected take(value: number, label: string): void {
    this.naming.name(this.item(), value, label);
    this.typing.set(null);
    const next = this.after((r) => !r.named);
    if (next !== null && label.trim()) this.begin(next);
    else this.list().nativeElement.focus();
  }

  /** What was typed is kept when one goes elsewhere. */
  protected left(value: number): void {
    if (this.typing() !== value) return;
    const was = this.rows().find((r) => r.value === value);
    const t = this.text().trim();
    this.typing.set(null);
    if (t !== (was?.named ? was.label : '')) this.naming.name(this.item(), value, t);
  }

  protected nameKeys(e: KeyboardEvent, value: number): void {
    const offers = this.offers();
    const chosen = offers[this.offer()];
    if (e.key === 'Enter') this.take(value, chosen?.label ?? this.text());
    else if (e.key === 'Tab' && this.completion() && !e.shiftKey) this.text.set(this.text() + this.completion());
    else if (e.key === 'ArrowDown' && offers.length) this.offer.set((this.offer() + 1) % offers.length);
    else if (e.key === 'ArrowUp' && offers.length)
      this.offer.set(((this.offer() + offers.length) % (offers.length + 1)) - 1);
    else if (e.key === 'PageDown') this.go(value, this.turn++);
    else if (e.key === 'Escape') {
      this.typing.set(null);
      this.list().nativeElement.focus();
    } else if (e.key.toLowerCase() === 'z' && (e.ctrlKey || e.metaKey) && !this.text()) this.undo();
    else {
      e.stopPropagation();
      return;
    }
    e.preventDefault();
    e.stopPropagation();
  }

  private turn = 0;

  protected keys(e: KeyboardEvent): void {
    const all = this.rows();
    const i = all.findIndex((r) => r.value === this.at());
    const at = this.at();
    if (e.key === 'ArrowDown') this.at.set(all[Math.min(all.length - 1, i + 1)]!.value);
    else if (e.key === 'ArrowUp') this.at.set(all[Math.max(0, i - 1)]!.value);
    else if (at === null || e.ctrlKey || e.metaKey || e.altKey || e.target !== this.list().nativeElement) return;
    else if (e.key === 'Enter' || e.key === 'F2') this.begin(at);
    else if (e.key === '?') this.naming.unsure(this.item(), at);
    else if (/^[1-3]$/.test(e.key)) this.go(at, Number(e.key) - 1);
    else if (/^\p{L}$/u.test(e.key)) this.begin(at, e.key);
    else return;
    e.preventDefault();
    e.stopPropagation();
  }

  protected undo(e?: Event): void {
    if (e?.target instanceof HTMLInputElement && e.target.type === 'text') return;
    this.naming.undo(this.item());
    e?.preventDefault();
  }

  protected go(value: number, k: number): void {
    const all = this.placesOf(value);
    const p = all[k % (all.length || 1)];
    if (!p) return;
    this.at.set(value);
    const { grid } = this.info();
    const half = p.side / 2;
    this.steps.go(
      this.item(),
      (p.x - grid.x) / grid.dx - half,
      (grid.y - p.y) / grid.dy - half,
      p.side,
      p.side,
      AROUND,
    );
  }

  /** One run that recodes the clusters into what they are called. */
  protected async make(): Promise<void> {
    const { groups, unnamed } = this.made();
    const method = this.store.serving().get('make classes of names');
    if (!method) return;
    const rules = formatRules({
      rules: groups.flatMap((g) =>
        g.from.map((v) => ({
          from: v,
          to: v,
          value: g.value,
          label: g.label,
          ...(g.colour && { colour: g.colour }),
        })),
      ),
      rest: unnamed.length ? 'missing' : null,
    });
    this.making.set(true);
    const made = await this.store.guarded(() =>
      this.store.runToEnd(method.id, { [Object.keys(method.inputs)[0]!]: [this.item().id] }, { rules }),
    );
    this.making.set(false);
    if (!made) return;
    await this.store.patchDataset(made[0]!, { name: this.title().trim() || 'Land cover' });
    this.putAway();
    this.bench.leaveWork();
    this.bench.replaceLayer(this.item().id, made[0]!);
    this.store.notify(`Made “${this.title().trim() || 'Land cover'}”; the clusters and their names stay as they are.`);
  }

  protected save(): void {
    const all = this.rows().map(({ value, label, colour }) => ({ value, label, colour }));
    saveText(writeClassTable(all), 'classes.json', 'application/json');
  }

  protected async load(field: HTMLInputElement): Promise<void> {
    const file = chosenFile(field);
    if (!file) return;
    await this.store.guarded(async () => {
      const all = readClassTable(await file.text());
      const of = (c: ClassEntry) => all.find((x) => x.value === c.value) ?? all.find((x) => x.label === c.label);
      const found = this.rows().filter((r) => of(r)).length;
      this.naming.put(
        this.item(),
        this.naming
          .of(this.item())
          .map((c) => ({ ...c, label: of(c)?.label ?? c.label, colour: of(c)?.colour ?? c.colour })),
      );
      for (const c of all) if (isNamed({ value: c.value ?? NaN, label: c.label })) this.naming.remember(c);
      this.store.notify(`${found} of ${this.rows().length} classes have a name in ${file.name}.`);
    });
  }
}
