import { effect, inject, signal, type Signal } from '@angular/core';
import { clientKind } from '../kinds';
import { KindTools } from '../kinds/tools';
import { BenchStore } from '../state/bench.store';
import { Cursor } from '../state/cursor';
import { ProjectStore } from '../state/project.store';
import type { Stacked } from './map-layers';

/** The value under the linked cursor of what a pane tells of; only the latest place is answered. To be called where effects may be made. */
export function cursorValue(
  pane: () => number,
  read: () => Pick<Stacked, 'item' | 'look'> | undefined,
): Signal<{ text: string; unit: string } | null> {
  const [cursor, bench, project, tools] = [inject(Cursor), inject(BenchStore), inject(ProjectStore), inject(KindTools)];
  const here = signal<{ text: string; unit: string } | null>(null);
  let wanted = 0;
  effect(() => {
    const c = cursor.at();
    const top = read();
    const turn = ++wanted;
    if (!c || !top || (!bench.linkedCursor() && c.pane !== pane())) {
      here.set(null);
      return;
    }
    void clientKind(top.item.info)
      .readout?.(top.item, top.look, c, project.crs(), tools)
      .then(
        (all) => {
          const r = all.find((x) => x.drawn);
          if (turn === wanted) here.set(r?.there ? { text: r.value, unit: r.unit } : null);
        },
        () => undefined,
      );
  });
  return here;
}
