import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import type { DatasetItem } from '../state/project.store';
@Component({ selector: 'helk-label', changeDetection: ChangeDetectionStrategy.OnPush, template: '' })
export class Label {
  readonly item = input.required<DatasetItem>();
}
