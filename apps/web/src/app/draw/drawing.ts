import { Injectable } from '@angular/core';
import { drawingWorker } from './start-drawing';
import type {
  CancelRequest,
  DrawAnswer,
  SampleRequest,
  SurfaceRequest,
  Spot,
  TileRequest,
  ValueAnswer,
  ValueRequest,
  WarmRequest,
} from './messages';

type Waiting = { done: (a: DrawAnswer) => void; failed: (e: Error) => void };
type Unnumbered<T> = Omit<T, 'id'>;

/** Two, so that a hover is not behind a picture. */
const WORKERS = 2;

/** How long small pictures wait for the map, ms: there may be none. */
const PATIENCE = 1500;

/** The drawing workers: values stay in them, pictures come out. */
@Injectable({ providedIn: 'root' })
export class Drawing {
  private readonly running: Worker[] = [];
  /** Which worker draws a dataset: always the same one, which holds its cells. */
  private readonly drawer = new Map<string, number>();
  private readonly waiting = new Map<number, Waiting>();
  private last = 0;

  private drawn!: () => void;
  /** When the first picture of a map is there, or none was asked for: what is less urgent waits for it. */
  readonly first = new Promise<void>((done) => {
    this.drawn = done;
    setTimeout(done, PATIENCE);
  });

  private worker(dataset: string): Worker {
    const k = this.drawer.get(dataset) ?? this.drawer.size % WORKERS;
    this.drawer.set(dataset, k);
    if (!this.running[k]) {
      this.running[k] = drawingWorker(k);
      this.running[k].onmessage = (e: MessageEvent<DrawAnswer>) => this.answer(e.data);
    }
    return this.running[k];
  }

  private answer(a: DrawAnswer): void {
    const held = this.waiting.get(a.id);
    this.waiting.delete(a.id);
    if (!held) {
      if ('image' in a) a.image?.close();
    } else if ('error' in a) held.failed(new Error(a.error));
    else {
      if ('image' in a) this.drawn();
      held.done(a);
    }
  }

  async tile(r: Unnumbered<TileRequest>, signal?: AbortSignal): Promise<ImageBitmap | null> {
    const id = ++this.last;
    const worker = this.worker(r.source.dataset);
    signal?.addEventListener('abort', () => {
      worker.postMessage({ kind: 'cancel', id } satisfies CancelRequest);
    });
    const a = await this.send(worker, { ...r, id });
    return 'image' in a ? a.image : null;
  }

  /** Cells that a map will show are fetched while it is still being made. */
  warm(spot: Spot, every: number): void {
    this.worker(spot.source.dataset).postMessage({ ...spot, every, kind: 'warm' } satisfies WarmRequest);
  }

  async value(r: Unnumbered<ValueRequest>): Promise<ValueAnswer> {
    const a = await this.send(this.worker(r.source.dataset), { ...r, id: ++this.last });
    return (a as { value: ValueAnswer }).value;
  }

  /** Values beneath pixels. */
  async sample(spot: Spot): Promise<Float32Array> {
    const a = await this.send(this.worker(spot.source.dataset), { ...spot, kind: 'sample', id: ++this.last });
    return (a as { sample: Float32Array }).sample;
  }

  /** Values of all pixels of a spot, row by row, smooth between cells. */
  async surface(spot: Spot): Promise<Float32Array> {
    const a = await this.send(this.worker(spot.source.dataset), { ...spot, kind: 'surface', id: ++this.last });
    return (a as { sample: Float32Array }).sample;
  }

  private send(
    worker: Worker,
    message: TileRequest | ValueRequest | SampleRequest | SurfaceRequest,
  ): Promise<DrawAnswer> {
    return new Promise((done, failed) => {
      this.waiting.set(message.id, { done, failed });
      worker.postMessage(message);
    });
  }
}
