import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  HostListener,
  inject,
  input,
  signal,
  untracked,
} from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import {
  CATEGORY_COLOURS,
  columnsOf,
  formatNumber,
  namedColour,
  ofKind,
  parseCrs,
  systemOf,
  systemText,
  transformer,
  valueOf,
} from '@helk/core';
import { suggestClass } from '@helk/core/data/class-column';
import { Sketch } from '../draw/sketch';
import { ICONS } from '../parts/icons';
import { SparkLine } from '../parts/spark-line';
import { sparkScale } from '../parts/spark-scale';
import { BenchStore } from '../state/bench.store';
import { Drafts } from '../state/drafts';
import { FeatureData } from '../state/feature-data';
import { Glances } from '../state/glances';
import { Naming } from '../state/naming';
import { Outlines } from '../state/outlines';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Training, type Examples } from '../state/training';

const WORK = 'train';
const MOST_AREAS = 2000;
/** Distances under which classes look alike, and are hard to tell (common practice, no source). */
const ALIKE = 1;
const HARD = 1.8;
const SHOWN_PAIRS = 6;

interface Area {
  label: string;
  ring: [number, number][];
}
/** Examples that have been drawn so far, in the system that their corners are in. */
interface Draft {
  classes: { label: string; colour: string }[];
  areas: Area[];
  crs: string;
}

/** Areas are drawn class by class; how far the classes lie apart is told while they are. */
@Component({
  selector: 'helk-train',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon, SparkLine],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './train.html',
  host: { class: 'flex flex-col flex-1 min-h-0', 'data-testid': 'train' },
})
export class Train {
  readonly item = input.required<DatasetItem>();
  private readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly sketch = inject(Sketch);
  private readonly drafts = inject(Drafts);
  private readonly glances = inject(Glances);
  private readonly data = inject(FeatureData);
  private readonly naming = inject(Naming);
  private readonly outlines = inject(Outlines);
  private readonly training = inject(Training);

  /** What was drawn before has come. */
  protected readonly ready = signal(false);
  private readonly draft = signal<Draft>({ classes: [], areas: [], crs: '' });
  protected readonly before = signal<readonly Draft[]>([]);
  protected readonly drawing = signal<string | null>(null);
  protected readonly asking = signal(false);
  protected readonly keeping = signal(false);
  private readonly told = signal<Examples | null>(null);

  protected readonly areas = computed(() => this.draft().areas);
  protected readonly drawnClasses = computed(() => new Set(this.areas().map((a) => a.label)).size);
  protected readonly classes = computed(() =>
    this.draft().classes.map((c) => {
      const n = this.areas().filter((a) => a.label === c.label).length;
      const t = this.told()?.classes.find((x) => x.label === c.label);
      return {
        ...c,
        mean: t?.mean ?? [],
        words: n
          ? `${n} ${n === 1 ? 'area' : 'areas'}${t ? ` · ${formatNumber(t.cells)} ${t.cells === 1 ? 'cell' : 'cells'}` : ''}`
          : 'nothing drawn',
      };
    }),
  );
  protected readonly known = computed(() => [...new Set(this.naming.known().map((k) => k.label))].slice(0, 40));
  protected readonly scale = computed(() => {
    const t = this.told();
    return sparkScale(
      t?.bands ?? [],
      (t?.classes ?? []).map((c) => c.mean),
    );
  });
  protected readonly pairs = computed(() =>
    [...(this.told()?.pairs ?? [])]
      .sort((p, q) => p.jeffriesMatusita - q.jeffriesMatusita)
      .slice(0, SHOWN_PAIRS)
      .map((p) => ({
        key: `${p.a}/${p.b}`,
        a: p.a,
        b: p.b,
        value: p.jeffriesMatusita,
        text: p.jeffriesMatusita.toFixed(2),
        near: p.jeffriesMatusita < HARD,
        words:
          p.jeffriesMatusita < ALIKE
            ? 'They look the same in these bands: should they be one class?'
            : p.jeffriesMatusita < HARD
              ? 'Hard to tell apart: some cells will be given the wrong one.'
              : 'Told apart well.',
      })),
  );
  protected readonly few = computed(() => {
    const all = (this.told()?.few ?? []).filter((l) => this.areas().some((a) => a.label === l));
    const bands = this.told()?.bands.length ?? 0;
    return all.length
      ? `Too few cells to compare: ${all.join(', ')}. More than ${bands} are needed for ${bands} bands.`
      : '';
  });
  /** Areas with a column of texts, that could be begun with. */
  protected readonly others = computed(() =>
    this.store
      .datasetEntities()
      .filter(
        (d) =>
          ofKind('features', d.info)?.geometry === 'polygon' &&
          columnsOf(d.info).some((c) => c.type === 'text') &&
          (ofKind('features', d.info)?.count ?? 0) <= MOST_AREAS,
      ),
  );

  constructor() {
    let read = '';
    effect(() => {
      const id = this.item().id;
      if (read === id) return;
      read = id;
      this.ready.set(false);
      untracked(() => void this.resume(id));
    });
    effect(() => this.ask());
    effect(() => {
      const colours = new Map(this.draft().classes.map((c) => [c.label, c.colour]));
      this.outlines.put(
        WORK,
        this.areas().map((a) => ({ ring: [...a.ring, a.ring[0]!], ink: colours.get(a.label) ?? '--pick' })),
      );
      const examples = this.told();
      this.training.told.set(examples && { scene: this.item().id, examples, colours });
    });
    inject(DestroyRef).onDestroy(() => {
      this.stop();
      this.outlines.put(WORK, []);
      this.training.told.set(null);
    });
  }

  private async resume(id: string): Promise<void> {
    const d = await this.store.guarded(() => this.drafts.read<Draft>(id, WORK));
    if (this.item().id !== id) return;
    this.ready.set(true);
    const crs = systemText(this.store.crs());
    // What was drawn in another system is brought to the one that is looked at now.
    const go = d?.crs && d.crs !== crs ? transformer(parseCrs(d.crs), this.store.crs()) : null;
    const moved = ([x, y]: [number, number]): [number, number] => {
      const out = [x, y];
      go?.(x, y, out);
      return out as [number, number];
    };
    this.draft.set({
      classes: d?.classes ?? [],
      areas: (d?.areas ?? []).map((a) => ({ ...a, ring: a.ring.map(moved) })),
      crs,
    });
    this.before.set([]);
    this.bench.set({ panel: { dataset: id, panel: 'spectra' } });
    if (!this.bench.panes().some((p) => p.layers.some((l) => l.dataset === id && l.visible)))
      this.bench.show(id, this.bench.activePane(), false);
  }

  private turn = 0;
  private ask(): void {
    const areas = this.areas();
    const scene = this.item().id;
    const mine = ++this.turn;
    if (!areas.length) {
      this.told.set(null);
      return;
    }
    this.asking.set(true);
    void this.store
      .guarded(() =>
        this.glances.ask<Examples>('imagery.examples', { scene }, { areas, crs: untracked(this.draft).crs }),
      )
      .then((t) => {
        if (mine !== this.turn) return;
        this.asking.set(false);
        if (t) this.told.set(t);
      });
  }

  private put(patch: Partial<Draft>): void {
    this.before.update((b) => [...b, this.draft()]);
    this.set({ ...this.draft(), ...patch });
  }
  private set(draft: Draft): void {
    this.draft.set(draft);
    this.drafts.keep(this.item().id, WORK, draft.classes.length ? draft : null);
  }

  protected undo(): void {
    const last = this.before().at(-1);
    if (!last) return;
    this.before.update((b) => b.slice(0, -1));
    this.set(last);
    if (!last.classes.some((c) => c.label === this.drawing())) this.stop();
  }

  protected add(field: HTMLInputElement, e: Event): void {
    e.preventDefault();
    const label = field.value.trim();
    field.value = '';
    if (!label || !this.ready()) return;
    const { classes } = this.draft();
    const there = classes.find((c) => c.label.toLowerCase() === label.toLowerCase());
    if (!there) this.put({ classes: [...classes, { label, colour: this.colourFor(label, classes) }] });
    field.blur();
    this.draw(there?.label ?? label);
  }

  private colourFor(label: string, classes: Draft['classes']): string {
    const known = this.naming.known().find((k) => k.label.toLowerCase() === label.toLowerCase())?.colour;
    const free = CATEGORY_COLOURS.find((c) => !classes.some((x) => x.colour === c));
    return known ?? namedColour(label) ?? free ?? CATEGORY_COLOURS[classes.length % CATEGORY_COLOURS.length]!;
  }

  protected recolour(label: string, colour: string): void {
    this.put({ classes: this.draft().classes.map((c) => (c.label === label ? { ...c, colour } : c)) });
    this.naming.remember({ label, colour });
  }

  protected drop(label: string): void {
    if (this.drawing() === label) this.stop();
    this.put({
      classes: this.draft().classes.filter((c) => c.label !== label),
      areas: this.areas().filter((a) => a.label !== label),
    });
  }

  /** Areas of a class one after the other, until it is stopped. */
  protected draw(label: string): void {
    this.drawing.set(label);
    this.sketch.pick('polygon', (ring) => {
      this.put({ areas: [...this.areas(), { label, ring: ring as [number, number][] }] });
      if (this.drawing() === label) this.draw(label);
    });
  }

  protected stop(): void {
    if (this.drawing() !== null) this.sketch.cancel();
    this.drawing.set(null);
  }

  @HostListener('document:keydown', ['$event'])
  protected keys(e: KeyboardEvent): void {
    const typing = e.target instanceof HTMLInputElement && e.target.type !== 'color';
    if (typing || e.altKey || !this.ready() || this.bench.askOpen()) return;
    const k = /^[1-9]$/.test(e.key) ? this.draft().classes[Number(e.key) - 1] : undefined;
    if (k && !e.ctrlKey && !e.metaKey) this.draw(k.label);
    else if (e.key === 'Escape') this.drawing.set(null);
    else if (e.key.toLowerCase() === 'z' && (e.ctrlKey || e.metaKey)) this.undo();
    else return;
    e.preventDefault();
  }

  /** Takes over areas of a set with the class that they name: the outer ring of each. */
  protected async beginWith(field: HTMLSelectElement): Promise<void> {
    const d = this.store.datasetEntityMap()[field.value];
    field.value = '';
    if (!d) return;
    await this.store.guarded(() => this.data.get(d.id));
    const f = this.data.features(d.id);
    if (!f) return;
    const texts = columnsOf(d.info).filter((c) => c.type === 'text');
    const column = f.columns.find((c) => c.name === suggestClass(texts)?.value);
    if (!column) return;
    const go = transformer(systemOf(d.info) ?? this.store.crs(), this.store.crs());
    const areas: Area[] = [];
    for (let i = 0; i < f.featureOffsets.length - 1; i++) {
      const label = String(valueOf(column, i) ?? '').trim();
      if (!label) continue;
      for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
        const r = f.partOffsets[p]!;
        const ring: [number, number][] = [];
        for (let k = f.ringOffsets[r]!; k < f.ringOffsets[r + 1]! - 1; k++) {
          const out = [0, 0];
          go(f.xy[2 * k]!, f.xy[2 * k + 1]!, out);
          ring.push([out[0]!, out[1]!]);
        }
        areas.push({ label, ring });
      }
    }
    const classes: Draft['classes'] = [...this.draft().classes];
    for (const { label } of areas)
      if (!classes.some((c) => c.label === label)) classes.push({ label, colour: this.colourFor(label, classes) });
    this.put({ classes, areas: [...this.areas(), ...areas].slice(0, MOST_AREAS) });
  }

  /** The areas become a set of the project, which the picture is classified by. */
  protected async keep(): Promise<void> {
    const method = this.store.serving().get('learn from examples');
    if (!method) return;
    this.stop();
    const { areas, crs } = this.draft();
    const digits = this.store.crs().geographic ? 9 : 3;
    const at = (c: [number, number]): number[] => c.map((v) => Number(v.toFixed(digits)));
    const text = JSON.stringify({
      type: 'FeatureCollection',
      features: areas.map((a) => ({
        type: 'Feature',
        properties: { class: a.label },
        geometry: { type: 'Polygon', coordinates: [[...a.ring, a.ring[0]!].map(at)] },
      })),
    });
    this.keeping.set(true);
    const [made] = await this.store.takeInNow([new File([text], 'training areas.geojson')], crs);
    this.keeping.set(false);
    if (!made) return;
    for (const c of this.draft().classes) this.naming.remember(c);
    this.bench.leaveWork();
    const [scene, training] = Object.keys(method.inputs) as [string, string];
    this.bench.openSheet(method.id, { [scene]: [this.item().id], [training]: [made] }, { classColumn: 'class' });
  }
}
