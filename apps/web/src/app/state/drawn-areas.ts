import { effect, inject, Injectable, signal, untracked } from '@angular/core';
import { CATEGORY_COLOURS } from '@helk/core';
import { Sketch } from '../draw/sketch';
import { Outlines } from './outlines';
import { ProjectStore } from './project.store';

/** An area that only points at something: its corners, in the panes' system. */
export interface DrawnArea {
  label: string;
  ring: [number, number][];
}

/** Areas whose spectra are looked at; they belong to nobody and go with the project. */
@Injectable({ providedIn: 'root' })
export class DrawnAreas {
  private readonly sketch = inject(Sketch);
  readonly all = signal<readonly DrawnArea[]>([]);
  private count = 0;

  constructor() {
    const store = inject(ProjectStore);
    const outlines = inject(Outlines);
    effect(() =>
      outlines.put(
        'areas',
        this.all().map((a, i) => ({
          ring: [...a.ring, a.ring[0]!],
          ink: CATEGORY_COLOURS[i % CATEGORY_COLOURS.length]!,
        })),
      ),
    );
    let was = '';
    effect(() => {
      const now = `${store.project()?.id} ${store.crs().code ?? store.crs().proj4}`;
      if (was !== now) untracked(() => this.all.set([]));
      was = now;
    });
  }

  draw(): void {
    this.sketch.pick('polygon', (corners) =>
      this.all.update((a) => [...a, { label: `area ${++this.count}`, ring: corners as [number, number][] }]),
    );
  }

  remove(label: string): void {
    this.all.update((a) => a.filter((x) => x.label !== label));
  }
}
