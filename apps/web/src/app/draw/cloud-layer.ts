import type { FrameState } from 'ol/Map';
import Layer from 'ol/layer/Layer';
import {
  metresPerDegree,
  sameCrs,
  transformExtent,
  type CloudInfo,
  type CloudStyle,
  type Crs,
  type Extent,
} from '@helk/core';
import type { CloudChunk } from '@helk/core/data/cloud-octree';
import type { ChunkList } from '@helk/core/data/cloud-store';
import {
  paintPoints,
  pointColours,
  pointPicture,
  shadeEdges,
  wantedChunks,
  POINT_BUDGET,
} from '@helk/core/render/cloud-paint';
import type { LayerDriver, LayerState, MadeOf } from '../kinds/kind';
import type { Part } from './cloud-parts';

/** Points that are painted while the map moves. */
const MOVING_BUDGET = 300_000;
/** Height difference that darkens an edge most, m or ft. */
const EDGE = 2.5;
/** Side of a point, in pixels, at most. */
const LARGEST = 14;

/** The box of a chunk in the system of the map. */
export function chunkBox({ box }: CloudChunk, info: CloudInfo, crs: Crs): Extent {
  const at = (v: number, k: 0 | 1): number => v * info.scale[k] + info.offset[k];
  const own: Extent = [at(box[0], 0), at(box[1], 1), at(box[3], 0), at(box[4], 1)];
  return info.crs && !sameCrs(info.crs, crs) ? transformExtent(own, info.crs, crs, 4) : own;
}

/** Units of the map's system in a unit of the cloud's, about. */
export function unitsOf(info: CloudInfo, crs: Crs): number {
  const own = info.crs?.geographic ? metresPerDegree(info.extent?.[1] ?? 0)[1] : 1;
  const map = crs.geographic ? metresPerDegree(info.extent?.[1] ?? 0)[1] : 1;
  return own / map;
}

/** A cloud from above: the points that pixels can tell, the highest on top, edges darkened. */
export class CloudLayer implements LayerDriver<CloudStyle> {
  private readonly layer: Picture;
  private state: LayerState<CloudStyle>;
  private list: ChunkList | null = null;
  private boxes: Extent[] = [];
  private readonly parts = new Map<number, Part>();
  private readonly coloured = new Map<number, Uint32Array>();
  /** Counts ways of drawing: what was asked for another one is let go. */
  private drawing = 0;
  private readonly asked = new Set<number>();
  private gone = false;
  readonly ready: Promise<unknown>;
  private settled: () => void = () => undefined;

  constructor(private readonly made: MadeOf<CloudStyle>) {
    this.state = made.first;
    this.layer = new Picture((frame) => this.paint(frame));
    made.map.addLayer(this.layer);
    const { tools, crs } = made;
    const info = this.info;
    this.ready = tools.clouds.list(tools.project(), made.first.item.id, info).then((list) => {
      if (this.gone) return;
      this.list = list;
      this.boxes = list.chunks.map((c) => chunkBox(c, info, crs));
      this.layer.changed();
      return new Promise<void>((done) => (this.settled = done));
    }, made.failed);
    this.update(made.first);
  }

  private get info(): CloudInfo {
    return this.state.item.info as CloudInfo;
  }

  update(state: LayerState<CloudStyle>): void {
    const was = this.state;
    this.state = state;
    this.layer.setVisible(state.visible);
    this.layer.setOpacity(state.look.opacity);
    this.layer.setZIndex(state.z);
    if (JSON.stringify(was.look) !== JSON.stringify(state.look)) {
      // What other attributes are drawn by has to come first; until then the old picture stays.
      this.drawing++;
      this.asked.clear();
      this.parts.clear();
      this.coloured.clear();
      this.made.changed();
    }
    this.layer.changed();
  }

  dispose(): void {
    this.gone = true;
    this.made.map.removeLayer(this.layer);
    this.layer.dispose();
    this.settled();
  }

  private wanted(resolution: number, [w, s, e, n]: Extent, budget: number): number[] {
    const { list, boxes } = this;
    const k = unitsOf(this.info, this.made.crs);
    return wantedChunks(
      list!.chunks,
      list!.spacing * k,
      () => resolution,
      (key) => {
        const b = boxes[key]!;
        return b[0] <= e && b[2] >= w && b[1] <= n && b[3] >= s;
      },
      budget,
    );
  }

  /** Asks for what is wanted and not there; says whether all is. */
  private fetch(keys: readonly number[]): boolean {
    const { tools, crs, failed } = this.made;
    const { item, look } = this.state;
    const { drawing } = this;
    let all = true;
    for (const key of keys) {
      if (this.parts.has(key)) continue;
      all = false;
      if (this.asked.has(key)) continue;
      this.asked.add(key);
      void tools.clouds.part(tools.project(), item.id, this.info, this.list!, key, crs, look).then((part) => {
        if (this.gone || this.drawing !== drawing) return;
        this.parts.set(key, part);
        this.layer.changed();
      }, failed);
    }
    return all;
  }

  private coloursOf(part: Part): Uint32Array {
    let colours = this.coloured.get(part.key);
    if (!colours)
      this.coloured.set(part.key, (colours = pointColours(this.state.look, this.info, part.places.z, part.values)));
    return colours;
  }

  private paint(frame: FrameState): HTMLCanvasElement | null {
    if (!this.list) return null;
    const { resolution, center } = frame.viewState;
    const ratio = frame.pixelRatio;
    const [width, height] = frame.size.map((v) => Math.max(1, Math.round(v! * ratio))) as [number, number];
    const r = resolution / ratio;
    const west = center[0]! - (width / 2) * r;
    const north = center[1]! + (height / 2) * r;
    const extent: Extent = [west, north - height * r, west + width * r, north];
    const moving = frame.viewHints[0]! > 0 || frame.viewHints[1]! > 0;
    const keys = this.wanted(r, extent, moving ? MOVING_BUDGET : POINT_BUDGET);
    const all = this.fetch(keys);
    const parts = keys.flatMap((k) => this.parts.get(k) ?? []);
    if (!all && !parts.length) return this.layer.canvas;
    const picture = pointPicture(width, height);
    const finest = parts.reduce((m, p) => Math.max(m, p.level), 0);
    const units = unitsOf(this.info, this.made.crs);
    const natural = Math.max(this.list.spacing / 2 ** finest, this.info.spacing ?? 0) * units;
    const size = Math.min(LARGEST * ratio, Math.max(1, Math.ceil((1.5 * natural * this.state.look.size) / r)));
    for (const p of parts) paintPoints(picture, p.places, this.coloursOf(p), west, north, r, size);
    shadeEdges(picture, EDGE);
    if (all && !moving) this.settled();
    return this.layer.show(picture.pixels, width, height);
  }
}

/** A canvas that is put into the map as it is. */
class Picture extends Layer {
  readonly canvas = document.createElement('canvas');

  constructor(private readonly paint: (frame: FrameState) => HTMLCanvasElement | null) {
    super({});
  }

  override render(frame: FrameState): HTMLElement {
    const [w, h] = frame.size as [number, number];
    this.paint(frame);
    const c = this.canvas;
    c.className = 'ol-layer';
    c.style.position = 'absolute';
    c.style.width = `${w}px`;
    c.style.height = `${h}px`;
    c.style.opacity = String(this.getOpacity());
    return c;
  }

  show(pixels: Uint32Array, width: number, height: number): HTMLCanvasElement {
    const c = this.canvas;
    if (c.width !== width || c.height !== height) {
      c.width = width;
      c.height = height;
    }
    const image = new ImageData(new Uint8ClampedArray(pixels.buffer as ArrayBuffer), width, height);
    c.getContext('2d')!.putImageData(image, 0, 0);
    return c;
  }
}
