import { inject, Injectable } from '@angular/core';
import { Api } from '../api/api';
import { ProjectStore } from './project.store';

interface Due {
  project: string;
  dataset: string;
  work: string;
  value: unknown;
}

const AFTER = 300;

/** How far works have come that are not done yet: kept with the project as they go on, so that nothing is lost when one leaves. */
@Injectable({ providedIn: 'root' })
export class Drafts {
  private readonly api = inject(Api);
  private readonly store = inject(ProjectStore);
  private readonly due = new Map<string, Due>();
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    document.addEventListener('visibilitychange', () => document.hidden && void this.flush());
  }

  async read<T>(dataset: string, work: string): Promise<T | null> {
    await this.flush();
    const p = this.store.project();
    return p ? ((await this.api.draft(p.id, dataset, work)) as T | null) : null;
  }

  /** Null forgets it. */
  keep(dataset: string, work: string, value: unknown): void {
    const p = this.store.project();
    if (!p) return;
    this.due.set(`${dataset} ${work}`, { project: p.id, dataset, work, value });
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.flush(), AFTER);
  }

  private async flush(): Promise<void> {
    clearTimeout(this.timer);
    const all = [...this.due.values()];
    this.due.clear();
    await Promise.all(
      all.map((d) => this.store.guarded(() => this.api.keepDraft(d.project, d.dataset, d.work, d.value))),
    );
  }
}
