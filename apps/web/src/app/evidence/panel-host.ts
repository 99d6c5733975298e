import { NgComponentOutlet } from '@angular/common';
import { ChangeDetectionStrategy, Component, effect, input, signal, type Type } from '@angular/core';
import type { DatasetItem } from '../state/project.store';
import type { EvidencePanel } from './panels';

/** A panel of evidence, loaded when it is first opened. */
@Component({
  selector: 'helk-panel-host',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgComponentOutlet],
  template: `@if (shown(); as s) {
    @if (s.id === panel()?.id) {
      <ng-container *ngComponentOutlet="s.component; inputs: { item: item() }" />
    }
  }`,
})
export class PanelHost {
  readonly panel = input.required<EvidencePanel | null>();
  readonly item = input.required<DatasetItem>();
  protected readonly shown = signal<{ id: string; component: Type<unknown> } | null>(null);

  constructor() {
    effect(() => {
      const panel = this.panel();
      void panel?.load().then((component) => this.shown.set({ id: panel.id, component }));
    });
  }
}
