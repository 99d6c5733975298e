import { Injectable } from '@angular/core';
import type { CancelRequest, DrawAnswer, TileRequest, ValueAnswer, ValueRequest } from './messages';

type Waiting = { done: (a: DrawAnswer) => void; failed: (e: Error) => void };
type Unnumbered<T> = Omit<T, 'id'>;

let ready: Worker[] | null = null;

/** Starts the drawing workers, once. What they load takes as long as the workbench itself, so both begin together. */
export function startDrawing(): Worker[] {
  const one = (): Worker => new Worker(new URL('./raster.worker', import.meta.url), { type: 'module' });
  return (ready ??= [one(), one()]);
}

/** How long small pictures wait for the map, ms: there may be none. */
const PATIENCE = 1500;

/** The drawing workers: values stay in them, pictures come out. Two, so that a hover is not behind a picture. */
@Injectable({ providedIn: 'root' })
export class Drawing {
  private readonly workers = startDrawing();
  private readonly waiting = new Map<number, Waiting>();
  private last = 0;

  private drawn!: () => void;
  /** When the first picture of a map is there, or none was asked for: what is less urgent waits for it. */
  readonly first = new Promise<void>((done) => {
    this.drawn = done;
    setTimeout(done, PATIENCE);
  });

  constructor() {
    for (const w of this.workers) w.onmessage = (e: MessageEvent<DrawAnswer>) => this.answer(e.data);
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
    // One dataset is always drawn by the same worker, which holds its cells.
    const worker = this.workers[hash(r.source.dataset) % 2]!;
    signal?.addEventListener('abort', () => {
      worker.postMessage({ kind: 'cancel', id } satisfies CancelRequest);
    });
    const a = await this.send(worker, { ...r, id });
    return 'image' in a ? a.image : null;
  }

  async value(r: Unnumbered<ValueRequest>): Promise<ValueAnswer> {
    const a = await this.send(this.workers[hash(r.source.dataset) % 2]!, { ...r, id: ++this.last });
    return (a as { value: ValueAnswer }).value;
  }

  private send(worker: Worker, message: TileRequest | ValueRequest): Promise<DrawAnswer> {
    return new Promise((done, failed) => {
      this.waiting.set(message.id, { done, failed });
      worker.postMessage(message);
    });
  }
}

function hash(s: string): number {
  let h = 0;
  for (let i = 0; i < s.length; i++) h = (h * 31 + s.charCodeAt(i)) >>> 0;
  return h;
}
