import { inject, Injectable, signal } from '@angular/core';
import type { Features, Table } from '@helk/core';
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
    const d = this.ready.get(id);
    if (!d) void this.get(id).catch(() => undefined);
    return d;
  }

  features(id: string | null | undefined): Features | undefined {
    const d = this.now(id);
    return d?.kind === 'features' ? d : undefined;
  }

  get(id: string): Promise<Features | Table> {
    const found = this.held.get(id);
    if (found) {
      this.held.delete(id);
      this.held.set(id, found);
      return found;
    }
    const project = this.project.project()?.id ?? '';
    const job = this.api.features(project, id).then((d) => {
      this.ready.set(id, d);
      this.version.update((v) => v + 1);
      return d;
    });
    job.catch(() => this.held.delete(id));
    this.held.set(id, job);
    for (const old of this.held.keys()) {
      if (this.held.size <= MOST_HELD) break;
      this.held.delete(old);
      this.ready.delete(old);
    }
    return job;
  }

  /** After a change on the server. */
  forget(id: string): void {
    this.held.delete(id);
    this.ready.delete(id);
    this.version.update((v) => v + 1);
  }
}
