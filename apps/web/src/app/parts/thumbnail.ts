import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  ElementRef,
  effect,
  inject,
  input,
  signal,
  viewChild,
} from '@angular/core';
import {
  defaultStyle,
  metresPerDegree,
  PLAIN_VECTOR,
  scaleOf,
  symbolsOf,
  type Crs,
  type RasterInfo,
  type VectorStyle,
} from '@helk/core';
import { vectorLook } from '../state/bench.store';
import { FeatureData } from '../state/feature-data';
import { Drawing } from '../draw/drawing';
import { drawnBand } from '../draw/messages';
import { extentIn, ProjectStore, type DatasetItem } from '../state/project.store';

/** A small drawing of a dataset, made of its own values. */
@Component({
  selector: 'helk-thumbnail',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<canvas
    #c
    width="76"
    height="56"
    class="block w-[38px] h-[28px] rounded-[4px] border border-line-soft bg-leaf"
    aria-hidden="true"
  ></canvas>`,
})
export class Thumbnail {
  readonly item = input.required<DatasetItem>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly drawing = inject(Drawing);
  private readonly data = inject(FeatureData);
  private readonly store = inject(ProjectStore);

  /** Rows far outside the view need no picture yet. */
  private readonly seen = signal(false);

  constructor() {
    const leave = inject(DestroyRef);
    afterNextRender(() => {
      const watch = new IntersectionObserver(([entry]) => {
        if (!entry?.isIntersecting) return;
        this.seen.set(true);
        watch.disconnect();
      });
      watch.observe(this.canvas().nativeElement);
      leave.onDestroy(() => watch.disconnect());
    });
    effect((done) => {
      const item = this.item();
      const project = this.store.project()?.id;
      if (!project || !this.seen()) return;
      const abort = new AbortController();
      done(() => abort.abort());
      void this.draw(project, item, abort.signal).catch(() => undefined);
    });
  }

  private async draw(project: string, item: DatasetItem, signal: AbortSignal): Promise<void> {
    const { info } = item;
    const c = this.canvas().nativeElement;
    const g = c.getContext('2d')!;
    const paint = (f: () => void): void => {
      if (signal.aborted) return;
      g.clearRect(0, 0, c.width, c.height);
      f();
    };
    if (info.kind === 'table') {
      paint(() => {
        g.fillStyle = '#8a8678';
        for (let y = 10; y < 50; y += 10)
          for (let x = 8; x < 70; x += 22) g.fillRect(x, y, y === 10 ? 16 : 12, y === 10 ? 4 : 2);
      });
      return;
    }
    await this.drawing.first;
    if (signal.aborted) return;
    const own = info.kind === 'raster' ? info.grid.crs : info.crs;
    const crs: Crs = own ?? { code: null, name: '', proj4: '', geographic: false, unit: 'm' };
    const e = extentIn(info, crs);
    if (!e) return;
    if (info.kind === 'raster') {
      const facts = info.bands[0]!.facts;
      if (!facts || facts.summary.count === 0) return;
      const style = defaultStyle(info as RasterInfo);
      // Thumbnails are square in cells: a plain picture of the whole.
      const resolution = Math.max((e[2] - e[0]) / c.width, (e[3] - e[1]) / c.height);
      const image = await this.drawing.tile(
        {
          kind: 'tile',
          source: drawnBand(project, item.id, info),
          crs,
          x: (e[0] + e[2] - c.width * resolution) / 2,
          y: (e[1] + e[3] + c.height * resolution) / 2,
          resolution,
          width: c.width,
          height: c.height,
          scale: scaleOf(style, facts, info.bands[0]),
          relief: style.relief ? { ...style.relief, zFactor: 3 } : null,
          missing: null,
          gaps: [],
          pick: null,
        },
        signal,
      );
      if (image) paint(() => g.drawImage(image, 0, 0));
      return;
    }
    const f = await this.data.get(item.id);
    if (f.kind !== 'features') return;
    const flat = crs.geographic ? metresPerDegree((e[1] + e[3]) / 2) : [1, 1];
    const k = Math.min(
      (c.width - 10) / Math.max(1e-12, (e[2] - e[0]) * flat[0]!),
      (c.height - 10) / Math.max(1e-12, (e[3] - e[1]) * flat[1]!),
    );
    paint(() => {
      g.lineWidth = f.geometry === 'polygon' ? 0.8 : 1.5;
      const look: VectorStyle = { ...PLAIN_VECTOR, colour: '#2d88a6', ...vectorLook(item) };
      const symbols = symbolsOf({ ...look, label: null }, f);
      const solid = look.by.kind !== 'one';
      // The feature of each ring, for its colour.
      const feature = new Uint32Array(f.ringOffsets.length);
      for (let i = 0; i + 1 < f.featureOffsets.length; i++)
        feature.fill(i, f.partOffsets[f.featureOffsets[i]!], f.partOffsets[f.featureOffsets[i + 1]!]);
      for (let r = 0; r < Math.min(5000, f.ringOffsets.length - 1); r++) {
        const colour = symbols.colours[symbols.index[feature[r]!]!]!;
        g.strokeStyle = colour;
        g.fillStyle = solid ? colour : `${colour}40`;
        g.beginPath();
        for (let i = f.ringOffsets[r]!; i < f.ringOffsets[r + 1]!; i++) {
          const x = c.width / 2 + (f.xy[2 * i]! - (e[0] + e[2]) / 2) * flat[0]! * k;
          const y = c.height / 2 - (f.xy[2 * i + 1]! - (e[1] + e[3]) / 2) * flat[1]! * k;
          if (f.geometry === 'point') g.rect(x - 1.5, y - 1.5, 3, 3);
          else g.lineTo(x, y);
        }
        g.stroke();
        if (f.geometry === 'polygon') g.fill();
      }
    });
  }
}
