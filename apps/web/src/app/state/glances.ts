import { inject, Injectable } from '@angular/core';
import { Api } from '../api/api';
import { ProjectStore } from './project.store';

const KEPT = 40;

/** Small questions to data, asked of the server; the same is not asked twice. */
@Injectable({ providedIn: 'root' })
export class Glances {
  private readonly api = inject(Api);
  private readonly project = inject(ProjectStore);
  private readonly held = new Map<string, Promise<unknown>>();

  /**
   * @param inputs datasets by role
   * @param of what the answer depends on beside what is asked: the classes of a band as they are named now
   */
  ask<A>(glance: string, inputs: Record<string, string>, params: object = {}, of: unknown = null): Promise<A> {
    const p = this.project.project()?.id ?? '';
    const key = JSON.stringify([p, glance, inputs, params, of]);
    const known = this.held.get(key);
    if (known) return known as Promise<A>;
    const answer = this.api.glance<A>(p, glance, { inputs, params });
    this.held.set(key, answer);
    answer.catch(() => this.held.delete(key));
    for (const k of this.held.keys()) {
      if (this.held.size <= KEPT) break;
      this.held.delete(k);
    }
    return answer;
  }
}
