import { computed, Injectable, signal, untracked } from '@angular/core';

/** A ring on the maps, in the panes' system; `ink` is a colour or the name of one of the theme. */
export interface Outline {
  ring: readonly (readonly number[])[];
  ink: string;
  /** Its corners are places of their own, drawn so many pixels large to each side. */
  dots?: number;
}

/** What is outlined on every map and is no dataset: areas that are looked at, examples that are being drawn. */
@Injectable({ providedIn: 'root' })
export class Outlines {
  private readonly held = signal<ReadonlyMap<string, readonly Outline[]>>(new Map());
  readonly all = computed(() => [...this.held().values()].flat());

  put(owner: string, outlines: readonly Outline[]): void {
    const next = new Map(untracked(this.held));
    if (outlines.length) next.set(owner, outlines);
    else next.delete(owner);
    this.held.set(next);
  }
}
