import { effect, inject, Injectable, untracked } from '@angular/core';
import { datasetsIn } from '@helk/core/api/refs';
import { BenchStore } from './bench.store';
import { ProjectStore } from './project.store';

/** Sees to it that what is shown, chosen or about to be worked on is known in full: histograms, places of holes, extremes. */
@Injectable({ providedIn: 'root' })
export class Closer {
  constructor() {
    const bench = inject(BenchStore);
    const project = inject(ProjectStore);
    effect(() => {
      if (!project.project()) return;
      const wanted = new Set([
        ...bench.panes().flatMap((p) => p.layers.map((l) => l.dataset)),
        ...datasetsIn(bench.sheet()?.inputs ?? {}),
        bench.selected() ?? '',
      ]);
      const there = project.datasetEntityMap();
      untracked(() => {
        for (const id of wanted) if (there[id]) void project.look(id);
      });
    });
  }
}
