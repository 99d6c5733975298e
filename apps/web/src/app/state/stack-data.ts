import { inject, Injectable } from '@angular/core';
import type { StackInfo } from '@helk/core/data/stack-facts';
import { stepAt, type TimeSteps } from '@helk/core/data/time-steps';
import { Api } from '../api/api';
import type { PaneTime } from './panes';
import { ProjectStore } from './project.store';

/** Values that are held of all stacks together. */
const MOST_HELD = 2e7;

/** The steps that are seen at a moment: so many, the last the one that holds it; within what there is. */
export function stepsSeen(steps: TimeSteps, time: PaneTime | null): { from: number; to: number } {
  const at = time ? Math.min(steps.count - 1, Math.max(0, stepAt(steps, time.at))) : steps.count - 1;
  return { from: Math.max(0, at - (time?.window ?? 1) + 1), to: at };
}

/** Values of time stacks by step, fetched once and shared by all that show them. */
@Injectable({ providedIn: 'root' })
export class StackData {
  private readonly api = inject(Api);
  private readonly project = inject(ProjectStore);
  private readonly held = new Map<string, { values: Promise<Float64Array>; size: number }>();

  /** Values of all places at a step. */
  step(id: string, info: StackInfo, variable: number, step: number): Promise<Float64Array> {
    const project = this.project.project()?.id ?? '';
    const key = `${project} ${id} ${variable} ${step}`;
    const found = this.held.get(key);
    if (found) {
      this.held.delete(key);
      this.held.set(key, found);
      return found.values;
    }
    const values = this.fetched(project, id, info, variable, step);
    this.held.set(key, { values, size: info.count });
    values.catch(() => this.held.delete(key));
    let all = 0;
    for (const h of this.held.values()) all += h.size;
    for (const [k, h] of this.held) {
      if (all <= MOST_HELD || k === key) break;
      this.held.delete(k);
      all -= h.size;
    }
    return values;
  }

  private async fetched(
    project: string,
    id: string,
    info: StackInfo,
    variable: number,
    step: number,
  ): Promise<Float64Array> {
    // What unpacks pieces is not needed before there is a stack to show.
    const [{ stepsArray }, { readPiece }] = await Promise.all([
      import('@helk/core/data/stack-store'),
      import('@helk/core/data/cloud-store'),
    ]);
    const bytes = await this.api.piece(project, id, stepsArray(variable), step);
    return Float64Array.from(await readPiece(bytes, info.variables[variable]!.type, info.count));
  }

  /** Mean of the steps that are seen at a moment, by place; missing where none has a value. The next step is fetched ahead. */
  async seen(id: string, info: StackInfo, variable: number, time: PaneTime | null): Promise<Float64Array> {
    const { from, to } = stepsSeen(info.steps, time);
    const all = await Promise.all(
      Array.from({ length: to - from + 1 }, (_, k) => this.step(id, info, variable, from + k)),
    );
    if (time && to + 1 < info.steps.count) void this.step(id, info, variable, to + 1).catch(() => undefined);
    if (all.length === 1) return all[0]!;
    const out = new Float64Array(info.count);
    for (let i = 0; i < out.length; i++) {
      let [sum, n] = [0, 0];
      for (const v of all)
        if (v[i] === v[i]) {
          sum += v[i]!;
          n++;
        }
      out[i] = n ? sum / n : NaN;
    }
    return out;
  }
}
