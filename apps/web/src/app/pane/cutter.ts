import { inject, Injectable } from '@angular/core';
import { misfit } from '@helk/core';
import { boundsOf, Sketch } from '../draw/sketch';
import { BenchStore } from '../state/bench.store';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { topOf, type Stacked } from './map-layers';

/** A part of what is seen: a box on the picture becomes the bounds of a cut, whose size is said before it is made. */
@Injectable({ providedIn: 'root' })
export class Cutter {
  private readonly bench = inject(BenchStore);
  private readonly project = inject(ProjectStore);
  private readonly sketch = inject(Sketch);

  /** The uppermost of a stack that a part can be cut out of. */
  of(stack: readonly Stacked[]): DatasetItem | undefined {
    const [wanted] = Object.values(this.project.serving().get('cut a part')?.inputs ?? {});
    return wanted && topOf(stack, ({ item }) => !misfit(wanted, item.info))?.item;
  }

  begin(item: DatasetItem): void {
    const method = this.project.serving().get('cut a part');
    if (!method) return;
    const [role] = Object.keys(method.inputs) as [string];
    this.sketch.pick('box', (corners) => {
      const bounds = boundsOf(corners, this.project.crs(), item).join(', ');
      this.bench.openSheet(method.id, { [role]: [item.id] }, { bounds });
    });
  }
}
