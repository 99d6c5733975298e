import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import type { DatasetItem } from '../state/project.store';
@Component({ selector: 'helk-train', changeDetection: ChangeDetectionStrategy.OnPush, template: '' })
export class Train {
  readonly item = input.required<DatasetItem>();
}
