import { Said } from '../parts/said';
import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  Injector,
  signal,
  untracked,
} from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { bandsIn, namesOf } from '@helk/core/methods/raster/formula';
import {
  type ColumnInfo,
  displayUnit,
  withUnit,
  formatBytes,
  formatDuration,
  formatNumber,
  kindOf,
  placeOf,
  type Check,
  type Forecast,
  type GeometryType,
  type InputSpec,
  type MethodDescription,
  type ParamSpec,
  columnsOf as columnsIn,
  ofKind,
} from '@helk/core';
import { settingWords } from '@helk/core/method/setting-words';
import { stepLabels } from '@helk/core/data/time-steps';
import { refOf, refText } from '@helk/core/api/refs';
import { Api, sentence } from '../api/api';
import { Preview } from '../draw/preview';
import { clientKind } from '../kinds';
import { boundsOf, Sketch } from '../draw/sketch';
import { CrsField } from '../parts/crs-field';
import { FormulaField, type FormulaName } from '../parts/formula-field';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import { Changes } from '../state/changes';
import { ShownResults } from './shown-results';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Tables } from '../state/tables';
import { ColumnParam, ColumnsParam } from './column-param';
import { ClusterCounts } from './cluster-counts';
import { ErrorsParam } from './errors-param';
import { DatasetPicker } from './dataset-picker';
import { FirstValues } from './first-values';
import { Guess } from './guess';
import { RulesEditor } from './rules-editor';
import { RunResult } from './run-result';
import { DrawnParam } from './drawn-param';
import { ReachTrial } from './reach-trial';
import { SeveralPicker, type Choice } from './several-picker';
import { WindowTrial } from './window-trial';

/** A method ready to run: everything on it comes from the method's definition. */
@Component({
  selector: 'helk-run-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    Said,
    ClusterCounts,
    ColumnParam,
    ColumnsParam,
    CrsField,
    DatasetPicker,
    DrawnParam,
    ErrorsParam,
    FormulaField,
    ReachTrial,
    RulesEditor,
    SeveralPicker,
    NgIcon,
    RunResult,
    WindowTrial,
  ],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './run-sheet.html',
  host: { class: 'flex flex-col h-full min-h-0', 'data-testid': 'run-sheet', '(keydown.escape)': 'leave($event)' },
})
export class RunSheet {
  protected readonly bench = inject(BenchStore);
  protected readonly store = inject(ProjectStore);
  private readonly api = inject(Api);
  protected readonly preview = inject(Preview);
  private readonly sketch = inject(Sketch);
  private readonly results = inject(ShownResults);
  private readonly tables = inject(Tables);
  private readonly guess = inject(Guess);
  private readonly changes = inject(Changes);
  protected readonly sheet = computed(() => this.bench.sheet()!);
  /** The recipe that a setting names, where one does. */
  protected readonly recipe = computed(() => {
    const id = String(this.sheet().params['recipe'] ?? '').split('@')[0];
    return (this.store.recipes().find((r) => r.id === id)?.method ?? null) as unknown as MethodDescription | null;
  });
  protected readonly method = computed(() => {
    const m = this.store.methodMap().get(this.sheet().method)!;
    const of = this.recipe();
    // What simulates a recipe takes what the recipe takes.
    return m.params['recipe'] && of ? { ...m, inputs: of.inputs } : m;
  });
  protected readonly forecast = signal<Forecast | null>(null);
  protected readonly refusal = signal<{ message: string; path: string | null } | null>(null);
  protected readonly asking = signal(false);
  protected readonly mending = signal<string | null>(null);
  protected readonly run = computed(() => {
    const id = this.sheet().runId;
    return id ? this.store.runEntityMap()[id] : undefined;
  });
  protected readonly roles = computed(() =>
    Object.entries(this.method().inputs).map(([role, spec]) => ({
      role,
      spec,
      fitting: this.guess.fitting(spec),
      chosen: this.sheet().inputs[role] ?? [],
    })),
  );
  /** A setting that nobody has given yet: wanted, not wrong. */
  protected readonly awaited = computed(() => {
    const path = this.refusal()?.path;
    const spec = path ? this.method().params[path] : undefined;
    return path && spec && !this.sheet().params[path] ? spec.label.toLowerCase() : null;
  });
  /** What a setting is now: given, or what it is when nobody says. */
  protected setting(name: string): string {
    const suggested = this.forecast()?.suggestions[name]?.value;
    return String(this.sheet().params[name] ?? suggested ?? this.method().params[name]?.default ?? '');
  }
  /** Settings that matter, others being as they are; what was given is shown in any case. */
  private readonly mattering = computed(() =>
    Object.entries(this.method().params).filter(([name, { when, fixed }]) =>
      fixed
        ? false
        : !when ||
          Object.entries(when).every(([other, value]) => value.split('|').includes(this.setting(other))) ||
          // Those of a run that is varied are all given.
          (this.sheet().params[name] !== undefined && !this.sheet().variantOf),
    ),
  );
  /** What a recipe has settled: seen, not asked for. */
  protected readonly fixed = computed(() =>
    Object.entries(this.method().params).flatMap(([name, spec]) =>
      spec.fixed && spec.default !== undefined
        ? [{ name, label: spec.label, group: spec.group ?? '', value: settingWords(spec, spec.default) }]
        : [],
    ),
  );
  protected readonly params = computed(() =>
    this.mattering().map(([name, spec]) => {
      const given = this.sheet().params[name];
      const f = this.forecast();
      const suggestion = f?.suggestions[name];
      const value =
        given ??
        // One of a few is chosen in any case: that which is suggested.
        (spec.type === 'choice' ? suggestion?.value : undefined) ??
        (spec.auto ? '' : Array.isArray(spec.default) ? spec.default.join(', ') : (spec.default ?? ''));
      return {
        name,
        spec,
        value: String(value),
        suggestion,
        given: given !== undefined && given !== '' && given !== 'auto',
        wrong:
          this.refusal()?.path === name && !this.awaited() ? this.refusal()!.message.replace(`${name}: `, '') : null,
      };
    }),
  );
  /** What the settings are tried on, where a small part of it says enough. */
  protected readonly windowed = computed(() => {
    const spec = this.method().preview;
    return spec?.kind === 'window' ? this.item(this.sheet().inputs[spec.input]?.[0]) : undefined;
  });
  /** The network whose streets are shown as they would be reached. */
  protected readonly reaching = computed(() => {
    const spec = this.method().preview;
    return spec?.kind === 'reach' ? this.item(this.sheet().inputs[spec.input]?.[0]) : undefined;
  });
  /** Settings with what is suggested where nobody has given any. */
  protected readonly going = computed(() => ({
    ...Object.fromEntries(Object.entries(this.forecast()?.suggestions ?? {}).map(([k, v]) => [k, v.value])),
    ...this.given(),
  }));
  protected readonly drawn = (widget: string | undefined): boolean =>
    widget === 'drawn-lines' || widget === 'drawn-points';
  protected readonly given = computed(() => stated(this.sheet().params));
  /** What is made in any case. */
  protected readonly outputs = computed(() => Object.values(this.method().outputs).filter((o) => !o.optional));
  protected readonly blocked = computed(
    () =>
      this.refusal() !== null ||
      this.forecast() === null ||
      this.forecast()!.checks.some((c) => c.level === 'refused') ||
      this.mending() !== null,
  );
  protected readonly unit = displayUnit;
  protected readonly titled = withUnit;
  protected readonly place = computed(() => {
    const d = this.item(Object.values(this.sheet().inputs).flat()[0]);
    return d ? placeOf(d.info) : null;
  });
  protected readonly cost = computed(() => {
    const e = this.forecast()?.estimate;
    return e
      ? `${formatNumber(e.cells)} ${e.of ?? (this.method().family === 'features' ? 'features' : 'cells')} · ${formatDuration(e.seconds)} · ${formatBytes(e.bytes)}`
      : '';
  });
  /** What it goes back to: papers and standards, not what is usual. */
  protected readonly sources = computed(() => this.method().sources.filter((x) => !/^common practice/i.test(x)));
  protected readonly recipeIs = computed(() => recipeWords(this.method()));

  protected readonly firstInput = computed(
    () => Object.keys(this.method().inputs).flatMap((r) => this.sheet().inputs[r] ?? [])[0],
  );
  protected readonly firstRaster = computed(() => ofKind('raster', this.item(this.firstInput())?.info));
  /** What a formula can name: bands of grids, or columns. */
  protected readonly names = computed((): FormulaName[] => {
    const grids = Object.values(this.sheet().inputs)
      .flat()
      .flatMap((ref) => {
        const d = this.item(ref);
        const { band } = refOf(ref);
        const info = ofKind('raster', d?.info);
        return info ? [{ name: d!.name, bands: band === null ? info.bands : [info.bands[band]!] }] : [];
      });
    const bands = bandsIn(grids);
    return grids.length
      ? [...namesOf(bands)].map(([name, i]) => ({
          name,
          detail: [grids[bands[i]!.raster]!.name, displayUnit(bands[i]!.info.unit)].filter(Boolean).join(', '),
        }))
      : columnsIn(this.item(this.firstInput())?.info).map((c) => ({
          name: c.name,
          detail: [c.type, displayUnit(c.unit)].filter(Boolean).join(', '),
        }));
  });
  /** What can be typed where a step of time, or a date of a history, is asked for. */
  protected readonly offered = computed((): Partial<Record<ParamSpec['type'], string[]>> => {
    const infos = Object.values(this.sheet().inputs).flatMap((refs) => this.item(refs[0])?.info ?? []);
    const steps = infos.map((i) => clientKind(i).steps?.(i as never)).find((t) => t !== undefined);
    return { step: STEPS, date: steps && steps.count <= MOST_OFFERED ? stepLabels(steps) : [] };
  });
  protected readonly first = inject(FirstValues);

  /** Columns to choose from: of the first of the inputs named that is given. */
  protected columnsOf({ of = '', numeric, variables }: ParamSpec): ColumnInfo[] {
    const info = of
      .split(',')
      .map((role) => this.item(this.sheet().inputs[role]?.[0])?.info)
      .find((i) => i !== undefined);
    const all = info && variables ? (kindOf(info).variables?.(info) ?? []) : columnsIn(info);
    return all.filter((c) => !numeric || c.type === 'number');
  }

  protected listed(value: string): string[] {
    return value
      .split(',')
      .map((s) => s.trim())
      .filter(Boolean);
  }

  protected list(name: string, value: string, one: string, on: boolean): void {
    const rest = this.listed(value).filter((c) => c !== one);
    this.put(name, (on ? [...rest, one] : rest).join(','));
  }

  protected slide(name: string, at: number): void {
    const s = this.first.slider();
    this.preview.hurry = true;
    if (s) this.put(name, `${Number(((s.from * Math.exp((s.span * at) / 1000)) / 1e6).toPrecision(2))} km2`);
  }

  /** The same many times: what stands in the sheet is the first row. */
  protected many(): void {
    const { method, inputs, params } = this.sheet();
    void this.tables.begin(method, clean(inputs), stated(params));
  }

  /** Those chosen together that it could be run on one by one. */
  protected readonly each = computed(() => this.guess.each(this.method()));

  protected forEach(): void {
    const { method, inputs, params } = this.sheet();
    const each = this.each();
    if (each) void this.tables.begin(method, { ...clean(inputs), [each.role]: [each.refs[0]!] }, stated(params), each);
  }

  protected draw(role: string, geometry: GeometryType): void {
    this.sketch.begin(geometry, (id) => {
      this.choose(role, id);
      this.bench.show(id, this.bench.activePane(), true);
    });
  }

  /** Bounds from two corners, in the system of what is worked on. */
  protected drawBox(name: string): void {
    const item = this.item(this.firstInput());
    this.sketch.pick('box', (corners) => this.put(name, boundsOf(corners, this.store.crs(), item).join(', ')));
  }

  constructor() {
    effect(() => {
      const s = this.forecast()?.suggestions ?? {};
      this.preview.suggested.set(Object.fromEntries(Object.entries(s).map(([k, v]) => [k, v.value])));
    });
    let shown = '';
    const injector = inject(Injector);
    const host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
    effect(() => {
      const { method, variantOf, runId } = this.sheet();
      const now = runId ? shown : `${method} ${variantOf ?? ''}`;
      if (now === shown) return;
      untracked(() => this.forecast.set(null));
      shown = now;
      // Whoever asked for it goes on in it: its first field has the keyboard.
      afterNextRender(
        () =>
          host
            .querySelector<HTMLElement>(
              '[data-fields] :is(input, select, [role=combobox], button:not([data-testid^=draw-]))',
            )
            ?.focus(),
        { injector },
      );
    });
    // A fresh sheet takes what is selected, where it fits.
    effect(() => {
      const sheet = this.bench.sheet();
      if (!sheet || sheet.runId || Object.keys(sheet.inputs).length) return;
      untracked(() => this.bench.fillSheet({ inputs: this.guess.inputsFor(this.method()) }));
    });
    effect((done) => {
      const { method, inputs, params, runId } = this.sheet();
      const project = this.store.project();
      this.store.datasetEntities();
      if (!project || runId) return;
      const abort = new AbortController();
      const missing = Object.entries(this.method().inputs).find(
        ([role, s]) => s.least > 0 && (inputs[role]?.length ?? 0) < s.least,
      );
      if (missing) {
        this.forecast.set(null);
        this.refusal.set(null);
        return;
      }
      this.asking.set(true);
      const timer = setTimeout(() => {
        const wish = { method, inputs: clean(inputs), params: stated(params), draft: true };
        this.api.forecast(project.id, wish, abort.signal).then(
          (f) => {
            // What cannot be read yet leaves the rest as it was.
            if (!f.refused) this.forecast.set(f);
            this.refusal.set(f.refused ?? null);
            this.asking.set(false);
          },
          (e: unknown) => {
            if (abort.signal.aborted) return;
            this.refusal.set({ message: sentence(e), path: (e as { path?: string | null }).path ?? null });
            this.asking.set(false);
          },
        );
      }, 200);
      done(() => {
        clearTimeout(timer);
        abort.abort();
      });
    });
  }

  protected item(id: string | undefined): DatasetItem | undefined {
    return id ? this.store.datasetEntityMap()[refOf(id).dataset] : undefined;
  }
  protected readonly datasetOf = (ref: string | undefined): string => (ref ? refOf(ref).dataset : '');
  protected readonly bandOf = (ref: string | undefined): number => (ref ? (refOf(ref).band ?? 0) : 0);
  /** Bands to choose from, where the method works on one of several. */
  protected bandsOf(spec: InputSpec, d: DatasetItem): string[] {
    const bands = spec.bands === 'all' ? [] : (kindOf(d.info).bands?.(d.info) ?? []);
    return bands.length > 1 ? bands : [];
  }
  /** What can be ticked: datasets, or the bands of those that have several. */
  protected choices(spec: InputSpec, fitting: DatasetItem[]): Choice[] {
    return fitting.flatMap((d) => {
      const bands = this.bandsOf(spec, d);
      return bands.length
        ? bands.map((b, band) => ({ ref: refText({ dataset: d.id, band }), label: `${d.name}, ${b}` }))
        : [{ ref: d.id, label: d.name }];
    });
  }

  protected choose(role: string, id: string): void {
    this.bench.fillSheet({ inputs: { ...this.sheet().inputs, [role]: id ? [id] : [] } });
  }

  protected chooseBand(role: string, ref: string, band: string): void {
    this.choose(role, refText({ dataset: refOf(ref).dataset, band: Number(band) }));
  }

  protected chooseAll(role: string, refs: string[]): void {
    this.bench.fillSheet({ inputs: { ...this.sheet().inputs, [role]: refs } });
  }

  /** What stands in the other inputs. */
  protected beside(role: string): string[] {
    return Object.entries(this.sheet().inputs).flatMap(([r, refs]) =>
      r === role ? [] : refs.map((x) => refOf(x).dataset),
    );
  }

  protected put(name: string, value: unknown): void {
    this.bench.fillSheet({ params: { ...this.sheet().params, [name]: value } });
  }

  protected async mend(c: Check): Promise<void> {
    const m = c.mend!;
    if (m.set) {
      this.bench.fillSheet({ params: { ...this.sheet().params, ...m.set } });
      return;
    }
    if (!m.run) return;
    const before = this.sheet();
    const input = before.inputs[m.run.input] ?? [];
    this.mending.set(m.label);
    try {
      const { method, role, params = {}, each } = m.run;
      const one = async (refs: string[]): Promise<string> => {
        const made = await this.store.runToEnd(method, { [role]: refs }, params);
        if (!made[0]) throw new Error('It was not run.');
        return made[0];
      };
      const mended = each ? [...input] : [await one(input)];
      for (const i of each ?? []) mended[i] = await one([input[i]!]);
      const sheet = this.bench.sheet();
      if (mended.length === 1) this.bench.showBeside(mended[0]!);
      // The sheet goes on with the mended data, unless another one has been opened meanwhile.
      if (sheet?.method === before.method) this.bench.fillSheet({ inputs: { ...sheet.inputs, [m.run.input]: mended } });
    } catch (e) {
      this.store.notify(sentence(e), 'refused');
    }
    this.mending.set(null);
  }

  /** What was filled in can be had again by taking the closing back. */
  protected close(): void {
    const sheet = this.sheet();
    this.bench.set({ sheet: null });
    if (!sheet.runId && (Object.keys(stated(sheet.params)).length || sheet.variantOf))
      this.changes.done({
        words: `“${this.store.methodMap().get(sheet.method)?.title ?? 'the run sheet'}” closed before it ran`,
        undo: () => this.bench.set({ sheet }),
        redo: () => this.bench.set({ sheet: null }),
      });
  }

  /** Escape leaves first what is being drawn, then the sheet; the keyboard goes back to the ledger, or to the map. */
  protected leave(e: Event): void {
    if (e.defaultPrevented || this.sketch.wish()) return;
    e.preventDefault();
    e.stopPropagation();
    this.close();
    const back = document.querySelector<HTMLElement>('helk-ledger [data-row][tabindex="0"]');
    (back ?? document.querySelector<HTMLElement>('[role=application]'))?.focus();
  }

  /** A whole number that the server takes; anything else leaves the seed as it was. */
  protected reseed(field: HTMLInputElement): void {
    const n = Number(field.value.trim());
    if (field.value.trim() && Number.isInteger(n) && n >= 0 && n <= 4294967295) this.bench.fillSheet({ seed: n });
    else field.value = String(this.sheet().seed);
  }

  protected async start(): Promise<void> {
    const { method, inputs, params, seed, variantOf } = this.sheet();
    try {
      const run = await this.store.startRun({
        method,
        inputs: clean(inputs),
        params: stated(params),
        seed,
        variantOf,
      });
      if (!run) return;
      this.bench.fillSheet({ runId: run.id });
      const done = await this.store.ended(run.id);
      if (done.state !== 'done') return;
      this.results.show(done.outputs.flatMap((id) => this.store.datasetEntityMap()[id] ?? []));
    } catch (e) {
      this.refusal.set({ message: sentence(e), path: (e as { path?: string | null }).path ?? null });
    }
  }
}

/** Steps of time that are usual. */
const STEPS = ['day', 'week', '4 weeks', 'month', 'quarter', 'year', '10 years'];
const MOST_OFFERED = 500;

const stated = (params: Record<string, unknown>): Record<string, unknown> =>
  Object.fromEntries(Object.entries(params).filter(([, v]) => v !== '' && v !== undefined && v !== null));
const clean = (inputs: Record<string, string[]>): Record<string, string[]> =>
  Object.fromEntries(Object.entries(inputs).filter(([, v]) => v.length));

/** What stands in place of a source for a recipe. */
const recipeWords = (m: MethodDescription): string | null =>
  m.family === 'recipe' && m.id.startsWith('recipe:') ? `a recipe, version ${m.version}` : null;
