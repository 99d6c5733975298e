import { computed, inject, type Signal } from '@angular/core';
import { clientKind } from '../kinds';
import type { LegendOf } from '../kinds/kind';
import type { Legend } from '../kinds/legend';
import { KindTools } from '../kinds/tools';
import { BenchStore } from '../state/bench.store';
import { Cursor } from '../state/cursor';
import { Looks } from '../state/looks';
import type { Pane } from '../state/panes';
import { ProjectStore } from '../state/project.store';
import type { Stacked } from './map-layers';

/** The key of one layer, and what it was made from. */
export interface LayerKey {
  id: string;
  of: LegendOf<object>;
  legend: Legend;
}

/** What a pane of layers shows, with what is needed to draw it. To be called where services may be asked for. */
export function stackOf(pane: () => Pane): Signal<Stacked[]> {
  const [bench, project, looks] = [inject(BenchStore), inject(ProjectStore), inject(Looks)];
  return computed(() => {
    const scales = bench.scales();
    return pane().layers.flatMap((layer) => {
      const item = project.datasetEntityMap()[layer.dataset];
      if (!item) return [];
      return [{ layer, item, look: looks.of(item, layer), scale: scales.get(`${pane().id}/${item.id}`) ?? null }];
    });
  });
}

/**
 * Keys of what is seen, the top one first; what goes on top before what lies beneath. To be called where services may be asked for.
 *
 * @param symbolsOf what the drawn layer tells of itself; it may read signals that say when that has changed
 */
export function keysOf(stack: Signal<Stacked[]>, symbolsOf: (id: string) => unknown): Signal<LayerKey[]> {
  const [bench, cursor] = [inject(BenchStore), inject(Cursor)];
  return computed(() => {
    const all = [...bench.scales().values()];
    return (
      stack()
        // One that is being named has the list beside the panes for its key.
        .filter((l) => l.layer.visible && clientKind(l.item.info).legend && l.item.id !== cursor.tells())
        .map(({ item, look, scale }) => {
          // One scale drawn in several places is one object.
          const shared = scale !== null && all.filter((s) => s === scale).length > 1;
          const of = { item, look, scale, shared, symbols: symbolsOf(item.id) };
          return { id: item.id, of, legend: clientKind(item.info).legend!(of) };
        })
        .reverse()
        .sort((a, b) => Number(a.of.scale !== null) - Number(b.of.scale !== null))
    );
  });
}

/** What a click on an entry of a key does: it is switched on or off, or what it stands for is picked. To be called where services may be asked for. */
export function entryPicker(pane: () => Pane): (key: LayerKey, entry: number) => void {
  const [bench, tools] = [inject(BenchStore), inject(KindTools)];
  return ({ id, of }, entry) => {
    const kind = clientKind(of.item.info);
    const patch = kind.switched?.(of, entry);
    if (patch) bench.restyle(pane().id, id, patch);
    else kind.pickEntry?.(of, entry, tools);
  };
}
