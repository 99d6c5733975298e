import { computed, effect, inject, Injectable, signal } from '@angular/core';
import { inBase, ofKind, parseQuantity, type Previewed } from '@helk/core';
import { refOf } from '@helk/core/api/refs';
import { BenchStore } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';
import { drawnBand, type DrawnBand, type PreviewAnswer, type PreviewRequest } from './messages';

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

type What = PreviewRequest['what'];

/** How long somebody who types must rest, ms. */
const PAUSE = 350;

/** What each kind of preview is made of; those that are worked out elsewhere are not here. */
const WHAT: Partial<
  Record<Previewed['kind'], (value: (name: string) => unknown, param: string, sources: DrawnBand[]) => What | null>
> = {
  streams: (value, param) => {
    const threshold = quantityOf(value(param), 'area', 'm2');
    return threshold > 0 ? { kind: 'streams', threshold } : null;
  },
  contours: (value) => {
    const what = {
      kind: 'contours' as const,
      interval: numberOf(value('interval'), NaN),
      base: numberOf(value('base'), 0),
      indexEvery: Math.round(numberOf(value('indexEvery'), 5)),
      smooth: { none: 0, light: 1, strong: 3 }[String(value('smooth'))] ?? 0,
      from: numberOf(value('from'), -Infinity),
      to: numberOf(value('to'), Infinity),
    };
    return what.interval > 0 && what.indexEvery >= 1 && !Object.values(what).some((v) => v !== v) ? what : null;
  },
  formula: (value, param, sources) => {
    const formula = String(value(param) ?? '').trim();
    return formula ? { kind: 'formula', formula, sources } : null;
  },
};

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
    const method = this.project.methodMap().get(sheet.method);
    const spec = method?.preview;
    if (!spec || !('param' in spec)) return null;
    const p = { ...this.suggested(), ...given(sheet.params) };
    // A setting that was not touched is as the method has it.
    const value = (name: string): unknown => p[name] ?? method.params[name]?.default;
    if (Object.entries(spec.when ?? {}).some(([name, wanted]) => value(name) !== wanted)) return null;
    const sources = (sheet.inputs[spec.input] ?? []).flatMap((r) => {
      const { dataset, band } = refOf(r);
      const info = ofKind('raster', this.project.datasetEntityMap()[dataset]?.info);
      return info ? [drawnBand(project.id, dataset, info, band ?? 0)] : [];
    });
    const what = WHAT[spec.kind]?.(value, spec.param, sources);
    return what && sources.length ? { source: sources[0]!, what } : null;
  });

  /** What comes next is no typing: it is followed at once. */
  hurry = false;

  constructor() {
    effect((done) => {
      const w = this.wanted();
      if (!w) {
        this.next = null;
        this.shown.set(null);
        this.result.set(null);
        this.failed.set(null);
        return;
      }
      const go = (): void => {
        this.next = { ...w, id: ++this.turn };
        this.send();
      };
      // Half a number is no wish: "2" of "2 km2" would be 2 m².
      const timer = setTimeout(go, this.hurry ? 0 : PAUSE);
      this.hurry = false;
      done(() => clearTimeout(timer));
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
          this.shown.set(null);
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
