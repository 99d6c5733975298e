import { computed, inject } from '@angular/core';
import {
  patchState,
  signalStore,
  type,
  withComputed,
  withHooks,
  withMethods,
  withProps,
  withState,
} from '@ngrx/signals';
import { removeEntities, setAllEntities, setEntities, setEntity, withEntities } from '@ngrx/signals/entities';
import {
  extentOf,
  joined,
  kindOf,
  sameCrs,
  systemOf,
  transformExtent,
  wgs84,
  type ClassEntry,
  type Crs,
  type DatasetInfo,
  type Extent,
  type MethodDescription,
} from '@helk/core';
import type { ApiDataset, ApiProject, ApiRun, ProjectEvent } from '@helk/core/api/schemas';
import { Api, sentence } from '../api/api';
import { LAST_PROJECT } from '../api/early';
import { namedBy } from '../api/place';
import { Changes, type Change } from './changes';
import { madeBy } from './made-by';
import { NOTHING_WRITTEN, withoutWritten, withWritten, written, type Written } from './written';

/** A dataset with its info typed. */
export type DatasetItem = Omit<ApiDataset, 'info'> & { info: DatasetInfo };

export interface Notice {
  id: number;
  text: string;
  level: 'fine' | 'refused';
  undo?: () => void;
}

interface ProjectState extends Written {
  project: ApiProject | null;
  projects: ApiProject[];
  /** Methods of the catalogue. */
  builtIn: MethodDescription[];
  loading: boolean;
  failed: string | null;
  notices: Notice[];
  /** What stood in the panes when the project was last left. */
  stored: unknown;
  /** What listings leave out, of datasets that somebody looked at closer. */
  details: Record<string, unknown>;
}

const datasetConfig = { entity: type<DatasetItem>(), collection: 'dataset' } as const;
const runConfig = { entity: type<ApiRun>(), collection: 'run' } as const;
/** After how long without another change a way of drawing is kept, ms. */
const KEEP_LOOK = 250;

/** The open project: its datasets and runs, kept up to date by the server's events. */
export const ProjectStore = signalStore(
  { providedIn: 'root' },
  withState<ProjectState>({
    project: null,
    projects: [],
    builtIn: [],
    ...NOTHING_WRITTEN,
    loading: true,
    failed: null,
    notices: [],
    stored: null,
    details: {},
  }),
  withEntities(datasetConfig),
  withEntities(runConfig),
  withComputed((s) => ({
    /** All that can be run: recipes of the project among the methods. */
    methods: computed(() => [
      ...s.builtIn(),
      // A question that a method answers is answered by the method first.
      ...s.recipes().flatMap((r) => (r.method ? [r.method as unknown as MethodDescription] : [])),
    ]),
  })),
  withComputed((s) => ({
    liveRuns: computed(() => s.runEntities().filter((r) => r.state === 'queued' || r.state === 'running')),
    methodMap: computed(() => new Map(s.methods().map((m) => [m.id, m]))),
    /** The system all panes draw in: what the project is kept to, whatever comes and goes. */
    crs: computed((): Crs => s.project()?.crs ?? wgs84(), { equal: sameCrs }),
    /** Methods by the job of the workbench that they do. */
    serving: computed(() => new Map(s.methods().flatMap((m) => (m.serves ? [[m.serves, m] as const] : [])))),
  })),
  withComputed((s) => ({
    /** Everything that lies somewhere, in the panes' system. */
    extent: computed((): Extent | null => extentOfAll(s.datasetEntities(), s.crs())),
  })),
  withComputed((s) => ({
    /** The panes' system where it is known: data of which nobody said where they lie are drawn in numbers that mean no place. */
    system: computed((): Crs | null => (s.project()?.crs || !s.extent() ? s.crs() : null)),
  })),
  withProps(() => ({
    /** Ways of drawing that have not been told to the server yet. */
    drawing: new Map<string, { look: object; timer: ReturnType<typeof setTimeout> | undefined }>(),
  })),
  withMethods((s, changes = inject(Changes)) => {
    let noticeId = 0;
    /** @param undo takes back what the notice tells of, from the notice or by the key for that; @param redo does it again */
    const notify = (
      text: string,
      level: Notice['level'] = 'fine',
      undo?: () => void | Promise<void>,
      redo?: () => void | Promise<void>,
    ): void => {
      const notice: Notice = { id: ++noticeId, text, level };
      if (undo) {
        const change: Change = { words: text, undo, ...(redo ? { redo } : {}) };
        changes.done(change);
        notice.undo = () => void changes.back(change);
      }
      patchState(s, { notices: [...s.notices().slice(-2), notice] });
      setTimeout(() => dismiss(notice.id), undo ? 12_000 : level === 'refused' ? 14_000 : 5000);
    };
    const dismiss = (id: number): void => patchState(s, { notices: s.notices().filter((n) => n.id !== id) });
    const guarded = async <T>(work: () => Promise<T>): Promise<T | undefined> => {
      try {
        return await work();
      } catch (e) {
        notify(sentence(e), 'refused');
        return undefined;
      }
    };
    const now = (): Written =>
      written({
        recipes: s.recipes(),
        tables: s.tables(),
        findings: s.findings(),
        sheets: s.sheets(),
        reports: s.reports(),
        palettes: s.palettes(),
        backgrounds: s.backgrounds(),
      });
    return {
      notify,
      dismiss,
      guarded,
      /** The run, or the step of a recipe's run, that made a dataset. */
      madeBy: (d: DatasetItem | undefined): ApiRun | undefined => madeBy(d, s.runEntityMap(), s.datasetEntityMap()),
      /** Takes what the server says of what is written: recipes, run tables, findings, sheets, reports, palettes. */
      written(by: Partial<Written>): void {
        patchState(s, withWritten(now(), by));
      },
      /** Takes out what has been removed of it. */
      unwritten(ids: readonly string[]): void {
        patchState(s, withoutWritten(now(), ids));
      },
      /** A dataset as the client holds it: with its detail, where that has been fetched. */
      held: (d: ApiDataset): DatasetItem => {
        // What somebody is drawing this moment is newer than what the server knows of it.
        const look = s.drawing.get(d.id)?.look;
        const item = { ...d, ...(look ? { look } : {}) } as unknown as DatasetItem;
        return d.id in s.details() ? { ...item, info: kindOf(item.info).join(item.info, s.details()[d.id]) } : item;
      },
    };
  }),
  withMethods((s, api = inject(Api), changes = inject(Changes)) => {
    const { guarded, held } = s;
    let unfollow: (() => void) | null = null;
    /** Counts openings: what a project that was opened before the last one still brings is not taken. */
    let opening = 0;
    const fetchAll = async (id: string, turn: number): Promise<void> => {
      const d = await api.project(id);
      if (turn !== opening) return;
      patchState(
        s,
        { project: d.project, stored: d.workbench, ...written(d) },
        setAllEntities(d.datasets.map(held), datasetConfig),
        setAllEntities(d.runs, runConfig),
      );
    };
    /** An event may come after the answer to a change that was made later than what it tells of. */
    const later = (d: ApiDataset): boolean => d.revision >= (s.datasetEntityMap()[d.id]?.revision ?? 0);
    const hear = (e: ProjectEvent): void => {
      if (e.type === 'run') patchState(s, setEntity(e.run, runConfig));
      else if (e.type === 'datasets') patchState(s, setEntities(e.datasets.filter(later).map(held), datasetConfig));
      else if (e.type === 'removed') patchState(s, removeEntities(e.ids, datasetConfig));
      else if (e.type === 'unwritten') s.unwritten(e.ids);
      else if (e.type === 'project') patchState(s, { project: e.project });
      else s.written(e);
    };
    const listProjects = async (): Promise<void> => patchState(s, { projects: await api.projects() });
    const open = async (id: string): Promise<void> => {
      unfollow?.();
      unfollow = null;
      const turn = ++opening;
      changes.clear();
      patchState(s, { loading: true, failed: null, project: null, details: {} });
      try {
        await fetchAll(id, turn);
        if (turn !== opening) return;
        localStorage.setItem(LAST_PROJECT, id);
        unfollow = api.follow(id, hear, () => void guarded(() => fetchAll(id, turn)));
      } catch (e) {
        if (turn !== opening) return;
        patchState(s, { failed: sentence(e) });
      }
      patchState(s, { loading: false });
      void guarded(listProjects);
    };
    return {
      open,
      async start(): Promise<void> {
        try {
          const [methods, projects] = await Promise.all([api.methods(), api.projects()]);
          patchState(s, { builtIn: methods, projects });
          const last = namedBy().project ?? localStorage.getItem(LAST_PROJECT);
          const whole = projects.filter((p) => !p.problem);
          const first =
            whole.find((p) => p.id === last) ??
            whole.find((p) => p.id === localStorage.getItem(LAST_PROJECT)) ??
            whole[0];
          if (first) await open(first.id);
          else patchState(s, { loading: false });
        } catch (e) {
          patchState(s, { failed: sentence(e), loading: false });
        }
      },
      async createProject(name: string): Promise<void> {
        const p = await guarded(() => api.createProject(name));
        if (p) await open(p.id);
      },
      async openFile(file: File): Promise<void> {
        const p = await guarded(() => api.openProject(file));
        if (!p) return;
        await open(p.id);
        // Nothing else of a file lands there.
        if (p.binned)
          s.notify('The file has pictures of the ground from services. They are in the bin until you take them out.');
      },
      async deleteProject(id: string): Promise<void> {
        await guarded(async () => {
          await api.deleteProject(id);
          await listProjects();
          if (s.project()?.id === id) {
            unfollow?.();
            localStorage.removeItem(LAST_PROJECT);
            const next = s.projects().find((p) => !p.problem);
            if (next) await open(next.id);
            else
              patchState(
                s,
                { project: null, stored: null, ...NOTHING_WRITTEN },
                setAllEntities([] as DatasetItem[], datasetConfig),
                setAllEntities([] as ApiRun[], runConfig),
              );
          }
        });
      },
      async patchProject(patch: { name?: string; note?: string; crs?: string }): Promise<void> {
        const p = s.project();
        if (p) await guarded(async () => patchState(s, { project: await api.patchProject(p.id, patch) }));
      },
    };
  }),
  withMethods((s, api = inject(Api)) => {
    /** Follows a run just started. Its event may have overtaken the answer; the further state stays. */
    const watch = (run: ApiRun): void => {
      if (!s.runEntityMap()[run.id]) patchState(s, setEntity(run, runConfig));
    };
    /** Waits until a run is over. */
    const ended = async (id: string): Promise<ApiRun> => {
      for (;;) {
        const r = s.runEntityMap()[id];
        if (r && r.state !== 'queued' && r.state !== 'running') return r;
        await new Promise((resolve) => setTimeout(resolve, 60));
      }
    };
    /** Runs a method and waits for its results. @throws Error with the run's own sentence when it does not end well */
    const runToEnd = async (
      method: string,
      inputs: Record<string, string[]>,
      params: Record<string, unknown>,
      o: { seed: number; variantOf: string | null } = { seed: 1, variantOf: null },
    ): Promise<string[]> => {
      const p = s.project();
      if (!p) throw new Error('No project is open.');
      const run = await api.startRun(p.id, { method, inputs, params, ...o });
      watch(run);
      const end = await ended(run.id);
      if (end.state !== 'done') throw new Error(end.problem?.message ?? 'It did not end well.');
      return end.outputs;
    };
    return {
      watch,
      ended,
      runToEnd,
      async startRun(run: {
        method: string;
        inputs: Record<string, string[]>;
        params: Record<string, unknown>;
        seed: number;
        variantOf: string | null;
      }): Promise<ApiRun | undefined> {
        const p = s.project();
        if (!p) return undefined;
        const r = await api.startRun(p.id, run);
        watch(r);
        return r;
      },
      async cancelRun(id: string): Promise<void> {
        const p = s.project();
        if (p) await s.guarded(() => api.cancelRun(p.id, id));
      },
    };
  }),
  withMethods((s, api = inject(Api)) => {
    const { guarded, notify, watch, ended } = s;
    return {
      /** Files are sent one after the other; those of one drop that are alike stand together in the ledger. */
      async takeIn(files: File[]): Promise<void> {
        const p = s.project();
        if (!p) return;
        const batch = files.length > 1 ? `b${Date.now().toString(36)}` : null;
        for (const f of files) {
          const run = await guarded(() => api.takeIn(p.id, f, { batch }));
          if (run) watch(run);
        }
      },
      /** Takes files in and waits for what comes of them. @param crs of their coordinates, where the files say none */
      async takeInNow(files: File[], crs: string | null = null): Promise<string[]> {
        const p = s.project();
        const out: string[] = [];
        for (const f of p ? files : []) {
          const run = await guarded(() => api.takeIn(p!.id, f, { crs }));
          if (!run) continue;
          watch(run);
          const end = await ended(run.id);
          if (end.state === 'done') out.push(...end.outputs);
          else notify(end.problem?.message ?? 'It was not taken in.', 'refused');
        }
        return out;
      },
    };
  }),
  withMethods((s, api = inject(Api)) => {
    const { drawing, guarded, held, notify } = s;
    return {
      /** Fetches what listings leave out of a dataset, once. */
      async look(id: string): Promise<void> {
        const p = s.project();
        const d = s.datasetEntityMap()[id];
        if (!p || !d || id in s.details() || !kindOf(d.info).detailShape) return;
        patchState(s, { details: { ...s.details(), [id]: null } });
        const detail = await guarded(() => api.detail(p.id, id));
        const now = s.datasetEntityMap()[id];
        if (!now || s.project()?.id !== p.id) return;
        patchState(
          s,
          { details: { ...s.details(), [id]: detail ?? null } },
          setEntity({ ...now, info: kindOf(now.info).join(now.info, detail ?? null) }, datasetConfig),
        );
      },
      /** Says something of a dataset. @returns whether it could be said */
      async patchDataset(
        id: string,
        patch: {
          name?: string;
          note?: string;
          thread?: string;
          crs?: string;
          unit?: string;
          band?: number;
          classes?: ClassEntry[];
          bandName?: string;
          role?: string | null;
          wavelength?: number | null;
          replacedBy?: string | null;
        },
      ): Promise<boolean> {
        const p = s.project();
        if (!p) return false;
        const d = await guarded(() => api.patchDataset(p.id, id, patch));
        if (d) patchState(s, setEntity(held(d), datasetConfig));
        return d !== undefined;
      },
      /** Draws a dataset another way, in every pane at once; kept with it a moment later, so that a slider is one change. */
      drawAs(id: string, look: object): void {
        const p = s.project();
        const d = s.datasetEntityMap()[id];
        if (!p || !d) return;
        patchState(s, setEntity({ ...d, look: look as DatasetItem['look'] }, datasetConfig));
        clearTimeout(drawing.get(id)?.timer);
        const tell = (): void => {
          drawing.set(id, { look, timer: undefined });
          const told = api.patchDataset(p.id, id, { look: look as Record<string, unknown> });
          const over = (): void => {
            if (drawing.get(id)?.look === look) drawing.delete(id);
          };
          // One that has been removed meanwhile has nothing to keep.
          told.then(over, (e: unknown) => {
            over();
            if (s.datasetEntityMap()[id]) notify(sentence(e), 'refused');
          });
        };
        drawing.set(id, { look, timer: setTimeout(tell, KEEP_LOOK) });
      },
      /** New results take names and places of old ones, which go and can be brought back together. */
      async succeed(pairs: readonly (readonly [string, string])[]): Promise<void> {
        const p = s.project();
        if (!p) return;
        const names = new Map(pairs.map(([old]) => [old, s.datasetEntityMap()[old]!]));
        const gone = pairs.map(([old]) => old);
        await api.removeDatasets(p.id, gone);
        patchState(s, removeEntities(gone, datasetConfig));
        for (const [old, next] of pairs) {
          const { name, note } = names.get(old)!;
          const d = await api.patchDataset(p.id, next, { name, note });
          patchState(s, setEntity(held(d), datasetConfig));
        }
        const what = pairs.length === 1 ? `“${names.get(pairs[0]![0])!.name}” was` : `${pairs.length} results were`;
        notify(`${what} made again from what is newest.`, 'fine', async () => {
          await guarded(() => api.bringBack(p.id, gone));
        });
      },
      /** Puts datasets into the bin, together; they can be brought back from there, or by taking it back. */
      async removeDatasets(ids: readonly string[]): Promise<void> {
        const p = s.project();
        const all = ids.flatMap((id) => s.datasetEntityMap()[id] ?? []);
        if (!p || !all.length) return;
        const remove = (): Promise<void | undefined> =>
          guarded(async () => {
            await api.removeDatasets(p.id, ids);
            patchState(s, removeEntities([...ids], datasetConfig));
          });
        const before = s.datasetEntityMap();
        await remove();
        if (ids.some((id) => s.datasetEntityMap()[id]) || s.datasetEntityMap() === before) return;
        notify(
          all.length === 1 ? `“${all[0]!.name}” was removed.` : `${all.length} datasets were removed.`,
          'fine',
          async () => void (await guarded(() => api.bringBack(p.id, ids))),
          async () => void (await remove()),
        );
      },
      /** Puts something that is written into the bin, from where it can be brought back. @returns whether it is there */
      async putAway(id: string, words: string, remove: (project: string) => Promise<void>): Promise<boolean> {
        const p = s.project();
        if (!p) return false;
        const away = async (): Promise<boolean> => {
          await remove(p.id);
          s.unwritten([id]);
          return true;
        };
        if (!(await guarded(away))) return false;
        notify(
          words,
          'fine',
          async () => void (await guarded(() => api.bringBack(p.id, [id]))),
          async () => void (await guarded(away)),
        );
        return true;
      },
    };
  }),
  withHooks({ onInit: (s) => void s.start() }),
);

/** Extent of all of some datasets in a system; those without a system only where none has one, as they lie nowhere that is known. */
export function extentOfAll(all: readonly DatasetItem[], crs: Crs): Extent | null {
  const each = extentsOf(all, crs);
  return each.length ? each.reduce(joined) : null;
}

/** The extent of each in a system. Where some are said to lie somewhere, those of which nobody knows do not count. */
export function extentsOf(all: readonly DatasetItem[], crs: Crs): Extent[] {
  const placed = all.filter((d) => crsOf(d.info));
  return (placed.length ? placed : all).map((d) => extentIn(d.info, crs)).filter((e) => e !== null);
}

export function crsOf(info: DatasetInfo): Crs | null {
  return systemOf(info);
}

/** Extent of a dataset in a system; null for tables, empty sets and places that cannot be expressed. */
export function extentIn(info: DatasetInfo, crs: Crs): Extent | null {
  const own = extentOf(info);
  if (!own) return null;
  try {
    return transformExtent(own, crsOf(info) ?? crs, crs);
  } catch {
    return null;
  }
}

/** `raster · m · 30 m`: what a dataset is, in one line. */
export const summaryOf = ({ info }: DatasetItem): string => kindOf(info).summary(info);
