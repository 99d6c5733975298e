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
  cellMetres,
  columnsOf,
  CATEGORY_COLOURS,
  formatLength,
  namedColour,
  ofKind,
  Random,
  systemOf,
  transformer,
  type RasterInfo,
} from '@helk/core';
import { datasetsIn } from '@helk/core/api/refs';
import { writeEdits } from '@helk/core/methods/features/edit';
import { InView } from '../pane/in-view';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import { Cursor } from '../state/cursor';
import { Drafts } from '../state/drafts';
import { FeatureData } from '../state/feature-data';
import { boxOf, gridPlaces } from '../state/grid-places';
import { Looks } from '../state/looks';
import { classTableOf } from '../state/naming';
import type { Pane } from '../state/panes';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Scenes } from '../state/scenes';
import { Views } from '../state/views';

const WORK = 'label';
/** Column that the labels are kept in. */
const COLUMN = 'found';
const KEYS = '123456789abcdefghijklmnopqrstuvwxyz';

/** How far the labelling has come. */
interface Draft {
  /** By row; null is undecided. */
  labels: Record<string, string | null>;
  /** Classes that were named here. */
  added: string[];
  at: number;
}

/** Goes from place to place, with the picture around each; the map that is being checked is out of sight. */
@Component({
  selector: 'helk-label',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './label.html',
  host: { class: 'flex flex-col flex-1 min-h-0', 'data-testid': 'label' },
})
export class Label {
  readonly item = input.required<DatasetItem>();
  private readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly scenes = inject(Scenes);
  private readonly drafts = inject(Drafts);
  private readonly data = inject(FeatureData);
  private readonly cursor = inject(Cursor);
  private readonly views = inject(Views);
  private readonly inView = inject(InView);
  private readonly looks = inject(Looks);

  /** What was labelled before has come. */
  protected readonly ready = signal(false);
  private readonly labels = signal<ReadonlyMap<number, string | null>>(new Map());
  private readonly added = signal<readonly string[]>([]);
  /** The place that is looked at, by its turn. */
  protected readonly at = signal(0);
  /** Rows that were labelled, each with what it was before; undefined where it had none. */
  protected readonly steps = signal<readonly { row: number; was: string | null | undefined }[]>([]);
  protected readonly around = signal(30);
  protected readonly keeping = signal(false);
  private readonly chosen = signal<{ picture?: string; map?: string }>({});

  protected readonly count = computed(() => ofKind('features', this.item().info)?.count ?? 0);
  /** Places come in an order of chance: drawn class by class, their neighbours would tell. */
  private readonly order = computed(() => {
    const all = Array.from({ length: this.count() }, (_, i) => i);
    const random = new Random(1);
    for (let i = all.length - 1; i > 0; i--) {
      const k = random.below(i + 1);
      [all[i], all[k]] = [all[k]!, all[i]!];
    }
    return all;
  });
  protected readonly row = computed(() => this.order()[this.at()] ?? 0);
  protected readonly here = computed(() => this.labels().get(this.row()));
  protected readonly labelled = computed(() => [...this.labels().values()].filter((v) => v !== null).length);
  protected readonly undecided = computed(() => this.labels().size - this.labelled());
  protected readonly summary = computed(() => {
    const left = this.count() - this.labels().size;
    return left
      ? `${left} ${left === 1 ? 'place is' : 'places are'} not labelled yet.`
      : 'Every place has been looked at.';
  });

  /** Maps of classes: the one that the places were drawn from first. */
  protected readonly maps = computed(() => {
    const run = this.store.madeBy(this.item());
    const from = run ? datasetsIn(run.inputs) : [];
    const all = this.store.datasetEntities().filter((d) => ofKind('raster', d.info)?.bands[0]?.kind === 'category');
    return [...all.filter((d) => from.includes(d.id)), ...all.filter((d) => !from.includes(d.id)).reverse()];
  });
  protected readonly map = computed(() => {
    const { map } = this.chosen();
    return map === '' ? null : (this.maps().find((d) => d.id === map) ?? this.maps()[0] ?? null);
  });
  protected readonly hidden = computed(() => this.map()?.name ?? '');
  protected readonly pictures = computed(() => {
    const map = this.map();
    const fitting = map ? this.scenes.fitting(map) : [];
    const others = this.store.datasetEntities().filter((d) => this.scenes.is(d) && !fitting.includes(d));
    return [...fitting.filter((d) => this.scenes.is(d)), ...others];
  });
  protected readonly picture = computed(
    () => this.pictures().find((d) => d.id === this.chosen().picture) ?? this.pictures()[0] ?? null,
  );
  protected readonly classes = computed(() => {
    const map = this.map();
    const known = map ? classTableOf(map.info as RasterInfo) : [];
    const more = this.added().filter((l) => !known.some((c) => c.label === l));
    const all = [
      ...known.map((c) => ({ label: c.label, colour: c.colour! })),
      ...more.map((label, i) => ({ label, colour: namedColour(label) ?? CATEGORY_COLOURS[(i + 3) % 10]! })),
    ];
    return all.slice(0, KEYS.length).map((c, i) => ({ ...c, key: KEYS[i]! }));
  });

  /** The grid of the picture or map, in which the place is a cell. */
  private readonly grid = computed(() => ofKind('raster', (this.map() ?? this.picture())?.info)?.grid ?? null);
  protected readonly across = computed(() => {
    const g = this.grid();
    return g ? formatLength(2 * this.around() * cellMetres(g, g.rows >> 1)[0]) : '';
  });

  protected readonly open = (row: number): boolean => !this.labels().has(row);
  protected readonly undecidedOnly = (row: number): boolean => this.labels().get(row) === null;

  /** The panes as they were, to be put back. */
  private before: Pane[] | null = null;

  constructor() {
    let read = '';
    effect(() => {
      const id = this.item().id;
      if (read === id) return;
      read = id;
      this.ready.set(false);
      untracked(() => void this.resume(id));
    });
    // Only the picture is seen.
    effect(() => {
      const picture = this.picture()?.id;
      untracked(() => this.look(picture));
    });
    effect(() => this.goThere());
    inject(DestroyRef).onDestroy(() => {
      this.cursor.framed.set(null);
      if (this.before) this.bench.set({ panes: this.before });
    });
  }

  private async resume(id: string): Promise<void> {
    const d = await this.store.guarded(() => this.drafts.read<Draft>(id, WORK));
    if (this.item().id !== id) return;
    this.ready.set(true);
    this.labels.set(new Map(Object.entries(d?.labels ?? {}).map(([row, l]) => [Number(row), l])));
    this.added.set(d?.added ?? []);
    this.steps.set([]);
    this.at.set(Math.min(d?.at ?? 0, Math.max(0, this.count() - 1)));
  }

  private look(picture: string | undefined): void {
    const panes = this.bench.panes();
    this.before ??= panes;
    if (!picture) return;
    const one = panes[0]!;
    const d = this.store.datasetEntityMap()[picture];
    const kept = one.layers.find((l) => l.dataset === picture);
    // A way of its own: what is brightened here is so here only.
    const layer = { dataset: picture, visible: true, ...(d && { own: kept?.own ?? this.looks.of(d, kept) }) };
    this.bench.set({
      panes: [{ ...one, kind: 'map', panel: null, swipe: null, layers: [layer] }],
      activePane: one.id,
      selected: picture,
      panel: { dataset: picture, panel: 'spectra' },
    });
  }

  /** Takes the pane to the place, whose cell is framed. */
  private goThere(): void {
    const f = this.data.features(this.item().id);
    const grid = this.grid();
    const around = this.around();
    const row = this.row();
    const project = this.store.project();
    const crs = this.store.crs();
    if (!f || !grid || !project) return;
    const k = f.ringOffsets[f.partOffsets[f.featureOffsets[row]!]!]!;
    const at = [f.xy[2 * k]!, f.xy[2 * k + 1]!];
    const own = systemOf(this.item().info) ?? crs;
    if (grid.crs) transformer(own, grid.crs)(at[0]!, at[1]!, at);
    const [c, r] = [Math.floor((at[0]! - grid.x) / grid.dx), Math.floor((grid.y - at[1]!) / grid.dy)];
    const corner = gridPlaces(grid, crs);
    const frame = [corner(c, r), corner(c + 1, r), corner(c + 1, r + 1), corner(c, r + 1), corner(c, r)];
    const [x, y] = corner(c + 0.5, r + 0.5);
    const [a, b] = [corner(c - around, r + around), corner(c + around, r - around)];
    untracked(() => {
      this.cursor.framed.set({ ring: frame, x, y });
      // What was read elsewhere is not of this place.
      this.bench.set({ readout: null });
      const view = this.views.for(this.bench.activePane(), this.bench.linkedView(), crs, project.id);
      Views.go(view, boxOf(a, b), undefined);
    });
  }

  /** Places in shadow are looked at in their own light. */
  protected brighten(): void {
    const d = this.picture();
    if (d) void this.inView.stretch(this.bench.activePane(), d.id);
  }

  protected choosePicture(picture: string): void {
    this.chosen.update((c) => ({ ...c, picture }));
  }
  protected chooseClasses(map: string): void {
    this.chosen.update((c) => ({ ...c, map }));
  }

  protected add(field: HTMLInputElement, e: Event): void {
    e.preventDefault();
    const label = field.value.trim();
    field.value = '';
    if (!label || this.classes().some((c) => c.label === label)) return;
    this.added.update((a) => [...a, label]);
    this.keepDraft();
  }

  /** Labels the place and goes on to the next that has none. */
  protected give(label: string | null): void {
    if (!this.ready()) return;
    const row = this.row();
    this.steps.update((s) => [...s, { row, was: this.labels().get(row) }]);
    this.labels.set(new Map(this.labels()).set(row, label));
    this.toNext(this.open);
    this.keepDraft();
  }

  protected undo(): void {
    const last = this.steps().at(-1);
    if (!last) return;
    const all = new Map(this.labels());
    if (last.was === undefined) all.delete(last.row);
    else all.set(last.row, last.was);
    this.labels.set(all);
    this.steps.update((s) => s.slice(0, -1));
    this.at.set(this.order().indexOf(last.row));
    this.keepDraft();
  }

  protected step(by: number): void {
    this.at.update((i) => Math.max(0, Math.min(this.count() - 1, i + by)));
  }

  /** The next place, going round, of which something holds; none: it stays. */
  protected toNext(holds: (row: number) => boolean): void {
    const n = this.count();
    for (let k = 1; k <= n; k++) {
      const i = (this.at() + k) % n;
      if (holds(this.order()[i]!)) {
        this.at.set(i);
        return;
      }
    }
  }

  @HostListener('document:keydown', ['$event'])
  protected keys(e: KeyboardEvent): void {
    const typing = e.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(e.target.tagName);
    if (typing || e.ctrlKey || e.metaKey || e.altKey || this.bench.askOpen()) return;
    const c = this.classes().find((x) => x.key === e.key.toLowerCase());
    if (c) this.give(c.label);
    else if (e.key === '0') this.give(null);
    else if (e.key === 'ArrowRight') this.step(1);
    else if (e.key === 'ArrowLeft') this.step(-1);
    else if (e.key === 'Backspace') this.undo();
    else return;
    e.preventDefault();
  }

  private keepDraft(): void {
    const draft: Draft = { labels: Object.fromEntries(this.labels()), added: [...this.added()], at: this.at() };
    this.drafts.keep(this.item().id, WORK, draft);
  }

  /** The labels as a column of a new set, held against the map. */
  protected async keep(): Promise<void> {
    const edit = this.store.serving().get('keep typed');
    const judge = this.store.serving().get('judge a map');
    if (!edit || !judge) return;
    const taken = new Set(columnsOf(this.item().info).map((c) => c.name));
    let column = COLUMN;
    for (let k = 2; taken.has(column); k++) column = `${COLUMN} ${k}`;
    const cells = [...this.labels()].flatMap(([row, value]) => (value === null ? [] : [{ column, row, value }]));
    this.keeping.set(true);
    const made = await this.store.guarded(() =>
      this.store.runToEnd(
        edit.id,
        { [Object.keys(edit.inputs)[0]!]: [this.item().id] },
        { edits: writeEdits(cells, this.count()), add: column },
      ),
    );
    this.keeping.set(false);
    if (!made) return;
    await this.store.patchDataset(made[0]!, { name: `${this.item().name} labelled` });
    const map = this.map();
    this.bench.leaveWork();
    const [classes, reference] = Object.keys(judge.inputs) as [string, string];
    this.bench.openSheet(
      judge.id,
      { ...(map ? { [classes]: [map.id] } : {}), [reference]: [made[0]!] },
      { classColumn: column },
    );
  }
}
