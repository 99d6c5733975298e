import { inject, Injectable } from '@angular/core';
import { limitsIn, type RasterInfo, type RasterStyle, type Stretch } from '@helk/core';
import { Drawing } from '../draw/drawing';
import { drawnBand } from '../draw/messages';
import { BenchStore } from '../state/bench.store';
import { ProjectStore, type DatasetItem } from '../state/project.store';
import { Views } from '../state/views';

/** Places along a side whose values are looked at. */
const SIDE = 160;
const USUAL: Stretch = { kind: 'percentile', cut: 2 };

const rounded = (v: number): number => Number(v.toPrecision(4));

/** Stretches by what the active pane shows at this moment, kept as limits of one's own: they stay while one looks around. */
@Injectable({ providedIn: 'root' })
export class InView {
  private readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  private readonly views = inject(Views);
  private readonly drawing = inject(Drawing);

  /** The same way of drawing with the limits of what is in view; null where nothing is. */
  async stretched(item: DatasetItem, look: RasterStyle): Promise<Partial<RasterStyle> | null> {
    const info = item.info as RasterInfo;
    if (!look.composite) {
      const stretch = await this.limits(item, info, look.band, look.stretch);
      return stretch && { stretch };
    }
    const { composite } = look;
    const found = await Promise.all(composite.channels.map((c) => this.limits(item, info, c.band, c.stretch)));
    if (found.some((s) => !s)) return null;
    const channels = composite.channels.map((c, k) => ({ ...c, stretch: found[k]! })) as typeof composite.channels;
    return { composite: { ...composite, channels } };
  }

  private async limits(item: DatasetItem, info: RasterInfo, band: number, by: Stretch): Promise<Stretch | null> {
    const project = this.store.project();
    const crs = this.store.crs();
    if (!project) return null;
    const view = this.views.for(this.bench.activePane(), this.bench.linkedView(), crs, project.id);
    const [w, s, e, n] = view.calculateExtent() as [number, number, number, number];
    const resolution = Math.max(e - w, n - s) / SIDE;
    const values = await this.drawing.sample({
      source: drawnBand(project.id, item.id, info, band),
      crs,
      x: w,
      y: n,
      resolution,
      width: Math.max(1, Math.round((e - w) / resolution)),
      height: Math.max(1, Math.round((n - s) / resolution)),
    });
    const found = limitsIn(by.kind === 'own' ? USUAL : by, values);
    return found && { kind: 'own', low: rounded(found[0]), high: rounded(found[1]) };
  }
}
