import { computed, inject } from '@angular/core';
import { patchState, signalStore, withComputed, withHooks, withMethods, withState } from '@ngrx/signals';
import { transformExtent, wgs84, type Extent } from '@helk/core';
import type { ApiServiceCollection, ApiServiceHits, ApiServiceOffer } from '@helk/core/api/schemas';
import { Api, sentence } from '../api/api';
import { ProjectStore } from './project.store';

type Hit = ApiServiceHits['hits'][number];

interface ServiceState {
  offers: ApiServiceOffer[];
  open: boolean;
  /** As it was asked. */
  address: string;
  found: ApiServiceHits | null;
  words: string;
  /** Only what meets this box of longitudes and latitudes is looked for. */
  near: Extent | null;
  asking: boolean;
  problem: string | null;
  chosen: string | null;
  collection: ApiServiceCollection | null;
  reading: boolean;
  problemOfIt: string | null;
  /** Columns that are left out. */
  left: string[];
  name: string;
  crs: string;
}

const NONE: Omit<ServiceState, 'offers'> = {
  open: false,
  address: '',
  found: null,
  words: '',
  near: null,
  asking: false,
  problem: null,
  chosen: null,
  collection: null,
  reading: false,
  problemOfIt: null,
  left: [],
  name: '',
  crs: '',
};

const aborted = (e: unknown): boolean => e instanceof DOMException && e.name === 'AbortError';

/** A catalogue and feature service that is being looked into, and what is to be taken from it. */
export const ServiceStore = signalStore(
  { providedIn: 'root' },
  withState<ServiceState>({ offers: [], ...NONE }),
  withComputed((s) => ({
    hit: computed((): Hit | undefined => s.found()?.hits.find((h) => h.collection === s.chosen())),
    columns: computed(() => (s.collection()?.columns ?? []).filter((c) => !s.left().includes(c.name))),
  })),
  withMethods((s, api = inject(Api), project = inject(ProjectStore)) => {
    let asked: AbortController | null = null;
    let read: AbortController | null = null;
    const search = async (words: string, near: Extent | null): Promise<void> => {
      asked?.abort();
      const turn = (asked = new AbortController());
      patchState(s, { asking: true, problem: null, words, near });
      try {
        const found = await api.searchService({ address: s.address(), words, bbox: near }, turn.signal);
        patchState(s, { found, asking: false });
        // What is looked at stays while it is among the hits.
        if (!found.hits.some((h) => h.collection === s.chosen()))
          patchState(s, { chosen: null, collection: null, problemOfIt: null });
      } catch (e) {
        if (!aborted(e))
          patchState(s, { problem: sentence(e), asking: false, found: null, chosen: null, collection: null });
      }
    };
    return {
      set: (patch: Partial<ServiceState>): void => patchState(s, patch),
      search,
      /** Opens the view of a service; the same one again as it was left. */
      async look(address: string): Promise<void> {
        const a = address.trim();
        if (a === s.address() && s.found()) {
          patchState(s, { open: true });
          return;
        }
        patchState(s, { ...NONE, address: a, open: true });
        await search('', null);
      },
      async choose(collection: string): Promise<void> {
        read?.abort();
        const turn = (read = new AbortController());
        patchState(s, { chosen: collection, collection: null, reading: true, problemOfIt: null, left: [] });
        try {
          const c = await api.describeService({ address: s.address(), collection }, turn.signal);
          // The panes' system fits what is there already; an empty project takes the one the service keeps it in.
          const own = project.datasetEntities().length ? project.crs() : null;
          const crs = own && !own.geographic && own.code ? own.code : (c.storage ?? 'EPSG:4326');
          patchState(s, { collection: c, reading: false, name: c.title, crs });
        } catch (e) {
          if (!aborted(e)) patchState(s, { problemOfIt: sentence(e), reading: false });
        }
      },
      toggle(column: string): void {
        const left = s.left();
        patchState(s, { left: left.includes(column) ? left.filter((c) => c !== column) : [...left, column] });
      },
      /** Starts the run that fetches the features; the view closes and keeps its state. */
      async take(bbox: Extent | null): Promise<void> {
        const p = project.project();
        const c = s.collection();
        if (!p || !c) return;
        const run = await project.guarded(() =>
          api.takeService(p.id, {
            address: s.address(),
            collection: c.id,
            columns: s.left().length ? s.columns().map((x) => x.name) : null,
            bbox,
            crs: s.crs() || null,
            name: s.name().trim() || null,
          }),
        );
        if (!run) return;
        project.watch(run);
        patchState(s, { open: false });
      },
      /** A box of the panes' system in longitude and latitude; null where it cannot be told. */
      degrees(box: Extent): Extent | null {
        try {
          return transformExtent(box, project.crs(), wgs84());
        } catch {
          return null;
        }
      },
    };
  }),
  withHooks((s, api = inject(Api)) => ({
    onInit: () =>
      void api.services().then(
        (offers) => patchState(s, { offers }),
        () => undefined,
      ),
  })),
);
