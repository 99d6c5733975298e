import {
  BufferAttribute,
  BufferGeometry,
  Points,
  PointsMaterial,
  SRGBColorSpace,
  Color,
  type PerspectiveCamera,
  type Object3D,
} from 'three';
import { type CloudInfo, type CloudStyle, type Extent } from '@helk/core';
import { metresOfHeight } from '@helk/core/data/cloud';
import type { ChunkList } from '@helk/core/data/cloud-store';
import { pointColours, wantedChunks } from '@helk/core/render/cloud-paint';
import { chunkBox, unitsOf } from '../draw/cloud-layer';
import type { Part } from '../draw/cloud-parts';
import type { LayerState } from '../kinds/kind';
import type { Body, BodyMadeOf } from './body';
import { HALF_VIEW } from './eye';

/** Points that are shown at rest and while one moves: without a graphics card a million take half a second. */
const REST_BUDGET = 1_000_000;
const MOVING_BUDGET = 120_000;

interface Shown {
  part: Part;
  points: Points<BufferGeometry, PointsMaterial>;
  count: number;
}

/** A cloud as points in a scene: the levels that can be told from where one looks, fewer while one moves. */
export class CloudBody implements Body<CloudStyle> {
  private state: LayerState<CloudStyle>;
  private list: ChunkList | null = null;
  private boxes: { extent: Extent; z: number }[] = [];
  private readonly shown = new Map<number, Shown>();
  private readonly asked = new Set<number>();
  private readonly material = new PointsMaterial({ vertexColors: true, sizeAttenuation: true, size: 1 });
  private visible = new Set<number>();
  private gone = false;
  /** Counts ways of drawing: what was asked for another one is let go. */
  private drawing = 0;
  points = 0;

  constructor(private readonly made: BodyMadeOf<CloudStyle>) {
    this.state = made.first;
    const { tools, crs } = made;
    const info = this.info;
    void tools.clouds.list(tools.project(), made.first.item.id, info).then((list) => {
      if (this.gone) return;
      this.list = list;
      const rise = metresOfHeight(info.heightUnit);
      this.boxes = list.chunks.map((c) => ({
        extent: chunkBox(c, info, crs),
        z: (((c.box[2] + c.box[5]) / 2) * info.scale[2] + info.offset[2]) * rise,
      }));
      made.changed();
    }, made.failed);
    this.update(made.first);
  }

  private get info(): CloudInfo {
    return this.state.item.info as CloudInfo;
  }

  get targets(): Object3D[] {
    return [...this.shown.values()].map((s) => s.points).filter((p) => p.visible);
  }

  update(state: LayerState<CloudStyle>): void {
    const was = this.state;
    this.state = state;
    if (JSON.stringify(was.look) !== JSON.stringify(state.look)) {
      this.drawing++;
      this.asked.clear();
      for (const key of [...this.shown.keys()]) this.fetch(key);
    }
    this.made.changed();
  }

  prepare(camera: PerspectiveCamera, height: number, moving: boolean, exaggeration: number): void {
    const { list, made } = this;
    if (!list) return;
    const { info } = this;
    const units = unitsOf(info, made.crs) * made.unit;
    const { x, y, z } = camera.position;
    const angle = (2 * Math.tan(HALF_VIEW)) / Math.max(1, height);
    // From far away coarse, near by fine: by the distance to the nearest side of each chunk.
    const resolution = (k: number): number => {
      const { extent: e, z: mid } = this.boxes[k]!;
      const at = (v: number, o: number): number => (v - o) * made.unit;
      const dx = Math.max(0, at(e[0], made.origin[0]) - x, x - at(e[2], made.origin[0]));
      const dy = Math.max(0, at(e[1], made.origin[1]) - y, y - at(e[3], made.origin[1]));
      return Math.max(0.01, Math.hypot(dx, dy, z - mid * exaggeration)) * angle * 1.2;
    };
    const wanted = this.state.visible
      ? wantedChunks(list.chunks, list.spacing * units, resolution, () => true, moving ? MOVING_BUDGET : REST_BUDGET)
      : [];
    if (!moving) for (const k of wanted) if (!this.shown.has(k)) this.fetch(k);
    this.visible = new Set(wanted);
    this.points = 0;
    let finest = 0;
    for (const [k, s] of this.shown) {
      s.points.visible = this.visible.has(k);
      if (!s.points.visible) continue;
      this.points += s.count;
      finest = Math.max(finest, s.part.level);
    }
    const apart = Math.max((list.spacing * units) / 2 ** finest, (info.spacing ?? 0) * units);
    this.material.size = 1.5 * apart * this.state.look.size;
    const { opacity } = this.state.look;
    this.material.transparent = opacity < 1;
    this.material.opacity = opacity;
  }

  private fetch(key: number): void {
    if (this.asked.has(key) || !this.list) return;
    this.asked.add(key);
    const { tools, crs, failed, changed } = this.made;
    const { item, look } = this.state;
    const { drawing } = this;
    void tools.clouds.part(tools.project(), item.id, this.info, this.list, key, crs, look).then((part) => {
      if (this.gone || this.drawing !== drawing) return;
      this.place(key, part);
      changed();
    }, failed);
  }

  private place(key: number, part: Part): void {
    const { origin, unit, add } = this.made;
    const rise = metresOfHeight(this.info.heightUnit);
    const { x0, y0, dx, dy, z } = part.places;
    const colours = pointColours(this.state.look, this.info, z, part.values);
    let count = 0;
    for (const c of colours) if (c !== 0) count++;
    const position = new Float32Array(3 * count);
    const rgb = new Uint8Array(3 * count);
    const linear = toLinear();
    let k = 0;
    for (let i = 0; i < z.length; i++) {
      const c = colours[i]!;
      if (c === 0) continue;
      position[3 * k] = (x0 - origin[0] + dx[i]!) * unit;
      position[3 * k + 1] = (y0 - origin[1] + dy[i]!) * unit;
      position[3 * k + 2] = z[i]! * rise;
      rgb[3 * k] = linear[c & 255]!;
      rgb[3 * k + 1] = linear[(c >> 8) & 255]!;
      rgb[3 * k + 2] = linear[(c >> 16) & 255]!;
      k++;
    }
    const was = this.shown.get(key);
    if (was) this.drop(key, was);
    const g = new BufferGeometry();
    g.setAttribute('position', new BufferAttribute(position, 3));
    g.setAttribute('color', new BufferAttribute(rgb, 3, true));
    const points = new Points(g, this.material);
    points.visible = this.visible.has(key);
    add(points);
    this.shown.set(key, { part, points, count });
  }

  private drop(key: number, s: Shown): void {
    this.made.remove(s.points);
    s.points.geometry.dispose();
    this.shown.delete(key);
  }

  dispose(): void {
    this.gone = true;
    for (const [k, s] of [...this.shown]) this.drop(k, s);
    this.material.dispose();
  }
}

let table: Uint8Array | null = null;
/** Colours of the screen as the renderer adds them up. */
function toLinear(): Uint8Array {
  return (table ??= Uint8Array.from({ length: 256 }, (_, v) => {
    const c = new Color().setRGB(v / 255, v / 255, v / 255, SRGBColorSpace);
    return Math.round(c.r * 255);
  }));
}
