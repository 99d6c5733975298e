import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { bandsIn, namesOf } from '@helk/core/methods/raster/formula';
import {
  type ColumnInfo,
  displayUnit,
  withUnit,
  formatBytes,
  formatDuration,
  formatNumber,
  misfit,
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
import { Thumbnail } from '../parts/thumbnail';
import { BenchStore } from '../state/bench.store';
import { ShownResults } from './shown-results';
import { ProjectStore, summaryOf, type DatasetItem } from '../state/project.store';
import { Tables } from '../state/tables';
import { ColumnParam, ColumnsParam } from './column-param';
import { ClusterCounts } from './cluster-counts';
import { ErrorsParam } from './errors-param';
import { FirstValues } from './first-values';
import { RulesEditor } from './rules-editor';
import { RunResult } from './run-result';
import { DrawnParam } from './drawn-param';
import { ReachTrial } from './reach-trial';
import { WindowTrial } from './window-trial';

/** A method ready to run: everything on it comes from the method's definition. */
@Component({
  selector: 'helk-run-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    ClusterCounts,
    ColumnParam,
    ColumnsParam,
    CrsField,
    DrawnParam,
    ErrorsParam,
    FormulaField,
    ReachTrial,
    RulesEditor,
    Thumbnail,
    NgIcon,
    RunResult,
    WindowTrial,
  ],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './run-sheet.html',
  host: { class: 'flex flex-col h-full min-h-0', 'data-testid': 'run-sheet' },
})
export class RunSheet {
  protected readonly bench = inject(BenchStore);
  protected readonly store = inject(ProjectStore);
  private readonly api = inject(Api);
  private readonly preview = inject(Preview);
  private readonly sketch = inject(Sketch);
  private readonly results = inject(ShownResults);
  private readonly tables = inject(Tables);
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
      fitting: this.fitting(spec),
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
  protected readonly source = computed(
    () => recipeWords(this.method()) ?? this.method().sources[0]?.split(',')[0] ?? '',
  );

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
    if (s) this.put(name, `${Number(((s.from * Math.exp((s.span * at) / 1000)) / 1e6).toPrecision(2))} km2`);
  }

  /** The same many times: what stands in the sheet is the first row. */
  protected many(): void {
    const { method, inputs, params } = this.sheet();
    void this.tables.begin(method, clean(inputs), stated(params));
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
    effect(() => {
      const method = this.sheet().method;
      if (method !== shown) untracked(() => this.forecast.set(null));
      shown = method;
    });
    // A fresh sheet takes what is selected, where it fits.
    effect(() => {
      const sheet = this.bench.sheet();
      if (!sheet || sheet.runId || Object.keys(sheet.inputs).length) return;
      untracked(() => this.bench.fillSheet({ inputs: this.guess() }));
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
        this.api.forecast(project.id, { method, inputs: clean(inputs), params: stated(params) }, abort.signal).then(
          (f) => {
            this.forecast.set(f);
            this.refusal.set(null);
            this.asking.set(false);
          },
          (e: unknown) => {
            if (abort.signal.aborted) return;
            this.refusal.set({ message: sentence(e), path: (e as { path?: string | null }).path ?? null });
            this.asking.set(false);
          },
        );
      }, 120);
      done(() => {
        clearTimeout(timer);
        abort.abort();
      });
    });
  }

  private fitting(spec: InputSpec): DatasetItem[] {
    return this.store.datasetEntities().filter((d) => misfit(spec, d.info) === null);
  }

  private guess(): Record<string, string[]> {
    const out: Record<string, string[]> = {};
    const selected = this.bench.selectedItem();
    const used = new Set<string>();
    const shown = this.bench
      .panes()
      .flatMap((p) => p.layers.map((l) => l.dataset))
      .reverse();
    for (const [role, spec] of Object.entries(this.method().inputs)) {
      const fits = this.fitting(spec);
      if (spec.many && spec.least < 2 && selected && !selected.batch && fits.some((d) => d.id === selected.id)) {
        out[role] = [selected.id];
        continue;
      }
      if (spec.many) {
        const batch = selected?.batch ?? [...fits].reverse().find((d) => d.batch)?.batch;
        const set = fits.filter((d) => batch && d.batch === batch);
        out[role] = (set.length ? set : fits.filter((d) => shown.includes(d.id))).map((d) => d.id);
        continue;
      }
      // A dataset named like the role stands in it: "veyra-mapped-streams" for mapped.
      const named = fits.find(
        (d) =>
          role.length > 2 &&
          clientKind(d.info).goes === 'on top' &&
          d.name.toLowerCase().includes(role.toLowerCase()) &&
          !used.has(d.id),
      );
      if (spec.least === 0 && !spec.eager && !named) continue;
      const pick =
        fits.find((d) => d.id === selected?.id && !used.has(d.id)) ??
        this.relative(fits, used) ??
        named ??
        shown.map((id) => fits.find((d) => d.id === id && !used.has(id))).find(Boolean) ??
        [...fits].reverse().find((d) => !used.has(d.id));
      if (pick) {
        out[role] = [pick.id];
        used.add(pick.id);
      }
    }
    return out;
  }

  /** What was made as one that stands in another role already was: two results of one method are held against each other. */
  private relative(fits: readonly DatasetItem[], used: ReadonlySet<string>): DatasetItem | undefined {
    const kin = (d: DatasetItem): string | null => {
      const method = this.store.madeBy(d)?.method;
      return method && method !== 'import' ? `${method} ${d.role}` : null;
    };
    const own = [...used].map((id) => kin(this.item(id)!)).filter((k) => k !== null);
    return fits.findLast((d) => !used.has(d.id) && own.includes(kin(d)!));
  }

  protected item(id: string | undefined): DatasetItem | undefined {
    return id ? this.store.datasetEntityMap()[refOf(id).dataset] : undefined;
  }
  protected readonly summary = summaryOf;
  protected readonly datasetOf = (ref: string | undefined): string => (ref ? refOf(ref).dataset : '');
  protected readonly bandOf = (ref: string | undefined): number => (ref ? (refOf(ref).band ?? 0) : 0);
  /** Bands to choose from, where the method works on one of several. */
  protected bandsOf(spec: InputSpec, d: DatasetItem): string[] {
    const bands = spec.bands === 'all' ? [] : (kindOf(d.info).bands?.(d.info) ?? []);
    return bands.length > 1 ? bands : [];
  }
  /** What can be ticked: datasets, or the bands of those that have several. */
  protected choices(spec: InputSpec, fitting: DatasetItem[]): { ref: string; label: string }[] {
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

  protected tick(role: string, id: string, on: boolean): void {
    const now = (this.sheet().inputs[role] ?? []).filter((x) => x !== id);
    this.bench.fillSheet({ inputs: { ...this.sheet().inputs, [role]: on ? [...now, id] : now } });
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
      const started = await this.store.startRun({
        method: m.run.method,
        inputs: { [m.run.role]: input },
        params: m.run.params ?? {},
        seed: 1,
        variantOf: null,
      });
      const run = started ? await this.store.ended(started.id) : undefined;
      const result = run?.outputs[0];
      if (run?.state !== 'done' || !result) throw new Error(run?.problem?.message ?? 'It was not run.');
      this.bench.showBeside(result);
      const sheet = this.bench.sheet();
      // The sheet goes on with the mended data, unless another one has been opened meanwhile.
      if (sheet?.method === before.method)
        this.bench.fillSheet({ inputs: { ...sheet.inputs, [m.run.input]: [result] } });
    } catch (e) {
      this.store.notify(sentence(e), 'refused');
    }
    this.mending.set(null);
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
