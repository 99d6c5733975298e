import {
  BufferAttribute,
  BufferGeometry,
  CanvasTexture,
  Mesh,
  MeshLambertMaterial,
  SRGBColorSpace,
  type Group,
  type Texture,
} from 'three';
import type { Crs, Extent } from '@helk/core';
import type { DrawnBand } from '../draw/messages';
import type { Drawing } from '../draw/drawing';

/** Corners of a patch along a side. */
const SIDE = 257;

/** What the ground is made of. */
export interface GroundOf {
  source: DrawnBand;
  /** Metres in a unit of its heights. */
  metres: number;
}

/** A square piece of ground with what lies on it. */
interface Patch {
  extent: Extent;
  mesh: Mesh<BufferGeometry, MeshLambertMaterial>;
  /** Height of each corner, m, row by row from the north; not numbers where there is none. */
  heights: Float32Array;
}

export type Paint = (extent: Extent) => Promise<HTMLCanvasElement | null>;

/**
 * The ground of a scene: a coarse patch of all of it, and a fine one around the place that is looked at, each with a picture laid on it. Where
 * the fine one is the coarse one has a hole.
 */
export class Ground {
  private patches: Patch[] = [];
  private making = 0;

  constructor(
    private readonly world: Group,
    private readonly drawing: Drawing,
    private readonly origin: [number, number],
    /** Metres in a unit of the system. */
    private readonly unit: number,
    private readonly crs: Crs,
  ) {}

  /**
   * Makes the ground anew. What stood there stays until the new one is whole.
   *
   * @param of null for a flat ground at a height
   */
  async make(of: GroundOf | null, flat: number, whole: Extent, fine: Extent, paint: Paint): Promise<boolean> {
    const turn = ++this.making;
    const outer = squared(whole);
    const inner = squared(fine);
    const near = inner[2] - inner[0] < 0.7 * (outer[2] - outer[0]);
    const extents = near ? [inner, outer] : [outer];
    const made = await Promise.all(
      extents.map(async (extent) => ({
        extent,
        heights: of ? await this.heights(of, extent) : new Float32Array(SIDE * SIDE).fill(flat),
        image: await paint(extent),
      })),
    );
    if (turn !== this.making) return false;
    this.clear();
    this.patches = made.map(({ extent, heights, image }, k) => {
      const geometry = this.geometry(extent, heights, k === 1 ? inner : null);
      const mesh = new Mesh(
        geometry,
        new MeshLambertMaterial({ map: image && textureOf(image), color: image ? 0xffffff : 0xcbbfa5 }),
      );
      this.world.add(mesh);
      return { extent, heights, mesh };
    });
    return true;
  }

  /** Lays new pictures on the ground that is there. */
  async repaint(paint: Paint): Promise<void> {
    const turn = ++this.making;
    const images = await Promise.all(this.patches.map((p) => paint(p.extent)));
    if (turn !== this.making) return;
    this.patches.forEach(({ mesh }, k) => {
      mesh.material.map?.dispose();
      const image = images[k];
      mesh.material.map = image ? textureOf(image) : null;
      mesh.material.color.set(image ? 0xffffff : 0xcbbfa5);
      mesh.material.needsUpdate = true;
    });
  }

  get meshes(): Mesh[] {
    return this.patches.map((p) => p.mesh);
  }

  /** Height of the ground at a place of the system, m; not a number where there is none. */
  heightAt(x: number, y: number): number {
    for (const {
      extent: [w, s, e, n],
      heights,
    } of this.patches) {
      if (x < w || x > e || y < s || y > n) continue;
      const u = ((x - w) / (e - w)) * (SIDE - 1);
      const v = ((n - y) / (n - s)) * (SIDE - 1);
      const [i, j] = [Math.min(SIDE - 2, Math.floor(u)), Math.min(SIDE - 2, Math.floor(v))];
      const [fx, fy] = [u - i, v - j];
      const at = (a: number, b: number): number => heights[(j + b) * SIDE + i + a]!;
      const z = (at(0, 0) * (1 - fx) + at(1, 0) * fx) * (1 - fy) + (at(0, 1) * (1 - fx) + at(1, 1) * fx) * fy;
      if (z === z) return z;
    }
    return NaN;
  }

  /** The lowest and highest of the ground, m; null where there is none. */
  get range(): [number, number] | null {
    let [low, high] = [Infinity, -Infinity];
    for (const { heights } of this.patches)
      for (const z of heights) {
        if (z < low) low = z;
        if (z > high) high = z;
      }
    return low <= high ? [low, high] : null;
  }

  clear(): void {
    for (const { mesh } of this.patches) {
      this.world.remove(mesh);
      mesh.geometry.dispose();
      mesh.material.map?.dispose();
      mesh.material.dispose();
    }
    this.patches = [];
  }

  private async heights({ source, metres }: GroundOf, [w, , e, n]: Extent): Promise<Float32Array> {
    const resolution = (e - w) / (SIDE - 1);
    const found = await this.drawing.surface({
      source,
      crs: this.crs,
      // Corners of the patch are middles of pixels.
      x: w - resolution / 2,
      y: n + resolution / 2,
      resolution,
      width: SIDE,
      height: SIDE,
    });
    if (metres !== 1) for (let i = 0; i < found.length; i++) found[i]! *= metres;
    return found;
  }

  private geometry([w, s, e, n]: Extent, heights: Float32Array, hole: Extent | null): BufferGeometry {
    const { origin, unit } = this;
    const position = new Float32Array(3 * SIDE * SIDE);
    const uv = new Float32Array(2 * SIDE * SIDE);
    for (let j = 0, k = 0; j < SIDE; j++)
      for (let i = 0; i < SIDE; i++, k++) {
        const [u, v] = [i / (SIDE - 1), j / (SIDE - 1)];
        position[3 * k] = (w + u * (e - w) - origin[0]) * unit;
        position[3 * k + 1] = (n - v * (n - s) - origin[1]) * unit;
        position[3 * k + 2] = heights[k]!;
        uv[2 * k] = u;
        uv[2 * k + 1] = 1 - v;
      }
    const index: number[] = [];
    const inHole = (i: number, j: number): boolean => {
      if (!hole) return false;
      const step = (e - w) / (SIDE - 1);
      const [x0, y1] = [w + i * step, n - j * step];
      // Only what is covered whole, so that no gap opens along the rim.
      return x0 >= hole[0] && x0 + step <= hole[2] && y1 <= hole[3] && y1 - step >= hole[1];
    };
    const there = (k: number): boolean => heights[k] === heights[k];
    for (let j = 0; j + 1 < SIDE; j++)
      for (let i = 0; i + 1 < SIDE; i++) {
        if (inHole(i, j)) continue;
        const [a, b, c, d] = [j * SIDE + i, j * SIDE + i + 1, (j + 1) * SIDE + i, (j + 1) * SIDE + i + 1];
        if (there(a) && there(c) && there(b)) index.push(a, c, b);
        if (there(b) && there(c) && there(d)) index.push(b, c, d);
      }
    for (let k = 0; k < heights.length; k++) if (!there(k)) position[3 * k + 2] = 0;
    const g = new BufferGeometry();
    g.setAttribute('position', new BufferAttribute(position, 3));
    g.setAttribute('uv', new BufferAttribute(uv, 2));
    g.setIndex(index);
    g.computeVertexNormals();
    return g;
  }
}

function textureOf(canvas: HTMLCanvasElement): Texture {
  const t = new CanvasTexture(canvas);
  t.colorSpace = SRGBColorSpace;
  t.anisotropy = 4;
  return t;
}

/** The smallest square around an extent. */
export function squared([w, s, e, n]: Extent): Extent {
  const half = Math.max(e - w, n - s) / 2 || 1;
  const [x, y] = [(w + e) / 2, (s + n) / 2];
  return [x - half, y - half, x + half, y + half];
}
