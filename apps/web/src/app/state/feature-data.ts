import { inject, Injectable, signal, untracked } from '@angular/core';
import { dataOf, systemOf, type Features, type Table } from '@helk/core';
import { Api } from '../api/api';
import { ProjectStore } from './project.store';

const MOST_HELD = 24;

/** Features and tables of the open project, fetched once and shared by maps, tables and charts. */
@Injectable({ providedIn: 'root' })
export class FeatureData {
  private readonly api = inject(Api);
  private readonly project = inject(ProjectStore);
  private readonly held = new Map<string, Promise<Features | Table>>();
  private readonly ready = new Map<string, Features | Table>();
  private readonly version = signal(0);

  /** What is there of a dataset now; asks for it when it is not, and says so again once it is. */
  now(id: string | null | undefined): Features | Table | undefined {
    this.version();
    if (!id) return undefined;
    const d = this.ready.get(this.key(id));
    if (!d) void this.get(id).catch(() => undefined);
    return d;
  }

  features(id: string | null | undefined): Features | undefined {
    return dataOf('features', this.now(id)) ?? undefined;
  }

  /** A dataset that has been given a coordinate system is another thing than it was without. */
  private key(id: string): string {
    const d = this.project.datasetEntityMap()[id];
    return `${id} ${(d && systemOf(d.info)?.proj4) ?? ''}`;
  }

  get(id: string): Promise<Features | Table> {
    const key = untracked(() => this.key(id));
    const found = this.held.get(key);
    if (found) {
      this.held.delete(key);
      this.held.set(key, found);
      return found;
    }
    const project = this.project.project()?.id ?? '';
    const info = untracked(() => this.project.datasetEntityMap()[id]?.info);
    const job = this.api.features(project, id).then((found) => {
      // The system is that of the description: it can be given after the places were stored.
      const d = info && 'crs' in found ? { ...found, crs: systemOf(info) } : found;
      // One that was pushed out while it was on its way is not kept.
      if (this.held.get(key) === job) this.ready.set(key, d);
      this.version.update((v) => v + 1);
      return d;
    });
    job.catch(() => this.held.delete(key));
    this.held.set(key, job);
    for (const old of this.held.keys()) {
      if (this.held.size <= MOST_HELD) break;
      this.held.delete(old);
      this.ready.delete(old);
    }
    return job;
  }
}
