import type OlMap from 'ol/Map';
import { systemText, systemOf, type Crs, type Scale } from '@helk/core';
import type { Theme } from '../draw/theme';
import { clientKind } from '../kinds';
import type { PaperView } from '../draw/vector-items';
import type { LayerDriver, LayerState, OnPaper, Tools } from '../kinds/kind';
import type { Layer } from '../state/looks';
import type { PaneTime } from '../state/panes';
import type { DatasetItem } from '../state/project.store';

/** A layer of a pane with what is needed to draw it. */
export interface Stacked {
  layer: Layer;
  item: DatasetItem;
  look: object;
  scale: Scale | null;
}

interface Held {
  /** Of the pane and of the dataset: a driver is made anew when either becomes another. */
  systems: string;
  driver: LayerDriver;
}

/** The drivers of what one map shows, brought in line with the stack of its pane. */
export class MapLayers {
  private readonly held = new Map<string, Held>();

  constructor(
    private readonly map: OlMap,
    private readonly tools: Tools,
    private readonly changed: () => void,
    private readonly failed: (e: unknown) => void,
    /** Pixels to one of the map. */
    private readonly finer = 1,
  ) {}

  /**
   * @param swipe share of the width at which the uppermost layer that can be swiped begins
   * @param only what of the stack is drawn, where not all of it is
   */
  sync(
    stack: readonly Stacked[],
    crs: Crs,
    theme: Theme,
    swipe: number | null,
    time: PaneTime | null = null,
    only?: ReadonlySet<string>,
  ): void {
    const swiped = swipe === null ? null : topOf(stack, ({ item }) => clientKind(item.info).swipes)?.item.id;
    const below = topOf(stack, ({ scale }) => scale !== null)?.scale ?? null;
    const wanted = new Set<string>();
    stack.forEach(({ layer, item, look, scale }, z) => {
      const { driver } = clientKind(item.info);
      if (!driver || only?.has(item.id) === false) return;
      wanted.add(item.id);
      const own = systemOf(item.info);
      const systems = `${systemText(crs)} ${own ? systemText(own) : ''}`;
      const state: LayerState<object> = {
        item,
        look,
        visible: layer.visible,
        z,
        scale,
        below,
        over: stack.slice(0, z).some((s) => s.layer.visible && clientKind(s.item.info).swipes),
        swipe: swiped === item.id ? swipe : null,
        time,
        theme,
      };
      const h = this.held.get(item.id);
      if (h?.systems === systems) {
        h.driver.update(state);
        return;
      }
      h?.driver.dispose();
      const { map, tools, changed, failed, finer } = this;
      this.held.set(item.id, { systems, driver: driver({ map, crs, tools, first: state, finer, changed, failed }) });
    });
    for (const [id, h] of this.held) {
      if (wanted.has(id)) continue;
      h.driver.dispose();
      this.held.delete(id);
    }
  }

  symbolsOf(id: string): unknown {
    return this.held.get(id)?.driver.symbols?.() ?? null;
  }

  /** A dataset as lines and letters of a page; null where it is a picture. */
  itemsOf(id: string, view: PaperView): OnPaper | null {
    return this.held.get(id)?.driver.items?.(view) ?? null;
  }

  /** The row of a dataset under a pixel, or -1. */
  hit(id: string, pixel: number[]): number {
    return this.held.get(id)?.driver.hit?.(pixel) ?? -1;
  }

  /** When everything that is drawn has come. */
  async ready(): Promise<void> {
    await Promise.all([...this.held.values()].map((h) => h.driver.ready));
  }

  dispose(): void {
    for (const h of this.held.values()) h.driver.dispose();
    this.held.clear();
  }
}

/** The uppermost visible layer for which something holds. */
export const topOf = (stack: readonly Stacked[], holds: (l: Stacked) => boolean): Stacked | undefined =>
  stack.findLast((l) => l.layer.visible && holds(l));
