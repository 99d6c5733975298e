import { Injectable, signal } from '@angular/core';

/** A chart that somebody wants to see of a dataset: one column against another. */
@Injectable({ providedIn: 'root' })
export class ChartAsked {
  readonly asked = signal<{ dataset: string; y: string; x: string } | null>(null);

  ask(dataset: string, y: string, x: string): void {
    this.asked.set({ dataset, y, x });
  }
}
