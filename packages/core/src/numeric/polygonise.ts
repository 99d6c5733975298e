/** One area of equal label: its parts, each an outer ring and its holes, closed, as x, y of cell corners (columns and rows from the north-west). */
export interface LabelArea {
  label: number;
  /** Cells it is made of. */
  cells: number;
  /** One part, but where cells join over corners only. */
  parts: Float64Array[][];
}

/**
 * Areas of equal label, joined over edges (`connect` 4) or over corners too (8), as outlines along the edges of the cells. Corners stand only
 * where an outline turns. Cells with the label `none` belong to nothing. O(cells).
 */
export function polygonise(
  labels: Int32Array,
  width: number,
  height: number,
  none: number,
  connect: 4 | 8 = 4,
): LabelArea[] {
  const n = width * height;
  const part = new Int32Array(n).fill(-1);
  const areas: LabelArea[] = [];
  const rings: Float64Array[][] = [];
  const stack: number[] = [];
  for (let start = 0; start < n; start++) {
    if (part[start] !== -1 || labels[start] === none) continue;
    const k = areas.length;
    const label = labels[start]!;
    let cells = 0;
    part[start] = k;
    stack.push(start);
    while (stack.length) {
      const i = stack.pop()!;
      cells++;
      const x = i % width;
      const y = (i / width) | 0;
      for (let dy = -1; dy <= 1; dy++) {
        for (let dx = -1; dx <= 1; dx++) {
          if ((connect === 4 && dx !== 0 && dy !== 0) || (dx === 0 && dy === 0)) continue;
          const [u, v] = [x + dx, y + dy];
          if (u < 0 || v < 0 || u >= width || v >= height) continue;
          const j = v * width + u;
          if (part[j] === -1 && labels[j] === label) {
            part[j] = k;
            stack.push(j);
          }
        }
      }
    }
    areas.push({ label, cells, parts: [] });
    rings.push([]);
  }
  // Sides of cells where the area ends, walked with the area on the right hand: 0 east along the top, 1 south, 2 west, 3 north.
  const at = (x: number, y: number): number =>
    x < 0 || y < 0 || x >= width || y >= height ? -2 : part[y * width + x]!;
  const seen = new Uint8Array(n * 4);
  const OUT = [
    [0, -1],
    [1, 0],
    [0, 1],
    [-1, 0],
  ] as const;
  for (let i = 0; i < n; i++) {
    if (part[i] === -1) continue;
    for (let side = 0; side < 4; side++) {
      if (seen[4 * i + side]) continue;
      const x0 = i % width;
      const y0 = (i / width) | 0;
      const own = part[i]!;
      if (at(x0 + OUT[side]![0], y0 + OUT[side]![1]) === own) continue;
      const ring: number[] = [];
      let [x, y, s] = [x0, y0, side];
      let before = -1;
      while (!seen[4 * (y * width + x) + s]) {
        seen[4 * (y * width + x) + s] = 1;
        // The corner where this side begins.
        if (s !== before) ring.push(x + (s === 1 || s === 2 ? 1 : 0), y + (s === 2 || s === 3 ? 1 : 0));
        before = s;
        const ahead = (s + 1) % 4;
        const [fx, fy] = [x + OUT[ahead]![0], y + OUT[ahead]![1]];
        const [gx, gy] = [fx + OUT[s]![0], fy + OUT[s]![1]];
        const straight = at(fx, fy) === own;
        const across = at(gx, gy) === own;
        if (across && (straight || connect === 8)) {
          // Round an inner corner: the cell ahead and out takes over.
          [x, y, s] = [gx, gy, (s + 3) % 4];
        } else if (straight) [x, y] = [fx, fy];
        else s = ahead;
      }
      // The walk may have begun in the middle of a straight line.
      if (before === side && ring.length > 2) ring.splice(0, 2);
      ring.push(ring[0]!, ring[1]!);
      rings[own]!.push(...simpleRings(ring));
    }
  }
  areas.forEach((a, k) => (a.parts = partsOf(rings[k]!)));
  return areas;
}

/** A ring that touches itself in a corner as the rings it is made of: valid areas do not pass a corner twice. */
function simpleRings(ring: number[]): Float64Array[] {
  const out: Float64Array[] = [];
  const path: number[] = [];
  const seen = new Map<string, number>();
  for (let i = 0; i < ring.length; i += 2) {
    const key = `${ring[i]!},${ring[i + 1]!}`;
    const from = seen.get(key);
    if (from !== undefined) {
      const loop = path.splice(from);
      for (let k = 0; k < loop.length; k += 2) seen.delete(`${loop[k]!},${loop[k + 1]!}`);
      loop.push(ring[i]!, ring[i + 1]!);
      out.push(Float64Array.from(loop));
    }
    seen.set(key, path.length);
    path.push(ring[i]!, ring[i + 1]!);
  }
  return out;
}

/** Outer rings run clockwise on the map (downwards is up here), holes the other way; each hole belongs to the ring around it. */
function partsOf(rings: Float64Array[]): Float64Array[][] {
  const outer = rings.filter((r) => twice(r) > 0).map((r) => [r]);
  for (const hole of rings) {
    if (twice(hole) > 0) continue;
    const [x, y] = [(hole[0]! + hole[2]!) / 2, (hole[1]! + hole[3]!) / 2];
    (outer.length === 1 ? outer[0] : outer.find((p) => around(p[0]!, x, y)))?.push(hole);
  }
  return outer;
}

/** Even-odd rule. */
function around(r: Float64Array, x: number, y: number): boolean {
  let inside = false;
  for (let i = 0; i + 3 < r.length; i += 2) {
    if (r[i + 1]! > y === r[i + 3]! > y) continue;
    if (x < r[i]! + ((y - r[i + 1]!) / (r[i + 3]! - r[i + 1]!)) * (r[i + 2]! - r[i]!)) inside = !inside;
  }
  return inside;
}

/** Twice the area of a ring, positive when it runs clockwise with rows counted downwards. */
function twice(r: Float64Array): number {
  let s = 0;
  for (let i = 0; i + 3 < r.length; i += 2) s += r[i]! * r[i + 3]! - r[i + 2]! * r[i + 1]!;
  return s;
}
