import { inject, Injectable } from '@angular/core';
import { CloudParts } from '../draw/cloud-parts';
import { Drawing } from '../draw/drawing';
import { FeatureData } from '../state/feature-data';
import { Looks } from '../state/looks';
import { Picks } from '../state/picks';
import { StackData } from '../state/stack-data';
import { ProjectStore } from '../state/project.store';
import type { Tools } from './kind';

/** What the records of the kinds work with, of this application. */
@Injectable({ providedIn: 'root' })
export class KindTools implements Tools {
  private readonly store = inject(ProjectStore);
  readonly drawing = inject(Drawing);
  readonly clouds = inject(CloudParts);
  readonly data = inject(FeatureData);
  readonly stacks = inject(StackData);
  readonly picks = inject(Picks);

  private readonly looks = inject(Looks);

  readonly shows: Tools['shows'] = (item) => this.looks.shows(item);
  readonly project = (): string => this.store.project()?.id ?? '';
}
