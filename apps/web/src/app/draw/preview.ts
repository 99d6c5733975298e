import { computed, effect, inject, Injectable, signal } from '@angular/core';
import { inBase, parseQuantity } from '@helk/core';
import { refOf } from '@helk/core/api/refs';
import { BenchStore } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';
import { drawnBand, type PreviewAnswer, type PreviewRequest } from './messages';

type Shown = Extract<PreviewAnswer, { lines: unknown }> & { what: PreviewRequest['what']; dataset: string };
export type FirstResult = Extract<PreviewAnswer, { result: unknown }>;

const quantityOf = (v: unknown, dimension: 'area', unit: string): number => {
  try {
    return inBase(parseQuantity(v as string, dimension), unit);
  } catch {
    return NaN;
  }
};
const numberOf = (v: unknown, empty: number): number =>
  v === undefined || v === '' || v === null ? empty : Number(String(v).replace(',', '.'));

/**
 * What the open run sheet would draw, before it runs: streams of a threshold, contours of an interval. Worked out in a web worker by the
 * methods' own kernels; the latest wish is answered, those in between are skipped.
 */
@Injectable({ providedIn: 'root' })
export class Preview {
  private readonly bench = inject(BenchStore);
  private readonly project = inject(ProjectStore);
  /** Settings that the data suggest, as the run sheet last heard them. */
  readonly suggested = signal<Record<string, unknown>>({});
  readonly shown = signal<Shown | null>(null);
  readonly failed = signal<string | null>(null);
  readonly busy = signal(false);
  readonly result = signal<FirstResult | null>(null);
  private worker: Worker | null = null;
  private asked: PreviewRequest | null = null;
  private next: PreviewRequest | null = null;
  private turn = 0;

  readonly wanted = computed((): Omit<PreviewRequest, 'id'> | null => {
    const sheet = this.bench.sheet();
    const project = this.project.project();
    if (!sheet || sheet.runId || !project) return null;
    if (sheet.method === 'raster.formula') {
      const formula = String(sheet.params['formula'] ?? '').trim();
      const sources = (sheet.inputs['rasters'] ?? []).flatMap((r) => {
        const { dataset, band } = refOf(r);
        const d = this.project.datasetEntityMap()[dataset];
        return d?.info.kind === 'raster' ? [drawnBand(project.id, dataset, d.info, band ?? 0)] : [];
      });
      return formula && sources.length ? { source: sources[0]!, what: { kind: 'formula', formula, sources } } : null;
    }
    const ref = refOf((sheet.inputs['elevation'] ?? sheet.inputs['raster'])?.[0] ?? '');
    const d = this.project.datasetEntityMap()[ref.dataset];
    if (d?.info.kind !== 'raster') return null;
    const source = drawnBand(project.id, d.id, d.info, ref.band ?? 0);
    const p = { ...this.suggested(), ...given(sheet.params) };
    if (sheet.method === 'terrain.streams' || (sheet.method === 'terrain.watersheds' && p['outlets'] === 'links')) {
      const threshold = quantityOf(p['threshold'], 'area', 'm2');
      return threshold > 0 ? { source, what: { kind: 'streams', threshold } } : null;
    }
    if (sheet.method !== 'raster.contours') return null;
    const what = {
      kind: 'contours' as const,
      interval: numberOf(p['interval'], NaN),
      base: numberOf(p['base'], 0),
      indexEvery: Math.round(numberOf(p['indexEvery'], 5)),
      smooth: { none: 0, light: 1, strong: 3 }[String(p['smooth'] ?? 'none')] ?? 0,
      from: numberOf(p['from'], -Infinity),
      to: numberOf(p['to'], Infinity),
    };
    return what.interval > 0 && what.indexEvery >= 1 && !Object.values(what).some((v) => v !== v)
      ? { source, what }
      : null;
  });

  constructor() {
    effect(() => {
      const w = this.wanted();
      if (!w) {
        this.next = null;
        this.shown.set(null);
        this.result.set(null);
        this.failed.set(null);
        return;
      }
      this.next = { ...w, id: ++this.turn };
      this.send();
    });
  }

  private send(): void {
    if (this.asked || !this.next) return;
    this.worker ??= this.start();
    this.asked = this.next;
    this.next = null;
    this.busy.set(true);
    this.worker.postMessage(this.asked);
  }

  private start(): Worker {
    const w = new Worker(new URL('./preview.worker', import.meta.url), { type: 'module' });
    w.onmessage = (e: MessageEvent<PreviewAnswer>) => {
      const asked = this.asked;
      this.asked = null;
      this.busy.set(false);
      const a = e.data;
      if (asked && this.wanted()?.source.dataset === asked.source.dataset) {
        if ('error' in a) {
          this.failed.set(a.error);
          this.result.set(null);
        } else if ('result' in a) {
          this.failed.set(null);
          this.result.set(a);
        } else {
          this.failed.set(null);
          this.shown.set({ ...a, what: asked.what, dataset: asked.source.dataset });
        }
      }
      this.send();
    };
    return w;
  }
}

const given = (params: Record<string, unknown>): Record<string, unknown> =>
  Object.fromEntries(Object.entries(params).filter(([, v]) => v !== '' && v !== undefined && v !== null));
