import { Injectable } from '@angular/core';
import type { CloudInfo, Crs } from '@helk/core';
import type { PointValues } from '@helk/core/data/cloud';
import { attributeArray, type ChunkList } from '@helk/core/data/cloud-store';
import { neededAttributes, type DrawnPoints } from '@helk/core/render/cloud-paint';
import type { CloudStyle } from '@helk/core';
import type { CloudAnswer, CloudRequest, CloudSource } from './cloud-messages';

/** A chunk with what its drawing needs. */
export interface Part {
  key: number;
  level: number;
  places: DrawnPoints;
  values: ReadonlyMap<string, PointValues>;
}

type Unnumbered<T> = T extends unknown ? Omit<T, 'id'> : never;

/** Bytes of points that are kept. */
const ROOM = 320 * 2 ** 20;

/** The parts of clouds as they are drawn: fetched and unpacked in a worker, kept while there is room, shared by panes. */
@Injectable({ providedIn: 'root' })
export class CloudParts {
  private worker: Worker | null = null;
  private last = 0;
  private readonly waiting = new Map<number, { done: (a: CloudAnswer) => void; failed: (e: Error) => void }>();
  private readonly held = new Map<string, { value: Promise<unknown>; bytes: number }>();
  private bytes = 0;

  private ask(r: Unnumbered<CloudRequest>): Promise<CloudAnswer> {
    if (!this.worker) {
      this.worker = new Worker(new URL('./cloud.worker', import.meta.url), { type: 'module' });
      this.worker.onmessage = (e: MessageEvent<CloudAnswer>) => {
        const held = this.waiting.get(e.data.id);
        this.waiting.delete(e.data.id);
        if ('error' in e.data) held?.failed(new Error(e.data.error));
        else held?.done(e.data);
      };
    }
    const id = ++this.last;
    return new Promise((done, failed) => {
      this.waiting.set(id, { done, failed });
      this.worker!.postMessage({ ...r, id });
    });
  }

  /** What is kept under a name, or is fetched. Least recently used goes first. */
  private kept<T>(key: string, bytes: number, make: () => Promise<T>): Promise<T> {
    const found = this.held.get(key);
    if (found) {
      this.held.delete(key);
      this.held.set(key, found);
      return found.value as Promise<T>;
    }
    const value = make();
    this.held.set(key, { value, bytes });
    this.bytes += bytes;
    value.catch(() => {
      this.held.delete(key);
      this.bytes -= bytes;
    });
    for (const [k, e] of this.held) {
      if (this.bytes <= ROOM) break;
      if (k === key) continue;
      this.held.delete(k);
      this.bytes -= e.bytes;
    }
    return value;
  }

  private source(project: string, dataset: string, info: CloudInfo): CloudSource {
    return { project, dataset, scale: info.scale, offset: info.offset };
  }

  list(project: string, dataset: string, info: CloudInfo): Promise<ChunkList> {
    return this.kept(`${dataset} list`, 1000, async () => {
      const a = await this.ask({ kind: 'list', source: this.source(project, dataset, info) });
      return (a as { list: ChunkList }).list;
    });
  }

  values(
    project: string,
    dataset: string,
    info: CloudInfo,
    list: ChunkList,
    key: number,
    name: string,
  ): Promise<PointValues> {
    const k = info.attributes.findIndex((a) => a.name === name);
    const { level, count } = list.chunks[key]!;
    const { type } = info.attributes[k]!;
    const array = attributeArray(k);
    return this.kept(`${dataset} ${key} ${array}`, count * 4, async () => {
      const source = this.source(project, dataset, info);
      const a = await this.ask({ kind: 'values', source, array, type, chunk: { level, key, count } });
      return (a as { values: PointValues }).values;
    });
  }

  places(
    project: string,
    dataset: string,
    info: CloudInfo,
    list: ChunkList,
    key: number,
    crs: Crs,
  ): Promise<DrawnPoints> {
    const { level, count } = list.chunks[key]!;
    const systems = `${crs.proj4} ${info.crs?.proj4 ?? ''}`;
    return this.kept(`${dataset} ${key} ${systems}`, count * 12, async () => {
      const source = this.source(project, dataset, info);
      const a = await this.ask({ kind: 'places', source, chunk: { level, key, count }, from: info.crs, to: crs });
      return (a as { places: DrawnPoints }).places;
    });
  }

  /** A chunk with the attributes that a way of drawing needs. */
  async part(
    project: string,
    dataset: string,
    info: CloudInfo,
    list: ChunkList,
    key: number,
    crs: Crs,
    style: CloudStyle,
  ): Promise<Part> {
    const names = neededAttributes(style, info);
    const [places, ...values] = await Promise.all([
      this.places(project, dataset, info, list, key, crs),
      ...names.map((n) => this.values(project, dataset, info, list, key, n)),
    ]);
    return { key, level: list.chunks[key]!.level, places, values: new Map(names.map((n, i) => [n, values[i]!])) };
  }
}
