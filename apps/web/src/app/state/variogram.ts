import { computed, effect, inject, Injectable, linkedSignal, signal, untracked } from '@angular/core';
import { inBase, LocalJob, ofKind, parseQuantity, type FeaturesInfo } from '@helk/core';
import { suggestGrid, samplesOf } from '@helk/core/methods/surface/common';
import { pairSamples, suggestLags } from '@helk/core/methods/surface/variogram';
import type { Fit, Held, Lag, VariogramKind } from '@helk/core/numeric/variogram';
import type { VariogramMap } from '@helk/core/numeric/variogram-map';
import type { VariogramAnswer, VariogramRequest } from '../draw/messages';
import { FeatureData } from './feature-data';
import type { DatasetItem } from './project.store';

/** Settings as they are typed; an empty text leaves the value to the data or to the fit. */
export interface VariogramWish {
  value: string;
  lag: string;
  maxDistance: string;
  model: VariogramKind | 'auto';
  azimuth: string;
  tolerance: string;
  /** Direction of the longest range, degrees clockwise from north, and the shortest over the longest. */
  angle: string;
  ratio: string;
  nugget: string;
  sill: string;
  range: string;
  map: boolean;
}

const FITTED: VariogramWish = {
  value: '',
  lag: '',
  maxDistance: '',
  model: 'auto',
  azimuth: '',
  tolerance: '22.5',
  angle: '',
  ratio: '',
  nugget: '',
  sill: '',
  range: '',
  map: false,
};

interface Read {
  request: Omit<Extract<VariogramRequest, { kind: 'fit' }>, 'id' | 'kind'> | null;
  wrong: string | null;
}

/** A typed number; undefined when empty. @throws Error for anything else */
function numberOf(text: string, name: string): number | undefined {
  const t = text.trim().replace(',', '.');
  if (t === '') return undefined;
  const n = Number(t);
  if (!(n >= 0)) throw new Error(`${name}: “${text}” is no number from 0 on.`);
  return n;
}

const metres = (text: string, name: string): number | undefined => {
  if (text.trim() === '') return undefined;
  const v = inBase(parseQuantity(text, 'length'), 'm');
  if (!(v > 0)) throw new Error(`${name}: “${text}” is no length above 0.`);
  return v;
};

/**
 * The variogram of one column of points while it is being worked on: settings typed or dragged, lags, model and map by a web worker,
 * the latest wish answered. One dataset at a time; its settings stay while the project is open.
 */
@Injectable({ providedIn: 'root' })
export class VariogramBench {
  private readonly data = inject(FeatureData);
  readonly item = signal<DatasetItem | null>(null);
  private readonly kept = new Map<string, VariogramWish>();
  readonly wish = linkedSignal<string | undefined, VariogramWish>({
    source: () => this.item()?.id,
    computation: (id) => (id && this.kept.get(id)) || FITTED,
  });
  readonly lags = signal<Lag[]>([]);
  readonly fit = signal<Fit | null>(null);
  readonly map = signal<VariogramMap | null>(null);
  readonly failed = signal<string | null>(null);
  readonly counted = signal(0);
  private worker: Worker | null = null;
  private sent = '';
  private busy = false;
  private turn = 0;
  private next: Extract<VariogramRequest, { kind: 'fit' }> | null = null;

  readonly info = computed((): FeaturesInfo | null => ofKind('features', this.item()?.info));
  readonly columns = computed(() => (this.info()?.columns ?? []).filter((c) => c.type === 'number'));
  readonly value = computed(() => {
    const named = this.columns().find((c) => c.name === this.wish().value);
    const i = this.info();
    const first = i ? (suggestGrid({ points: i })['value']?.value as string | undefined) : undefined;
    return (named ?? this.columns().find((c) => c.name === first) ?? this.columns()[0])?.name ?? '';
  });
  /** Lag and greatest distance that the data suggest. */
  readonly suggested = computed(() => {
    const i = this.info();
    if (!i) return { lag: '', maxDistance: '' };
    let far: number | undefined;
    try {
      far = metres(this.wish().maxDistance, '');
    } catch {
      far = undefined;
    }
    const s = suggestLags(i, far);
    return { lag: String(s['lag']?.value ?? ''), maxDistance: String(s['maxDistance']?.value ?? '') };
  });
  private readonly read = computed((): Read => {
    const w = this.wish();
    const s = this.suggested();
    try {
      const lag = metres(w.lag || s.lag, 'Lag width');
      const maxDistance = metres(w.maxDistance || s.maxDistance, 'Greatest distance');
      if (!lag || !maxDistance) return { request: null, wrong: null };
      if (lag > maxDistance) throw new Error('The lag is wider than the greatest distance.');
      if (maxDistance / lag > 2000) throw new Error('So narrow a lag makes more than 2 000 of them; take a wider one.');
      const held: Held = {};
      const [nugget, sill, range] = [numberOf(w.nugget, 'Nugget'), numberOf(w.sill, 'Sill'), metres(w.range, 'Range')];
      if (nugget !== undefined) held.nugget = nugget;
      if (sill !== undefined) held.sill = sill;
      if (range !== undefined) held.range = range;
      if (nugget !== undefined && sill !== undefined && nugget > sill)
        throw new Error('The total sill cannot be below the nugget.');
      const azimuth = numberOf(w.azimuth, 'Direction');
      const tolerance = numberOf(w.tolerance, 'Tolerance') ?? 22.5;
      if (azimuth !== undefined && !(tolerance > 0 && tolerance <= 90))
        throw new Error('The tolerance lies between 0 and 90°.');
      const direction = azimuth === undefined ? null : { azimuth: azimuth % 180, tolerance };
      const ratio = numberOf(w.ratio, 'Ratio') ?? 1;
      if (!(ratio > 0 && ratio <= 1)) throw new Error('The ratio lies above 0 and at most at 1.');
      const angle = numberOf(w.angle, 'Angle');
      if (ratio < 1 && angle === undefined)
        throw new Error('A ratio below 1 needs the direction of the longest range.');
      const anisotropy = ratio < 1 ? { angle: angle! % 180, ratio } : null;
      return { request: { lag, maxDistance, direction, anisotropy, model: w.model, held, map: w.map }, wrong: null };
    } catch (e) {
      return { request: null, wrong: e instanceof Error ? e.message : String(e) };
    }
  });
  readonly wrong = computed(() => this.read().wrong);

  constructor() {
    effect(() => {
      const item = this.item();
      const value = this.value();
      const request = this.read().request;
      const f = item ? this.data.features(item.id) : undefined;
      if (!item || !f || !request || !value) return;
      untracked(() => {
        const key = `${item.id}/${value}`;
        if (key !== this.sent) {
          this.lags.set([]);
          this.fit.set(null);
          this.map.set(null);
          try {
            const all = samplesOf(f, value, new LocalJob());
            this.counted.set(all.x.length);
            this.post({ kind: 'samples', ...pairSamples(all, f.crs) });
            this.sent = key;
          } catch (e) {
            this.failed.set(e instanceof Error ? e.message : String(e));
            return;
          }
        }
        this.next = { kind: 'fit', id: ++this.turn, ...request };
        this.send();
      });
    });
  }

  set(patch: Partial<VariogramWish>): void {
    const w = { ...this.wish(), ...patch };
    const id = this.item()?.id;
    if (id) this.kept.set(id, w);
    this.wish.set(w);
  }

  /** The direction and ratio that are felt; null where every direction counts alike. */
  readonly anisotropy = computed(() => this.read().request?.anisotropy ?? null);

  /** Nothing held: nugget, sill and range are fitted again. */
  release(): void {
    this.set({ nugget: '', sill: '', range: '' });
  }

  private post(m: VariogramRequest): void {
    this.worker ??= this.start();
    this.worker.postMessage(m);
  }

  private send(): void {
    if (this.busy || !this.next) return;
    this.busy = true;
    this.post(this.next);
    this.next = null;
  }

  private start(): Worker {
    const w = new Worker(new URL('../draw/variogram.worker', import.meta.url), { type: 'module' });
    w.onmessage = (e: MessageEvent<VariogramAnswer>) => {
      const a = e.data;
      this.busy = false;
      if ('error' in a) this.failed.set(a.error);
      else {
        this.failed.set(null);
        this.lags.set(a.lags);
        this.fit.set(a.fit);
        this.map.set(a.map);
      }
      this.send();
    };
    return w;
  }
}
