import { computed, effect, inject, untracked } from '@angular/core';
import { patchState, signalStore, withComputed, withHooks, withMethods, withState } from '@ngrx/signals';
import { sharedScale, transformer, type Crs, type Scale } from '@helk/core';
import { Api } from '../api/api';
import { clientKind } from '../kinds';
import type { Place } from '../kinds/kind';
import { Changes } from './changes';
import { Looks, type Layer } from './looks';
import { emptyPane, MAP, SCENE, START_VIEW, type Pane, type SceneView } from './panes';
import { ProjectStore, type DatasetItem } from './project.store';
import { keepOwn, keptOf, ownBench, restored } from './workbench';

export type Stage = 'gather' | 'ledger' | 'methods' | 'recipes' | 'sheets';

/** The open run sheet: a method with what is filled in so far. */
export interface Sheet {
  method: string;
  inputs: Record<string, string[]>;
  params: Record<string, unknown>;
  seed: number;
  variantOf: string | null;
  runId: string | null;
  /** A setting that is to be drawn at once. */
  begin?: string | null;
}

/** Panes up to which another one is opened for a variant. */
const MOST_BESIDE = 3;

export interface BenchState {
  stage: Stage | null;
  panes: Pane[];
  activePane: number;
  selected: string | null;
  linkedView: boolean;
  linkedCursor: boolean;
  /** All panes that have steps stand at one moment. */
  linkedTime: boolean;
  sharedScale: boolean;
  /** What lies under the data of every map: coasts, nothing, or tiles that the project knows. */
  background: string;
  /** How strong it is, 0 to 1. */
  backgroundStrength: number;
  evidence: boolean;
  /** The panel of evidence somebody chose, for the dataset it was chosen on; another dataset starts with its own first one. */
  panel: { dataset: string; panel: string } | null;
  /** Height of the evidence, pixels. */
  evidenceHeight: number;
  sheet: Sheet | null;
  /** A work on a dataset that stands where the run sheet does, while there is none. */
  work: { id: string; dataset: string } | null;
  /** The stage whose room a work has taken. */
  stageBefore: Stage;
  /** Offers that were turned down: files that could be one scene, by the first of them; a unit in their names, by it and the unit. */
  leftApart: string[];
  readout: Place | null;
  pins: Place[];
  askOpen: boolean;
  dark: boolean;
  /** Outlines of what a result was put together from. */
  seams: boolean;
}

/** Of what is taken in together, so many are drawn at once; more would only hide each other. */
const MOST_DRAWN = 8;

const THEME = 'helk.theme';

const startDark = (): boolean => {
  const kept = localStorage.getItem(THEME);
  return kept ? kept === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches;
};

/** What stands where on the workbench. */
export const BenchStore = signalStore(
  { providedIn: 'root' },
  withState<BenchState>({
    stage: 'ledger',
    panes: [emptyPane(1)],
    activePane: 1,
    selected: null,
    linkedView: true,
    linkedCursor: true,
    linkedTime: true,
    sharedScale: false,
    background: 'coasts',
    backgroundStrength: 0.5,
    evidence: true,
    panel: null,
    evidenceHeight: 208,
    sheet: null,
    work: null,
    stageBefore: 'ledger',
    leftApart: [],
    readout: null,
    pins: [],
    askOpen: false,
    dark: startDark(),
    seams: false,
  }),
  withComputed((s, project = inject(ProjectStore), looks = inject(Looks)) => ({
    selectedItem: computed(() => (s.selected() ? project.datasetEntityMap()[s.selected()!] : undefined)),
    pane: computed(() => s.panes().find((p) => p.id === s.activePane()) ?? s.panes()[0]!),
    /** Scale of everything drawn by one, by `pane/dataset`; shared ones are alike for values that mean the same. */
    scales: computed(() => {
      const own = new Map<string, Scale>();
      const groups = new Map<string, string[]>();
      for (const p of s.panes())
        for (const l of p.layers) {
          const d = project.datasetEntityMap()[l.dataset];
          const found = d && clientKind(d.info).scale?.(d.info as never, looks.of(d, l));
          if (!found) continue;
          const key = `${p.id}/${l.dataset}`;
          own.set(key, found.scale);
          if (l.visible && !found.scale.classes) groups.set(found.group, [...(groups.get(found.group) ?? []), key]);
        }
      if (s.sharedScale())
        for (const keys of groups.values()) {
          if (keys.length < 2) continue;
          const one = sharedScale(keys.map((k) => own.get(k)!));
          for (const k of keys) own.set(k, one);
        }
      return own;
    }),
  })),
  withMethods((s, project = inject(ProjectStore), looks = inject(Looks), changes = inject(Changes)) => {
    const change = (pane: number, f: (p: Pane) => Pane): void =>
      patchState(s, { panes: s.panes().map((p) => (p.id === pane ? f(p) : p)) });
    const item = (id: string): DatasetItem | undefined => project.datasetEntityMap()[id];
    const inPane = (id: number): DatasetItem[] =>
      (s.panes().find((p) => p.id === id)?.layers ?? []).flatMap((l) => item(l.dataset) ?? []);
    /** One that nobody has drawn yet is given its way of drawing, in a colour that nothing beside it has. */
    const drawn = (d: DatasetItem, beside: readonly DatasetItem[]): void => {
      if (!d.look) project.drawAs(d.id, looks.first(d, beside));
    };
    /** Puts a dataset into a pane: what goes beneath takes the place of others of its kind, unless added on purpose. */
    const show = (id: string, pane: number, add: boolean): void => {
      const d = item(id);
      if (!d) return;
      const { goes } = clientKind(d.info);
      // What has no picture is read in the evidence.
      if (goes === 'evidence') {
        patchState(s, { selected: id, evidence: true });
        return;
      }
      drawn(d, inPane(pane));
      change(pane, (p) => {
        const known = p.layers.find((l) => l.dataset === id) ?? { dataset: id, visible: true };
        const rest = p.layers.filter((l) => l.dataset !== id);
        const kept = add || goes === 'on top' ? rest : rest.filter((l) => item(l.dataset)?.info.kind !== d.info.kind);
        // What stands on top stays there.
        const at = kept.findIndex((l) => item(l.dataset) && clientKind(item(l.dataset)!.info).goes === 'on top');
        const under = goes === 'in place' && at >= 0 ? at : kept.length;
        // What is asked for is seen: beneath points and lines, but not beneath filled areas.
        const hidden = kept.findLastIndex((l) => {
          const over = item(l.dataset);
          return over && l.visible && clientKind(over.info).hides?.(over.info, looks.of(over, l));
        });
        const layers = kept.toSpliced(goes === 'beneath' && !add ? hidden + 1 : under, 0, known);
        return { ...p, kind: p.panel ? MAP : p.kind, panel: null, layers, swipe: layers.length > 1 ? p.swipe : null };
      });
      patchState(s, { activePane: pane, selected: id });
    };
    const addPane = (): number => {
      const ids = s.panes().map((p) => p.id);
      const id = [1, 2, 3, 4].find((k) => !ids.includes(k));
      if (!id) return s.activePane();
      patchState(s, { panes: [...s.panes(), emptyPane(id)].sort((a, b) => a.id - b.id), activePane: id });
      return id;
    };
    /** The first empty pane, else a new one, else the next one. */
    const besides = (): number =>
      s.panes().find((p) => p.kind === MAP && p.layers.length === 0)?.id ??
      (s.panes().length < 2 ? addPane() : (s.panes().find((p) => p.id !== s.activePane())?.id ?? s.activePane()));
    return {
      show,
      addPane,
      change,
      set: (patch: Partial<BenchState>): void => patchState(s, patch),
      select: (id: string | null): void => patchState(s, { selected: id }),
      showBeside(id: string): void {
        const here = s.panes().find((p) => p.layers.some((l) => l.dataset === id));
        const d = item(id);
        if (here) patchState(s, { activePane: here.id, selected: id });
        else if (d) show(id, clientKind(d.info).goes === 'evidence' ? s.activePane() : besides(), false);
      },
      /** A dataset drawn another way in a pane beside. */
      showBesideAs(id: string, look: object): void {
        const pane = besides();
        change(pane, () => ({ ...emptyPane(pane), layers: [{ dataset: id, visible: true, own: look }] }));
        patchState(s, { activePane: pane, selected: id });
      },
      /** A variant beside its sibling: all that lies under and over that, with the variant in its place. Nowhere where the sibling is not seen. */
      showVariant(id: string, sibling: string): boolean {
        const here = s.panes().find((p) => p.kind === MAP && p.layers.some((l) => l.dataset === sibling && l.visible));
        const d = item(id);
        if (!here || !d) return false;
        const empty = s.panes().find((p) => p.kind === MAP && p.layers.length === 0)?.id;
        const pane = empty ?? (s.panes().length < MOST_BESIDE ? addPane() : besides());
        if (pane === here.id) return false;
        drawn(d, inPane(here.id));
        const layers = here.layers.map((l) => (l.dataset === sibling ? { dataset: id, visible: true } : l));
        change(pane, (p) => ({ ...p, kind: MAP, panel: null, layers, swipe: null }));
        patchState(s, { activePane: pane, selected: id });
        return true;
      },
      /** A panel of evidence in a pane of its own, beside what is shown. */
      showPanel(dataset: string, panel: string): void {
        const map = s.activePane();
        const pane = besides();
        change(pane, (p) => ({ ...p, kind: 'panel', layers: [], swipe: null, panel: { id: panel, dataset } }));
        // What is chosen next is still shown in a map, not in place of this.
        patchState(s, { activePane: map, selected: dataset });
      },
      /** What a pane shows as a scene beside it. */
      showScene(from: number): void {
        const layers = s.panes().find((p) => p.id === from)?.layers ?? [];
        // Never in place of what it shows.
        patchState(s, { activePane: from });
        const free = s.panes().find((p) => p.id !== from && p.kind === SCENE)?.id;
        const pane = free ?? besides();
        change(pane, (p) => ({
          ...emptyPane(pane),
          kind: SCENE,
          layers: layers.filter((l) => l.visible),
          scene: p.scene ?? START_VIEW,
        }));
        patchState(s, { activePane: pane });
      },
      /** Changes how a scene is looked at. */
      lookAround: (pane: number, patch: Partial<SceneView>): void =>
        change(pane, (p) => ({ ...p, scene: { ...START_VIEW, ...p.scene, ...patch } })),
      closePane(id: number): void {
        if (s.panes().length === 1) {
          const was = s.panes()[0]!;
          const empty = (): void => change(id, () => emptyPane(id));
          empty();
          changes.done({ words: 'the pane emptied', undo: () => change(id, () => was), redo: empty });
          return;
        }
        const gone = s.panes().find((p) => p.id === id);
        const close = (): void => {
          const panes = s.panes().filter((p) => p.id !== id);
          if (panes.length) patchState(s, { panes, activePane: s.activePane() === id ? panes[0]!.id : s.activePane() });
        };
        close();
        if (!gone) return;
        const open = (): void => {
          const rest = s.panes().filter((p) => p.id !== id);
          if (rest.length < 4) patchState(s, { panes: [...rest, gone].sort((a, b) => a.id - b.id), activePane: id });
        };
        changes.done({ words: `pane ${id} closed`, undo: open, redo: close });
      },
      /** Each group of layers in a pane of its own, on one view and one scale. */
      holdTogether(groups: Layer[][]): void {
        for (const g of groups) for (const l of g) if (item(l.dataset)) drawn(item(l.dataset)!, []);
        patchState(s, {
          panes: groups.slice(0, 4).map((layers, i) => ({ ...emptyPane(i + 1), layers })),
          activePane: 1,
          sharedScale: true,
          linkedView: true,
          linkedCursor: true,
        });
      },
    };
  }),
  withMethods((s, project = inject(ProjectStore), looks = inject(Looks), changes = inject(Changes)) => {
    const { change } = s;
    /** Changes what a pane shows so that it can be taken back; what has been shown or removed in it since stays so. */
    const arrange = (pane: number, words: string, f: (layers: Layer[]) => Layer[], of?: string): void => {
      const before = s.panes().find((p) => p.id === pane)?.layers ?? [];
      const after = f(before);
      const put = (layers: Layer[]) => (): void =>
        change(pane, (p) => {
          const others = p.layers.filter(
            (l) => !before.some((b) => b.dataset === l.dataset) && !after.some((a) => a.dataset === l.dataset),
          );
          const all = [...layers, ...others].filter((l) => project.datasetEntityMap()[l.dataset]);
          return { ...p, layers: all, swipe: all.length > 1 ? p.swipe : null };
        });
      put(after)();
      changes.done({ words, undo: put(before), redo: put(after), ...(of ? { of } : {}) });
    };
    const nameOf = (id: string): string => `“${item(id)?.name ?? ''}”`;
    const item = (id: string): DatasetItem | undefined => project.datasetEntityMap()[id];
    const changeLayer = (pane: number, dataset: string, words: string, f: (l: Layer) => Layer, of?: string): void =>
      arrange(pane, words, (all) => all.map((l) => (l.dataset === dataset ? f(l) : l)), of);
    const layerIn = (pane: number, dataset: string): Layer | undefined =>
      s
        .panes()
        .find((p) => p.id === pane)
        ?.layers.find((l) => l.dataset === dataset);
    return {
      /** A set that has taken the place of another is drawn where, and as, the other was. */
      replaceLayer(from: string, to: string): void {
        const was = item(from);
        if (was?.look) project.drawAs(to, was.look);
        patchState(s, {
          panes: s.panes().map((p) => ({
            ...p,
            layers: p.layers.map((l) => (l.dataset === from ? { ...l, dataset: to } : l)),
          })),
          selected: to,
        });
      },
      removeLayer: (pane: number, dataset: string): void =>
        arrange(pane, `${nameOf(dataset)} taken out of pane ${pane}`, (all) =>
          all.filter((l) => l.dataset !== dataset),
        ),
      setVisible: (pane: number, dataset: string, visible: boolean): void =>
        changeLayer(pane, dataset, `${nameOf(dataset)} ${visible ? 'shown' : 'hidden'}`, (l) => ({ ...l, visible })),
      /** Draws a dataset another way: everywhere, or in the one pane that has its own way. */
      restyle(pane: number, dataset: string, patch: object): void {
        const d = item(dataset);
        if (!d) return;
        const layer = layerIn(pane, dataset);
        const was = looks.of(d, layer);
        const look = { ...was, ...patch };
        const words = `how ${nameOf(dataset)} is drawn`;
        const of = `look ${pane} ${dataset}`;
        if (layer?.own) changeLayer(pane, dataset, words, (l) => ({ ...l, own: look }), of);
        else {
          project.drawAs(dataset, look);
          changes.done({
            words,
            of,
            undo: () => project.drawAs(dataset, was),
            redo: () => project.drawAs(dataset, look),
          });
        }
      },
      /** Lets a pane draw a dataset in a way of its own, or as everywhere. */
      setOwn(pane: number, dataset: string, on: boolean): void {
        const d = item(dataset);
        if (d)
          changeLayer(pane, dataset, `how ${nameOf(dataset)} is drawn here`, ({ own: _, ...l }) =>
            on ? { ...l, own: looks.of(d, layerIn(pane, dataset)) } : l,
          );
      },
      reorder(pane: number, from: number, to: number): void {
        arrange(pane, `the order in pane ${pane}`, (all) => {
          const layers = [...all];
          const [layer] = layers.splice(from, 1);
          layers.splice(to, 0, layer!);
          return layers;
        });
      },
    };
  }),
  withMethods((s, project = inject(ProjectStore)) => ({
    openSheet(
      method: string,
      inputs: Record<string, string[]> = {},
      params: Record<string, unknown> = {},
      variantOf: string | null = null,
    ): void {
      if (!project.methodMap().has(method)) {
        project.notify('The recipe that it was made by has been removed.', 'refused');
        return;
      }
      patchState(s, { sheet: { method, inputs, params, seed: 1, variantOf, runId: null }, askOpen: false });
    },
    /** A work takes the room of the stage: it is for looking closely. */
    openWork: (id: string, dataset: string): void =>
      patchState(s, {
        work: { id, dataset },
        stageBefore: s.stage() ?? s.stageBefore(),
        stage: null,
        sheet: null,
        askOpen: false,
        selected: dataset,
      }),
    leaveWork: (): void => patchState(s, { work: null, stage: s.stage() ?? s.stageBefore(), stageBefore: 'ledger' }),
    fillSheet: (patch: Partial<Sheet>): void => {
      const sheet = s.sheet();
      if (sheet) patchState(s, { sheet: { ...sheet, ...patch } });
    },
    /** Re-opens the run that made a dataset with its settings to change. */
    vary(id: string): void {
      const d = project.datasetEntityMap()[id];
      const run = d?.runId ? project.runEntityMap()[d.runId] : undefined;
      if (!run || run.method === 'import') return;
      const { method, inputs, params, seed } = run;
      this.openSheet(method, inputs, params, run.id);
      const sheet = s.sheet();
      if (sheet?.variantOf === run.id) patchState(s, { sheet: { ...sheet, seed } });
    },
    toggleTheme: (): void => {
      const dark = !s.dark();
      localStorage.setItem(THEME, dark ? 'dark' : 'light');
      patchState(s, { dark });
    },
  })),
  withHooks((s, project = inject(ProjectStore), api = inject(Api)) => ({
    onInit(): void {
      effect(() => document.documentElement.setAttribute('data-theme', s.dark() ? 'dark' : 'light'));
      // Places that were pointed at stay where they are when the project is looked at in another system.
      let was: { project: string; crs: Crs } | null = null;
      effect(() => {
        const p = project.project();
        const crs = project.crs();
        const before = was;
        was = p ? { project: p.id, crs } : null;
        if (!p || before?.project !== p.id || before.crs === crs) return;
        const go = transformer(before.crs, crs);
        const moved = ({ x, y }: Place): Place | null => {
          const out = [0, 0];
          go(x, y, out);
          return out.every(Number.isFinite) ? { x: out[0]!, y: out[1]! } : null;
        };
        untracked(() => {
          const at = s.readout();
          patchState(s, { readout: at && moved(at), pins: s.pins().flatMap((q) => moved(q) ?? []) });
        });
      });
      // A project opens as it was left; a new one with the last thing shown that has a picture.
      let opened: string | null = null;
      effect(() => {
        const p = project.project();
        const loading = project.loading();
        if (loading || !p || opened === p.id) return;
        opened = p.id;
        untracked(() => {
          // A tab that is loaded anew goes on as it was, whatever another one has kept since.
          const was = restored(ownBench(p.id) ?? project.stored(), project.datasetEntities());
          for (const { id, look } of was.looks) project.drawAs(id, look);
          patchState(s, was.state);
          if (was.last) s.show(was.last, 1, false);
        });
      });
      // What is taken in is drawn at once, on top of what stands in the active pane; tables have no picture.
      const known = new Set<string>();
      /** How many of those that came together have come, by what they came with. */
      const drawn = new Map<string, number>();
      /** Those that came one by one. */
      const alone = new Set<string>();
      let told = false;
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
          for (const id of fresh.flatMap((r) => r.outputs)) {
            const batch = project.datasetEntityMap()[id]?.batch ?? null;
            // Of those that come one by one as many are drawn as still stand in the pane: who takes some out makes room.
            const n = batch
              ? (drawn.get(batch) ?? 0) + 1
              : s.pane().layers.filter((l) => alone.has(l.dataset)).length + 1;
            if (batch) drawn.set(batch, n);
            else alone.add(id);
            if (n <= MOST_DRAWN) {
              s.show(id, s.activePane(), true);
              continue;
            }
            patchState(s, { selected: id });
            if (batch ? n === MOST_DRAWN + 1 : !told)
              project.notify(
                `${MOST_DRAWN} that were taken in are drawn; the others stand in the ledger, where a click shows them.`,
              );
            told ||= !batch;
          }
        });
      });
      // Layers of removed datasets go.
      effect(() => {
        const map = project.datasetEntityMap();
        untracked(() => {
          const stale = (p: Pane): boolean =>
            p.layers.some((l) => !map[l.dataset]) || (p.panel !== null && !map[p.panel.dataset]);
          if (s.panes().some(stale))
            patchState(s, {
              panes: s
                .panes()
                .map((p) =>
                  p.panel && !map[p.panel.dataset]
                    ? emptyPane(p.id)
                    : { ...p, layers: p.layers.filter((l) => map[l.dataset]) },
                ),
            });
          if (s.work() && !map[s.work()!.dataset]) patchState(s, { work: null });
          if (s.selected() && !map[s.selected()!]) patchState(s, { selected: null });
        });
      });
      // Kept a moment after the last change, or at once when the page is left.
      let timer: ReturnType<typeof setTimeout> | undefined;
      let due: (() => void) | null = null;
      const keep = (): void => {
        clearTimeout(timer);
        due?.();
        due = null;
      };
      effect(() => {
        const kept = keptOf(s);
        const p = untracked(project.project);
        if (!p || opened !== p.id) return;
        clearTimeout(timer);
        due = () => {
          keepOwn(p.id, kept);
          void api.saveWorkbench(p.id, kept).catch(() => undefined);
        };
        timer = setTimeout(keep, 600);
      });
      document.addEventListener('visibilitychange', () => document.hidden && keep());
      addEventListener('pagehide', keep);
    },
  })),
);
