import { inject, Injectable } from '@angular/core';
import OlMap from 'ol/Map';
import View from 'ol/View';
import type { Crs, Scale } from '@helk/core';
import { extentOfFrame, frameMap } from '@helk/core/sheet/ground';
import type { Frame } from '@helk/core/sheet/shape';
import { addAll, fitted, type DisplayItem, type Rect } from '../draw/display';
import { PAPER_THEME } from '../draw/theme';
import { Taken, type PaperView } from '../draw/vector-items';
import { clientKind } from '../kinds';
import type { OnPaper, Tools } from '../kinds/kind';
import type { Legend } from '../kinds/legend';
import { KindTools } from '../kinds/tools';
import { MapLayers, type Stacked } from '../pane/map-layers';
import { mapImage } from '../pane/picture';
import { Backgrounds } from '../state/backgrounds';
import { ProjectStore } from '../state/project.store';
import { projectionOf } from '../state/views';
import { letters, MM, PT, QUIET } from './paper';

/** Longest wait for one part of a picture, ms: on paper nothing may be missing. */
const PATIENCE = 180_000;
/** Points of the letters that say whose picture of the ground it is. */
const CREDIT = 5.5;
/** Pictures of frames that are kept. */
const MOST_KEPT = 24;
const RADIANS = Math.PI / 180;

/** What a frame is on paper, measured from its own corner. */
export interface FrameDrawing {
  items: DisplayItem[];
  /** Legends of what is drawn, the top one first. */
  keys: { id: string; legend: Legend }[];
  /** Datasets that are not there any more. */
  lost: number;
  /** Layers that are drawn as pictures although they are lines or areas: they have too many corners. */
  pictured: string[];
}

/** Draws what frames of sheets show: with the drivers of the panes, lines and letters as such, the rest in pictures as fine as they are wanted. */
@Injectable({ providedIn: 'root' })
export class FrameArtist {
  private readonly store = inject(ProjectStore);
  private readonly backgrounds = inject(Backgrounds);
  private readonly kindTools = inject(KindTools);
  private readonly kept = new Map<string, Promise<FrameDrawing>>();
  /** What is picked is not printed. */
  private readonly tools: Tools = {
    project: () => this.kindTools.project(),
    drawing: this.kindTools.drawing,
    clouds: this.kindTools.clouds,
    data: this.kindTools.data,
    stacks: this.kindTools.stacks,
    shows: (item) => this.kindTools.shows(item),
    picks: { of: () => null, count: () => 0, range: () => null } as unknown as Tools['picks'],
  };

  /** What a frame is, with what it follows already put in place. Drawn once as long as nothing of it changes. */
  drawn(frame: Frame): Promise<FrameDrawing> {
    const { width, height, crs, centre, scale, turn, layers, time, ground } = frame;
    const items = layers.map((l) => this.store.datasetEntityMap()[l.dataset]);
    const stands = items.map((d) => d && [d.name, d.revision]);
    const key = JSON.stringify([width, height, crs.proj4, centre, scale, turn, layers, time, ground, stands]);
    let job = this.kept.get(key);
    if (!job) {
      job = this.draw(frame);
      job.catch(() => this.kept.delete(key));
      this.kept.set(key, job);
      if (this.kept.size > MOST_KEPT) this.kept.delete(this.kept.keys().next().value!);
    }
    return job;
  }

  private stackOf(frame: Frame): Stacked[] {
    return frame.layers.flatMap((l) => {
      const item = this.store.datasetEntityMap()[l.dataset];
      if (!item) return [];
      const scale = l.scale as Scale | null;
      return [{ layer: { dataset: l.dataset, visible: l.visible }, item, look: l.look, scale }];
    });
  }

  private async draw(frame: Frame): Promise<FrameDrawing> {
    const stack = this.stackOf(frame);
    const local = { ...frame, x: 0, y: 0 };
    const m = frameMap(local);
    const resolution = m.perMm / MM;
    const box: Rect = { x: 0, y: 0, width: frame.width * MM, height: frame.height * MM };
    const size: [number, number] = [box.width, box.height];
    const target = document.createElement('div');
    target.style.cssText = `position:fixed;left:-${box.width + 100}px;top:0;width:${box.width}px;height:${box.height}px`;
    document.body.append(target);
    const view = viewOf(frame.crs, frame.centre, resolution, frame.turn);
    const map = new OlMap({ target, controls: [], interactions: [], layers: [], view, pixelRatio: 1 });
    let failed: unknown = null;
    const layers = new MapLayers(
      map,
      this.tools,
      () => undefined,
      (e) => (failed = e),
    );
    try {
      const shown = stack.filter((l) => l.layer.visible);
      // What is only painted has nothing to wait for here.
      const vectors = new Set(shown.filter(({ item }) => !clientKind(item.info).swipes).map((l) => l.item.id));
      layers.sync(stack, frame.crs, PAPER_THEME, null, frame.time, vectors);
      map.renderSync();
      await layers.ready();
      if (failed) throw failed instanceof Error ? failed : new Error('A layer could not be drawn.');
      const paper: PaperView = {
        box,
        resolution,
        rotation: frame.turn * RADIANS,
        extent: extentOfFrame(local),
        toPage: (x, y) => {
          const [u, v] = m.toPaper(x, y);
          return [u * MM, v * MM];
        },
      };
      const parts = shown.map((l) => ({ ...l, paper: layers.itemsOf(l.item.id, paper) }));
      const keys = shown
        .filter(({ item }) => clientKind(item.info).legend)
        .map(({ item, look, scale }) => ({
          id: item.id,
          legend: clientKind(item.info).legend!({
            item,
            look,
            scale,
            shared: false,
            symbols: layers.symbolsOf(item.id),
            all: true,
          }),
          scaled: scale !== null,
        }))
        .reverse()
        .sort((a, b) => Number(a.scaled) - Number(b.scaled));
      return {
        items: this.laid(frame, stack, parts, size, resolution),
        keys: keys.map(({ id, legend }) => ({ id, legend })),
        lost: frame.layers.length - stack.length,
        pictured: parts.filter((p) => !p.paper && vectors.has(p.item.id)).map((p) => p.item.name),
      };
    } finally {
      layers.dispose();
      map.setTarget(undefined);
      map.dispose();
      target.remove();
    }
  }

  /** Layers from back to front, neighbours that are pictures as one; labels above all, those of the top layer first where there is little room. */
  private laid(
    frame: Frame,
    stack: readonly Stacked[],
    parts: readonly (Stacked & { paper: OnPaper | null })[],
    size: [number, number],
    resolution: number,
  ): DisplayItem[] {
    const out: DisplayItem[] = [];
    if (frame.ground) out.push(this.pictureOf(frame, [], new Set(), size, resolution, true));
    let run = new Set<string>();
    const close = (): void => {
      if (run.size) out.push(this.pictureOf(frame, stack, run, size, resolution));
      run = new Set();
    };
    for (const p of parts) {
      if (!p.paper) {
        run.add(p.item.id);
        continue;
      }
      close();
      const alpha = opacityOf(p.look);
      if (p.paper.shapes.length) out.push({ kind: 'group', alpha, items: p.paper.shapes });
    }
    close();
    const taken = new Taken();
    const labels = [...parts].reverse().map((p) => p.paper?.labels(taken) ?? []);
    for (const l of labels.reverse()) addAll(out, l);
    const credit = frame.ground ? this.backgrounds.creditOf(frame.ground.of) : '';
    if (credit) {
      const [x, y] = [size[0] - 0.8 * MM, size[1] - 0.8 * MM];
      out.push(
        letters(fitted(credit, size[0] / 2, { size: CREDIT * PT }), x, y, CREDIT, { anchor: 'end', fill: QUIET }),
      );
    }
    return out;
  }

  /** Some layers of a frame as a picture, made as fine as it is wanted, in parts. */
  private pictureOf(
    frame: Frame,
    stack: readonly Stacked[],
    only: ReadonlySet<string>,
    [width, height]: [number, number],
    resolution: number,
    under = false,
  ): DisplayItem {
    const ground = under && frame.ground ? this.backgrounds.groundOf(frame.ground.of, frame.ground.strength) : null;
    const m = frameMap({ ...frame, x: 0, y: 0 });
    const made = new Map<string, Promise<HTMLCanvasElement>>();
    const make = (part: Rect, finer: number): Promise<HTMLCanvasElement> => {
      const key = JSON.stringify([part, finer]);
      let job = made.get(key);
      if (!job) {
        const centre = m.toGround((part.x + part.width / 2) / MM, (part.y + part.height / 2) / MM);
        job = mapImage(stack, viewOf(frame.crs, centre, resolution, frame.turn), [part.width, part.height], {
          crs: frame.crs,
          theme: PAPER_THEME,
          swipe: null,
          time: frame.time,
          tools: this.tools,
          finer,
          ground,
          lost: (...l) => {
            // Asked for once more when it is drawn next.
            made.delete(key);
            this.backgrounds.missed(...l);
          },
          clear: true,
          only,
          patience: PATIENCE,
        });
        job.catch(() => made.delete(key));
        // A screen's worth is kept, for the next look at the sheet; what is made for print is not.
        if (finer <= 2.5) {
          made.set(key, job);
          if (made.size > 6) made.delete(made.keys().next().value!);
        }
      }
      return job;
    };
    return { kind: 'made', x: 0, y: 0, width, height, make };
  }
}

const opacityOf = (look: object): number => ('opacity' in look ? Number(look.opacity) : 1);

/** A view of one place that nothing keeps from being as it is told. */
function viewOf(crs: Crs, centre: readonly [number, number], resolution: number, turn: number): View {
  return new View({
    projection: projectionOf(crs),
    center: [...centre],
    resolution,
    rotation: turn * RADIANS,
    constrainRotation: false,
    constrainResolution: false,
    smoothResolutionConstraint: false,
    minResolution: Math.min(1e-9, resolution),
    maxResolution: Math.max(1e9, resolution),
    multiWorld: true,
  });
}
