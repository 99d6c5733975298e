import { inject, Injectable } from '@angular/core';
import { kindOf } from '@helk/core';
import { refOf } from '@helk/core/api/refs';
import { Looks } from './looks';
import { Picks } from './picks';
import { ProjectStore, type DatasetItem } from './project.store';

const DEEPEST = 20;

/** Results that have the rows of what they were made from, one by one: what is picked of the one is picked of the other. */
@Injectable({ providedIn: 'root' })
export class SameRows {
  private readonly project = inject(ProjectStore);
  private readonly looks = inject(Looks);

  constructor() {
    inject(Picks).root = (id) => this.root(id);
  }

  /** The dataset whose rows one has that it was made from, where its method says so. */
  from(d: DatasetItem): DatasetItem | undefined {
    const role = this.looks.shows(d)?.rows;
    const ref = role ? this.project.madeBy(d)?.inputs[role]?.[0] : undefined;
    const source = ref ? this.project.datasetEntityMap()[refOf(ref).dataset] : undefined;
    const count = (x: DatasetItem): number | undefined => kindOf(x.info).rows?.(x.info).count;
    return source && count(source) === count(d) ? source : undefined;
  }

  /** The dataset that all with its rows go back to. */
  root(id: string): string {
    let d = this.project.datasetEntityMap()[id];
    for (let k = 0; d && k < DEEPEST; k++) {
      const source = this.from(d);
      if (!source) return d.id;
      d = source;
    }
    return d?.id ?? id;
  }

  /** The nearest dataset of a kind that it has the rows of: itself, or what it was made from. */
  ofKind(d: DatasetItem, kind: DatasetItem['info']['kind']): DatasetItem | undefined {
    let x: DatasetItem | undefined = d;
    for (let k = 0; x && k < DEEPEST && x.info.kind !== kind; k++) x = this.from(x);
    return x?.info.kind === kind ? x : undefined;
  }
}
