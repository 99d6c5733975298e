import {
  BufferAttribute,
  BufferGeometry,
  CylinderGeometry,
  InstancedMesh,
  Matrix4,
  Mesh,
  MeshLambertMaterial,
  Color,
  ShapeUtils,
  SphereGeometry,
  Vector2,
  type Object3D,
} from 'three';
import {
  featureCount,
  symbolsOf,
  transformer,
  unitFactor,
  type Column,
  type Features,
  type Symbols,
  type VectorStyle,
} from '@helk/core';
import type { LayerState } from '../kinds/kind';
import type { Body, BodyMadeOf } from './body';

/** Columns that say how wide a crown is, and on what something stands, m above the sea. */
const CROWNS = /^(crown_?diameter|crown|diameter)$/i;
const BASES = /^(ground|base)$/i;

/** Features that stand: areas as blocks from the ground up, points as trees with a crown. */
export class FeatureBody implements Body<VectorStyle> {
  private state: LayerState<VectorStyle>;
  private features: Features | null = null;
  private worked: Symbols | null = null;
  private objects: (Mesh | InstancedMesh)[] = [];
  /** Of blocks: the feature of each triangle. */
  private rows: Uint32Array = new Uint32Array(0);
  private gone = false;

  constructor(private readonly made: BodyMadeOf<VectorStyle>) {
    this.state = made.first;
    void made.tools.data.get(made.first.item.id).then((f) => {
      if (this.gone || f.kind !== 'features') return;
      this.features = f;
      this.build();
    }, made.failed);
  }

  get targets(): Object3D[] {
    return this.objects.filter((o) => o.visible);
  }

  symbols(): Symbols | null {
    return this.worked;
  }

  update(state: LayerState<VectorStyle>): void {
    const was = this.state;
    this.state = state;
    const picked = this.made.tools.picks.of(state.item.id);
    if (JSON.stringify(was.look) !== JSON.stringify(state.look) || picked !== this.picked) this.build();
    for (const o of this.objects) o.visible = state.visible;
    this.made.changed();
  }

  settle(): void {
    this.build();
  }

  private picked: Uint8Array | null = null;

  private build(): void {
    const f = this.features;
    this.clear();
    if (!f) return;
    const { look, item, theme, scale } = this.state;
    this.picked = this.made.tools.picks.of(item.id);
    this.worked = symbolsOf({ ...look, label: null }, f, undefined, look.by.kind === 'raster' ? scale : null);
    const pick = new Color(theme.pick);
    const table = this.worked.colours.map((c) => new Color(c));
    const colourOf = (i: number): Color => (this.picked?.[i] ? pick : table[this.worked!.index[i]!]!);
    if (f.geometry === 'polygon') this.blocks(f, colourOf);
    else if (f.geometry === 'point') this.trees(f, colourOf);
    for (const o of this.objects) {
      o.visible = this.state.visible;
      this.made.add(o);
    }
    this.made.changed();
  }

  /** A column in metres by feature; not numbers where it is missing. */
  private metres(f: Features, name: string | undefined): (i: number) => number {
    const c = f.columns.find((x): x is Column => x.name === name && x.type === 'number');
    if (!c) return () => NaN;
    const k = unitFactor(c.unit) ?? 1;
    return (i) => (c.missing?.[i] ? NaN : (c.values[i] as number) * k);
  }

  private named(f: Features, pattern: RegExp): string | undefined {
    return f.columns.find((c) => c.type === 'number' && pattern.test(c.name))?.name;
  }

  /** Places of the scene: east and north of its origin, m. */
  private placer(f: Features): (k: number) => [number, number] {
    const { crs, origin, unit } = this.made;
    const t = transformer(f.crs ?? crs, crs);
    const out = [0, 0];
    return (k) => {
      t(f.xy[2 * k]!, f.xy[2 * k + 1]!, out);
      return [(out[0]! - origin[0]) * unit, (out[1]! - origin[1]) * unit];
    };
  }

  private groundAt([x, y]: [number, number]): number {
    const { origin, unit, ground } = this.made;
    return ground.heightAt(x / unit + origin[0], y / unit + origin[1]);
  }

  private blocks(f: Features, colourOf: (i: number) => Color): void {
    const height = this.metres(f, this.made.lift ?? undefined);
    const base = this.metres(f, this.named(f, BASES));
    const place = this.placer(f);
    const position: number[] = [];
    const colour: number[] = [];
    const rows: number[] = [];
    for (let i = 0; i < featureCount(f); i++) {
      const h = height(i);
      if (!(h > 0)) continue;
      const c = colourOf(i);
      const wall = c.clone().multiplyScalar(0.82);
      const triangle = (a: number[], b: number[], d: number[], of: Color): void => {
        position.push(...a, ...b, ...d);
        for (let k = 0; k < 3; k++) colour.push(of.r, of.g, of.b);
        rows.push(i);
      };
      for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
        const rings: Vector2[][] = [];
        for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++) {
          const ring: Vector2[] = [];
          for (let k = f.ringOffsets[r]!; k < f.ringOffsets[r + 1]! - 1; k++) ring.push(new Vector2(...place(k)));
          if (ring.length > 2) rings.push(ring);
        }
        const [outer, ...holes] = rings;
        if (!outer) continue;
        // On the lowest ground at its corners, so that no wall hangs in the air.
        const under = outer.map((q) => this.groundAt([q.x, q.y])).filter((z) => z === z);
        const own = base(i);
        const low = own === own ? own : under.length ? under.reduce((a, b) => Math.min(a, b), Infinity) : 0;
        const top = low + h;
        const foot = Math.min(low, ...under);
        if (ShapeUtils.isClockWise(outer)) outer.reverse();
        for (const hole of holes) if (!ShapeUtils.isClockWise(hole)) hole.reverse();
        const all = [outer, ...holes].flat();
        for (const [a, b, d] of ShapeUtils.triangulateShape(outer, holes) as [number, number, number][])
          triangle(...([a, b, d].map((k) => [all[k]!.x, all[k]!.y, top]) as [number[], number[], number[]]), c);
        for (const ring of [outer, ...holes])
          ring.forEach((q, k) => {
            const n = ring[(k + 1) % ring.length]!;
            triangle([q.x, q.y, foot], [n.x, n.y, foot], [n.x, n.y, top], wall);
            triangle([q.x, q.y, foot], [n.x, n.y, top], [q.x, q.y, top], wall);
          });
      }
    }
    if (!position.length) return;
    const g = new BufferGeometry();
    g.setAttribute('position', new BufferAttribute(Float32Array.from(position), 3));
    g.setAttribute('color', new BufferAttribute(Float32Array.from(colour), 3));
    g.computeVertexNormals();
    this.rows = Uint32Array.from(rows);
    this.objects = [new Mesh(g, new MeshLambertMaterial({ vertexColors: true }))];
  }

  private trees(f: Features, colourOf: (i: number) => Color): void {
    const height = this.metres(f, this.made.lift ?? undefined);
    const crown = this.metres(f, this.named(f, CROWNS));
    const base = this.metres(f, this.named(f, BASES));
    const place = this.placer(f);
    const rows: number[] = [];
    for (let i = 0; i < featureCount(f); i++)
      if (height(i) > 0 && f.featureOffsets[i] !== f.featureOffsets[i + 1]) rows.push(i);
    if (!rows.length) return;
    const crowned = this.named(f, CROWNS) !== undefined;
    // A rounded cone for what has a crown, a post for what only has a height.
    const body = crowned
      ? crownShape()
      : new CylinderGeometry(0.5, 0.5, 1, 8).rotateX(Math.PI / 2).translate(0, 0, 0.5);
    const trunk = new CylinderGeometry(0.5, 0.6, 1, 6).rotateX(Math.PI / 2).translate(0, 0, 0.5);
    const bodies = new InstancedMesh(body, new MeshLambertMaterial(), rows.length);
    const trunks = new InstancedMesh(trunk, new MeshLambertMaterial({ color: 0x6b5644 }), crowned ? rows.length : 0);
    const m = new Matrix4();
    rows.forEach((i, k) => {
      const [x, y] = place(f.ringOffsets[f.partOffsets[f.featureOffsets[i]!]!]!);
      const ground = this.groundAt([x, y]);
      const own = base(i);
      const z = own === own ? own : ground === ground ? ground : 0;
      const h = height(i);
      const d = crown(i);
      const width = d > 0 ? d : Math.max(0.6, h / 12);
      const begins = crowned ? 0.22 * h : 0;
      m.makeScale(width, width, h - begins).setPosition(x, y, z + begins);
      bodies.setMatrixAt(k, m);
      bodies.setColorAt(k, colourOf(i));
      if (crowned) trunks.setMatrixAt(k, m.makeScale(0.06 * h, 0.06 * h, begins + 0.3 * h).setPosition(x, y, z));
    });
    this.rows = Uint32Array.from(rows);
    this.objects = crowned ? [bodies, trunks] : [bodies];
  }

  rowOf(hit: { faceIndex?: number | null | undefined; instanceId?: number | undefined }): number {
    return this.rows[hit.instanceId ?? hit.faceIndex ?? -1] ?? -1;
  }

  private clear(): void {
    for (const o of this.objects) {
      this.made.remove(o);
      o.geometry.dispose();
      (o.material as MeshLambertMaterial).dispose();
      if (o instanceof InstancedMesh) o.dispose();
    }
    this.objects = [];
  }

  dispose(): void {
    this.gone = true;
    this.clear();
  }
}

/** A crown one unit wide and high, standing on 0. */
function crownShape(): BufferGeometry {
  const g = new SphereGeometry(0.5, 10, 8).rotateX(Math.PI / 2);
  const p = g.getAttribute('position') as BufferAttribute;
  for (let i = 0; i < p.count; i++) {
    const z = p.getZ(i) + 0.5;
    // Fuller below, narrower above.
    const k = z > 0.35 ? 1 - 0.45 * ((z - 0.35) / 0.65) ** 1.5 : 1;
    p.setXYZ(i, p.getX(i) * k, p.getY(i) * k, z);
  }
  g.computeVertexNormals();
  return g;
}
