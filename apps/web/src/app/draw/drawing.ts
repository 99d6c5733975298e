import { Injectable } from '@angular/core';
import type { CancelRequest, DrawAnswer, TileRequest, ValueAnswer, ValueRequest } from './messages';

type Waiting = { done: (a: DrawAnswer) => void; failed: (e: Error) => void };
type Unnumbered<T> = Omit<T, 'id'>;

/** The drawing workers: values stay in them, pictures come out. Two, so that a hover is not behind a picture. */
@Injectable({ providedIn: 'root' })
export class Drawing {
  private readonly workers = [this.start(), this.start()];
  private readonly waiting = new Map<number, Waiting>();
  private last = 0;

  private start(): Worker {
    const w = new Worker(new URL('./raster.worker', import.meta.url), { type: 'module' });
    w.onmessage = (e: MessageEvent<DrawAnswer>) => {
      const a = e.data;
      const held = this.waiting.get(a.id);
      this.waiting.delete(a.id);
      if (!held) {
        if ('image' in a) a.image?.close();
      } else if ('error' in a) held.failed(new Error(a.error));
      else held.done(a);
    };
    return w;
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
