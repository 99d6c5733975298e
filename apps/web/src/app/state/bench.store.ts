import { computed, effect, inject, untracked } from '@angular/core';
import { patchState, signalStore, withComputed, withHooks, withMethods, withState } from '@ngrx/signals';
import {
  CATEGORY_COLOURS,
  defaultStyle,
  PLAIN_VECTOR,
  scaleOf,
  sharedScale,
  type RasterInfo,
  type RasterStyle,
  type Scale,
  type VectorStyle,
} from '@helk/core';
import { datasetsIn } from '@helk/core/api/refs';
import { Api } from '../api/api';
import { ProjectStore, type DatasetItem } from './project.store';

/** One thing a pane shows; the last stands on top. */
export interface Layer {
  dataset: string;
  raster?: RasterStyle;
  vector?: VectorStyle;
}

export interface Pane {
  id: number;
  layers: Layer[];
  /** Share of the width at which the top layer begins; null when not swiping. */
  swipe: number | null;
}

export type Stage = 'gather' | 'ledger' | 'methods';

/** The open run sheet: a method with what is filled in so far. */
export interface Sheet {
  method: string;
  inputs: Record<string, string[]>;
  params: Record<string, unknown>;
  seed: number;
  variantOf: string | null;
  runId: string | null;
}

export interface Place {
  x: number;
  y: number;
}

interface BenchState {
  stage: Stage | null;
  panes: Pane[];
  activePane: number;
  selected: string | null;
  linkedView: boolean;
  linkedCursor: boolean;
  sharedScale: boolean;
  evidence: boolean;
  /** Height of the evidence, pixels. */
  evidenceHeight: number;
  sheet: Sheet | null;
  readout: Place | null;
  pins: Place[];
  askOpen: boolean;
  /** Datasets of a run that should be shown beside their input when they arrive. */
  dark: boolean;
  /** Outlines of the tiles that a mosaic was made of. */
  seams: boolean;
}

/** Colours of feature results by role; sources take the next of the readable set. */
const ROLE_COLOURS: Record<string, string> = {
  streams: '#1f78b4',
  gaps: '#d6246e',
  partings: '#d6246e',
  watersheds: '#7a4f9a',
  contours: '#7a5230',
};
/** Bands that mean something else than others of their unit, and never share a scale with them. */
const OWN_SCALE = new Set(['hillshade', 'aspect', 'error', 'difference']);
const THEME = 'helk.theme';

const startDark = (): boolean => {
  const kept = localStorage.getItem(THEME);
  return kept ? kept === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches;
};

/** How features are drawn at first, by what they are. */
export function vectorLook(d: DatasetItem): Partial<VectorStyle> {
  if (d.info.kind !== 'features') return {};
  const has = (name: string): boolean => d.info.kind === 'features' && d.info.columns.some((c) => c.name === name);
  if (has('level') && has('index')) return { width: 0.8, emphasis: 'index', label: { formula: 'level', size: 10.5 } };
  const residual = d.info.columns.find((c) => c.name.startsWith('residual_'));
  if (d.role === 'residuals' && residual)
    return {
      by: {
        kind: 'classes',
        column: residual.name,
        rule: 'equal',
        classes: 6,
        own: [],
        ramp: 'scales',
        reversed: false,
        around: 0,
      },
      size: { column: residual.name, largest: 9 },
      outline: '#6a6258',
    };
  if (d.role === 'streams' && has('order')) return { size: { column: 'order', largest: 4 } };
  const kind = d.info.columns.find(
    (c) => c.type === 'text' && /^(class|cover|land_?cover|category|kind|type)\w*$/i.test(c.name),
  );
  if (d.info.geometry === 'polygon' && kind)
    return { by: { kind: 'category', column: kind.name, colours: {} }, fill: 0.85, width: 0.6, outline: '#6a6258' };
  return {};
}

/** What stands where on the workbench. */
export const BenchStore = signalStore(
  { providedIn: 'root' },
  withState<BenchState>({
    stage: 'ledger',
    panes: [{ id: 1, layers: [], swipe: null }],
    activePane: 1,
    selected: null,
    linkedView: true,
    linkedCursor: true,
    sharedScale: false,
    evidence: true,
    evidenceHeight: 208,
    sheet: null,
    readout: null,
    pins: [],
    askOpen: false,
    dark: startDark(),
    seams: false,
  }),
  withComputed((s, project = inject(ProjectStore)) => {
    const item = (id: string): DatasetItem | undefined => project.datasetEntityMap()[id];
    return {
      selectedItem: computed(() => (s.selected() ? item(s.selected()!) : undefined)),
      pane: computed(() => s.panes().find((p) => p.id === s.activePane()) ?? s.panes()[0]!),
      /** Scale of every drawn raster by `pane/dataset`; shared ones are alike for bands of one unit. */
      scales: computed(() => {
        const own = new Map<string, Scale>();
        const groups = new Map<string, string[]>();
        for (const p of s.panes()) {
          for (const l of p.layers) {
            const d = item(l.dataset);
            if (!d || d.info.kind !== 'raster' || !l.raster) continue;
            const band = d.info.bands[0]!;
            if (!band.facts || band.facts.summary.count === 0) continue;
            const key = `${p.id}/${l.dataset}`;
            own.set(key, scaleOf(l.raster, band.facts, band));
            const group = `${band.unit ?? ''}|${OWN_SCALE.has(band.role ?? '') ? band.role : ''}`;
            if (l.raster.visible && !own.get(key)!.classes) groups.set(group, [...(groups.get(group) ?? []), key]);
          }
        }
        if (s.sharedScale()) {
          for (const keys of groups.values()) {
            if (keys.length < 2) continue;
            const one = sharedScale(keys.map((k) => own.get(k)!));
            for (const k of keys) own.set(k, one);
          }
        }
        return own;
      }),
    };
  }),
  withMethods((s, project = inject(ProjectStore)) => {
    const change = (pane: number, f: (p: Pane) => Pane): void =>
      patchState(s, { panes: s.panes().map((p) => (p.id === pane ? f(p) : p)) });
    const layerFor = (d: DatasetItem): Layer =>
      d.info.kind === 'raster'
        ? { dataset: d.id, raster: defaultStyle(d.info) }
        : {
            dataset: d.id,
            vector: {
              ...PLAIN_VECTOR,
              colour:
                ROLE_COLOURS[d.role ?? ''] ??
                CATEGORY_COLOURS[project.datasetIds().indexOf(d.id) % CATEGORY_COLOURS.length]!,
              ...vectorLook(d),
            },
          };
    /** A result is drawn like what it was made from, where both hold the same kind of values: so that they can be compared. */
    const inherited = (d: DatasetItem): Layer => {
      const own = layerFor(d);
      const run = d.runId ? project.runEntityMap()[d.runId] : undefined;
      // What was kept of a set, or put right in it, is drawn as the set is.
      if (run && d.info.kind === 'features' && /^features\.(subset|edit|calculate)$/.test(run.method)) {
        const from = s
          .panes()
          .flatMap((p) => p.layers)
          .find((l) => l.vector && run.inputs['features']?.includes(l.dataset));
        return from?.vector ? { ...own, vector: { ...from.vector, visible: true } } : own;
      }
      if (!run || d.info.kind !== 'raster' || !own.raster) return own;
      const sources = datasetsIn(run.inputs);
      const like = s
        .panes()
        .flatMap((p) => p.layers)
        .find((l) => l.raster && sources.includes(l.dataset));
      const from = like ? project.datasetEntityMap()[like.dataset]?.info : undefined;
      if (!like?.raster || from?.kind !== 'raster') return own;
      const [a, b] = [from.bands[0]!, d.info.bands[0]!];
      return a.unit === b.unit && a.role === b.role
        ? { ...own, raster: { ...like.raster, visible: true, opacity: 1 } }
        : own;
    };
    /** Puts a dataset into a pane: rasters take the place of rasters of the same pane, unless added on purpose. */
    const show = (id: string, pane: number, add: boolean): void => {
      const d = project.datasetEntityMap()[id];
      if (!d) return;
      // A table has no picture; it is read in the evidence.
      if (d.info.kind === 'table') {
        patchState(s, { selected: id, evidence: true });
        return;
      }
      change(pane, (p) => {
        const rest = p.layers.filter((l) => l.dataset !== id);
        const kept = add || d.info.kind === 'features' ? rest : rest.filter((l) => !l.raster);
        const known = p.layers.find((l) => l.dataset === id) ?? inherited(d);
        const layers = d.info.kind === 'raster' && !add ? [known, ...kept] : [...kept, known];
        return { ...p, layers, swipe: layers.length > 1 ? p.swipe : null };
      });
      patchState(s, { activePane: pane, selected: id });
    };
    const addPane = (): number => {
      const ids = s.panes().map((p) => p.id);
      const id = [1, 2, 3, 4].find((k) => !ids.includes(k));
      if (!id) return s.activePane();
      patchState(s, {
        panes: [...s.panes(), { id, layers: [], swipe: null }].sort((a, b) => a.id - b.id),
        activePane: id,
      });
      return id;
    };
    return {
      show,
      addPane,
      change,
      set: (patch: Partial<BenchState>): void => patchState(s, patch),
      select: (id: string | null): void => patchState(s, { selected: id }),
      /** Beside what is shown: the first empty pane, else a new one, else the next one. */
      showBeside(id: string): void {
        const here = s.panes().find((p) => p.layers.some((l) => l.dataset === id));
        if (here) {
          patchState(s, { activePane: here.id, selected: id });
          return;
        }
        const empty = s.panes().find((p) => p.layers.length === 0);
        const target =
          empty?.id ??
          (s.panes().length < 2 ? addPane() : (s.panes().find((p) => p.id !== s.activePane())?.id ?? s.activePane()));
        show(id, target, false);
      },
      closePane(id: number): void {
        if (s.panes().length === 1) {
          change(id, (p) => ({ ...p, layers: [], swipe: null }));
          return;
        }
        const panes = s.panes().filter((p) => p.id !== id);
        patchState(s, { panes, activePane: s.activePane() === id ? panes[0]!.id : s.activePane() });
      },
      /** Each group of datasets in a pane of its own, on one view and one scale. */
      holdTogether(groups: Layer[][]): void {
        patchState(s, {
          panes: groups.slice(0, 4).map((layers, i) => ({ id: i + 1, layers, swipe: null })),
          activePane: 1,
          sharedScale: true,
          linkedView: true,
          linkedCursor: true,
        });
      },
      layerFor,
      /** A set that has taken the place of another is drawn where, and as, the other was. */
      replaceLayer(from: string, to: string): void {
        patchState(s, {
          panes: s.panes().map((p) => ({
            ...p,
            layers: p.layers.map((l) => (l.dataset === from ? { ...l, dataset: to } : l)),
          })),
          selected: to,
        });
      },
      removeLayer: (pane: number, dataset: string): void =>
        change(pane, (p) => ({ ...p, layers: p.layers.filter((l) => l.dataset !== dataset), swipe: null })),
      restyle: (pane: number, dataset: string, patch: Partial<RasterStyle>): void =>
        change(pane, (p) => ({
          ...p,
          layers: p.layers.map((l) =>
            l.dataset === dataset && l.raster ? { ...l, raster: { ...l.raster, ...patch } } : l,
          ),
        })),
      redraw: (pane: number, dataset: string, patch: Partial<VectorStyle>): void =>
        change(pane, (p) => ({
          ...p,
          layers: p.layers.map((l) =>
            l.dataset === dataset && l.vector ? { ...l, vector: { ...l.vector, ...patch } } : l,
          ),
        })),
      reorder(pane: number, from: number, to: number): void {
        change(pane, (p) => {
          const layers = [...p.layers];
          const [moved] = layers.splice(from, 1);
          layers.splice(to, 0, moved!);
          return { ...p, layers };
        });
      },
      openSheet(
        method: string,
        inputs: Record<string, string[]> = {},
        params: Record<string, unknown> = {},
        variantOf: string | null = null,
      ): void {
        patchState(s, { sheet: { method, inputs, params, seed: 1, variantOf, runId: null }, askOpen: false });
      },
      fillSheet: (patch: Partial<Sheet>): void => {
        const sheet = s.sheet();
        if (sheet) patchState(s, { sheet: { ...sheet, ...patch } });
      },
      /** Re-opens the run that made a dataset with its settings to change. */
      vary(id: string): void {
        const d = project.datasetEntityMap()[id];
        const run = d?.runId ? project.runEntityMap()[d.runId] : undefined;
        if (run && run.method !== 'import')
          patchState(s, {
            sheet: {
              method: run.method,
              inputs: run.inputs,
              params: run.params,
              seed: run.seed,
              variantOf: run.id,
              runId: null,
            },
          });
      },
      toggleTheme: (): void => {
        const dark = !s.dark();
        localStorage.setItem(THEME, dark ? 'dark' : 'light');
        patchState(s, { dark });
      },
    };
  }),
  withHooks((s, project = inject(ProjectStore), api = inject(Api)) => ({
    onInit(): void {
      effect(() => document.documentElement.setAttribute('data-theme', s.dark() ? 'dark' : 'light'));
      // A project opens as it was left; a new one with its last raster shown.
      let opened: string | null = null;
      effect(() => {
        const p = project.project();
        const loading = project.loading();
        if (loading || !p || opened === p.id) return;
        opened = p.id;
        untracked(() => patchState(s, restored(project.stored(), project.datasetEntities())));
      });
      // What is taken in is drawn at once, on top of what stands in the active pane; tables have no picture.
      const known = new Set<string>();
      let of: string | null = null;
      effect(() => {
        const p = project.project();
        const done = project.runEntities().filter((r) => r.method === 'import' && r.state === 'done');
        const fresh = done.filter((r) => !known.has(r.id));
        for (const r of fresh) known.add(r.id);
        if (!p || project.loading() || of !== p.id) {
          of = project.loading() ? null : (p?.id ?? null);
          return;
        }
        untracked(() => {
          for (const id of fresh.flatMap((r) => r.outputs).slice(0, 12)) s.show(id, s.activePane(), true);
        });
      });
      // Layers of removed datasets go.
      effect(() => {
        const map = project.datasetEntityMap();
        untracked(() => {
          const stale = (l: Layer): boolean => !map[l.dataset];
          if (s.panes().some((p) => p.layers.some(stale)))
            patchState(s, { panes: s.panes().map((p) => ({ ...p, layers: p.layers.filter((l) => !stale(l)) })) });
          if (s.selected() && !map[s.selected()!]) patchState(s, { selected: null });
        });
      });
      let timer: ReturnType<typeof setTimeout> | undefined;
      effect(() => {
        const kept = {
          version: 1,
          panes: s.panes(),
          activePane: s.activePane(),
          selected: s.selected(),
          linkedView: s.linkedView(),
          linkedCursor: s.linkedCursor(),
          sharedScale: s.sharedScale(),
          evidence: s.evidence(),
          evidenceHeight: s.evidenceHeight(),
        };
        const p = untracked(project.project);
        if (!p || opened !== p.id) return;
        clearTimeout(timer);
        timer = setTimeout(() => void api.saveWorkbench(p.id, kept).catch(() => undefined), 600);
      });
    },
  })),
);

function restored(stored: unknown, all: DatasetItem[]): Partial<BenchState> {
  const blank: Partial<BenchState> = {
    panes: [{ id: 1, layers: [], swipe: null }],
    activePane: 1,
    selected: null,
    sheet: null,
    readout: null,
    pins: [],
    stage: all.length ? 'ledger' : 'gather',
  };
  const w = stored as (Partial<BenchState> & { version?: number }) | null;
  if (w?.version === 1 && Array.isArray(w.panes) && w.panes.length && w.panes.some((p) => p.layers.length)) {
    return {
      ...blank,
      // Styles of an older Helk lack what has come since.
      panes: w.panes.map((p) => ({
        ...p,
        layers: p.layers.map((l) => (l.vector ? { ...l, vector: { ...PLAIN_VECTOR, ...l.vector } } : l)),
      })),
      activePane: w.activePane ?? 1,
      selected: w.selected ?? null,
      linkedView: w.linkedView ?? true,
      linkedCursor: w.linkedCursor ?? true,
      sharedScale: w.sharedScale ?? false,
      evidence: w.evidence ?? true,
      evidenceHeight: w.evidenceHeight ?? 208,
    };
  }
  const last = [...all].reverse().find((d) => d.info.kind === 'raster');
  if (!last) return blank;
  return {
    ...blank,
    panes: [{ id: 1, layers: [{ dataset: last.id, raster: defaultStyle(last.info as RasterInfo) }], swipe: null }],
    selected: last.id,
  };
}
