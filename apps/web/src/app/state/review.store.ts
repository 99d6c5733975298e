import { computed, inject } from '@angular/core';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { unitFactor } from '@helk/core';
import type { ApiReview } from '@helk/core/api/schemas';
import { Api } from '../api/api';
import { ProjectStore } from './project.store';

export type ReviewLayer = ApiReview['layers'][number];

/** One grid, or other layer, waiting to be taken in, with what has been decided so far. Numbers stay text until they are right. */
export interface Waiting {
  review: string;
  file: string;
  layer: ReviewLayer;
  take: boolean;
  name: string;
  factor: string;
  offset: string;
  unit: string;
  /** Code of the system it is given by hand; empty for what the file says. */
  crs: string;
  /** The values at another step are being looked up. */
  looking: boolean;
}

export interface Decided {
  factor: number;
  offset: number;
  wrong: string | null;
}

interface ReviewState {
  waiting: Waiting[];
  /** Files being sent and looked into. */
  sending: string[];
  taking: boolean;
  problems: { file: string; message: string }[];
}

const NONE: ReviewState = { waiting: [], sending: [], taking: false, problems: [] };

/** Files whose grids are shown for confirmation before they are taken in. */
export const REVIEWED = /\.(nc4?|cdf|h5|hdf5)$/i;

/** Number of a field with point or comma; NaN when it is none. */
function numberOf(text: string, empty: number): number {
  const t = text.trim().replace(',', '.').replace('−', '-');
  return t === '' ? empty : /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(t) ? Number(t) : NaN;
}

export function decided(w: Waiting): Decided {
  const factor = numberOf(w.factor, 1);
  const offset = numberOf(w.offset, 0);
  const wrong =
    Number.isNaN(factor) || factor === 0
      ? `“${w.factor}” is no factor.`
      : Number.isNaN(offset)
        ? `“${w.offset}” is no offset.`
        : null;
  return { factor, offset, wrong };
}

/** A depth that counts downwards becomes an elevation in metres by this factor; null where nothing says that it is one. */
export function elevationFactor(l: ReviewLayer): number | null {
  if (!l.notes.some((n) => n.code === 'netcdf.down')) return null;
  return -(unitFactor(l.unit) ?? 1);
}

export const ReviewStore = signalStore(
  { providedIn: 'root' },
  withState<ReviewState>(NONE),
  withComputed((s) => ({
    open: computed(() => s.waiting().length + s.sending().length + s.problems().length > 0),
    chosen: computed(() => s.waiting().filter((w) => w.take)),
  })),
  withMethods((s, api = inject(Api), project = inject(ProjectStore)) => {
    const put = (review: string, layer: string, patch: Partial<Waiting>): void =>
      patchState(s, {
        waiting: s.waiting().map((w) => (w.review === review && w.layer.layer === layer ? { ...w, ...patch } : w)),
      });
    return {
      put,
      putAll: (patch: Partial<Waiting>): void =>
        patchState(s, { waiting: s.waiting().map((w) => (w.layer.scalable ? { ...w, ...patch } : w)) }),
      /** Sends the files one by one and shows what is in each. */
      async look(files: File[]): Promise<void> {
        const p = project.project();
        if (!p) return;
        patchState(s, { sending: [...s.sending(), ...files.map((f) => f.name)] });
        for (const f of files) {
          try {
            const r = await api.review(p.id, f);
            const several = r.layers.length > 1;
            const waiting = r.layers.map((layer): Waiting => {
              // A grid that is alone takes the file's name; of several, only those not helpers are ticked at first.
              return {
                review: r.id,
                file: r.file,
                layer,
                take: true,
                name: several ? `${r.file.replace(/\.\w+$/, '')} ${layer.layer}` : layer.layer,
                factor: '1',
                offset: '0',
                unit: layer.unit ?? '',
                crs: '',
                looking: false,
              };
            });
            patchState(s, { waiting: [...s.waiting(), ...waiting] });
          } catch (e) {
            const message = e instanceof Error ? e.message : String(e);
            patchState(s, { problems: [...s.problems(), { file: f.name, message }] });
          }
          const sending = [...s.sending()];
          sending.splice(sending.indexOf(f.name), 1);
          patchState(s, { sending });
        }
      },
      /** Another time or level of a grid; its range is looked up anew. */
      async step(w: Waiting, step: number): Promise<void> {
        const p = project.project();
        if (!p) return;
        put(w.review, w.layer.layer, { looking: true });
        const steps = Object.fromEntries(
          s
            .waiting()
            .filter((x) => x.review === w.review)
            .map((x) => [x.layer.layer, x.layer.step]),
        );
        const r = await project.guarded(() => api.reviewAgain(p.id, w.review, { ...steps, [w.layer.layer]: step }));
        const layer = r?.layers.find((l) => l.layer === w.layer.layer);
        put(w.review, w.layer.layer, { looking: false, ...(layer ? { layer } : {}) });
      },
      /** Takes in what is ticked; files of which nothing is are forgotten. */
      async take(): Promise<void> {
        const p = project.project();
        if (!p) return;
        patchState(s, { taking: true });
        const ids = [...new Set(s.waiting().map((w) => w.review))];
        const batch = s.waiting().filter((w) => w.take).length > 1 ? `b${Date.now().toString(36)}` : null;
        for (const id of ids) {
          const mine = s.waiting().filter((w) => w.review === id);
          const chosen = mine.filter((w) => w.take);
          const ok = await project.guarded(async () => {
            if (chosen.length === 0) await api.dropReview(p.id, id);
            else project.watch(await api.takeReview(p.id, id, { batch, layers: chosen.map(choiceOf) }));
            return true;
          });
          if (ok) patchState(s, { waiting: s.waiting().filter((w) => w.review !== id) });
        }
        patchState(s, { taking: false, ...(s.waiting().length ? {} : { problems: [] }) });
      },
      async leave(): Promise<void> {
        const p = project.project();
        const ids = [...new Set(s.waiting().map((w) => w.review))];
        patchState(s, NONE);
        if (p) for (const id of ids) await api.dropReview(p.id, id).catch(() => undefined);
      },
    };
  }),
);

function choiceOf(w: Waiting): object {
  const { factor, offset } = decided(w);
  return {
    layer: w.layer.layer,
    name: w.name.trim() || w.layer.layer,
    step: w.layer.step,
    ...(w.layer.scalable ? { factor, offset } : {}),
    ...(w.crs ? { crs: w.crs } : {}),
    ...(w.layer.scalable && w.unit.trim() !== (w.layer.unit ?? '') ? { unit: w.unit.trim() } : {}),
  };
}
