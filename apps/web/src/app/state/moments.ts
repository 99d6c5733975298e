import { inject, Injectable, signal } from '@angular/core';
import { stepStart, type TimeSteps } from '@helk/core/data/time-steps';
import { clientKind } from '../kinds';
import { BenchStore } from './bench.store';
import type { Pane, PaneTime } from './panes';
import { ProjectStore, type DatasetItem } from './project.store';
import { stepsSeen } from './stack-data';

/** Time from one step to the next while they pass by, ms. */
const BEAT = 320;

/** What has steps in a pane, and where they stand. */
export interface Timed {
  item: DatasetItem;
  steps: TimeSteps;
}

/** Moves time through panes: by hand or by itself, in all of them together or in one. */
@Injectable({ providedIn: 'root' })
export class Moments {
  private readonly bench = inject(BenchStore);
  private readonly project = inject(ProjectStore);
  private timer: ReturnType<typeof setTimeout> | undefined;
  /** The pane whose steps pass by. */
  readonly playing = signal<number | null>(null);

  /** The uppermost dataset of a pane that has steps. */
  of(pane: Pane): Timed | null {
    for (const l of [...pane.layers].reverse()) {
      const item = l.visible ? this.project.datasetEntityMap()[l.dataset] : undefined;
      const steps = item && clientKind(item.info).steps?.(item.info as never);
      if (item && steps) return { item, steps };
    }
    return null;
  }

  /** Moves time, in this pane or in all that have steps where they go together. */
  set(pane: Pane, patch: Partial<PaneTime>): void {
    const timed = this.of(pane);
    if (!timed) return;
    const { steps } = timed;
    const was: PaneTime = pane.time ?? { at: stepStart(steps, steps.count - 1), window: 1 };
    const time = { ...was, ...patch };
    for (const p of this.bench.panes())
      if (p.id === pane.id || (this.bench.linkedTime() && this.of(p))) this.bench.change(p.id, (x) => ({ ...x, time }));
  }

  step(pane: Pane, step: number): void {
    const timed = this.of(pane);
    if (timed) this.set(pane, { at: stepStart(timed.steps, Math.min(timed.steps.count - 1, Math.max(0, step))) });
  }

  toggle(pane: number): void {
    if (this.playing() === pane) {
      this.stop();
      return;
    }
    this.stop();
    this.playing.set(pane);
    const go = (): void => {
      const p = this.bench.panes().find((x) => x.id === pane);
      const timed = p && this.of(p);
      if (!p || !timed) {
        this.stop();
        return;
      }
      const at = stepsSeen(timed.steps, p.time ?? null).to;
      this.step(p, at + 1 < timed.steps.count ? at + 1 : 0);
      this.timer = setTimeout(go, BEAT);
    };
    go();
  }

  stop(): void {
    clearTimeout(this.timer);
    this.playing.set(null);
  }
}
