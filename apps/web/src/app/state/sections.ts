import { Injectable, signal } from '@angular/core';
import type { Strip } from '@helk/core/render/cloud-section';

/** Strips of ground that are looked at from the side, by dataset, in the panes' system. */
@Injectable({ providedIn: 'root' })
export class Sections {
  readonly strips = signal<Readonly<Record<string, Strip>>>({});

  put(dataset: string, strip: Strip): void {
    this.strips.update((all) => ({ ...all, [dataset]: strip }));
  }
}
