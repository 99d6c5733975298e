import { Injectable } from '@angular/core';
import type { DisplayList } from '../draw/display';

/** What makes a drawing of what is seen somewhere. */
export type Maker = () => Promise<{ list: DisplayList; title: string } | null>;

/** Everything that can be drawn as it is seen, told by whoever shows it: panes by their number, and the panel of evidence. */
@Injectable({ providedIn: 'root' })
export class Seeing {
  private readonly panes = new Map<number, Maker>();
  private evidence: { host: HTMLElement; make: Maker } | null = null;

  /** @returns what takes it out again */
  pane(id: number, make: Maker): () => void {
    this.panes.set(id, make);
    return () => {
      if (this.panes.get(id) === make) this.panes.delete(id);
    };
  }

  panel(host: HTMLElement, make: Maker): () => void {
    this.evidence = { host, make };
    return () => {
      if (this.evidence?.make === make) this.evidence = null;
    };
  }

  of = (pane: number): Maker | undefined => this.panes.get(pane);
  /** The panel of evidence, where there is one that draws. */
  shown = (): Maker | undefined => this.evidence?.make;
  /** Whether somebody is at the panel of evidence: points there, or has the focus there. */
  atPanel = (): boolean => {
    const host = this.evidence?.host;
    return !!host && (host.matches(':hover') || host.contains(document.activeElement));
  };
}
