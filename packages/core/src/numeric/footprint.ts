/** A closed outline without its last corner twice: x, y of each corner in turn. */
export type Outline = [number, number][];

/** Twice the area within an outline, counter-clockwise positive. */
export const outlineArea = (o: Outline): number =>
  o.reduce((s, [x, y], i) => {
    const [u, v] = o[(i + 1) % o.length]!;
    return s + x * v - y * u;
  }, 0) / 2;

/**
 * Direction of the walls of a building, radians from 0 up to a right angle: that in which the points at its rim lie nearest to the sides of the
 * rectangle around them (the closeness criterion of Zhang, Xu and Dolan 2017, doi:10.1109/IVS.2017.7995698). Whole degrees.
 */
export function wallDirection(rim: readonly [number, number][]): number {
  const NEAR = 0.15;
  let [best, direction] = [-Infinity, 0];
  for (let k = 0; k < 90; k++) {
    const angle = (k * Math.PI) / 180;
    const [c, s] = [Math.cos(angle), Math.sin(angle)];
    let [u0, u1, v0, v1] = [Infinity, -Infinity, Infinity, -Infinity];
    for (const [x, y] of rim) {
      const u = x * c + y * s;
      const v = y * c - x * s;
      u0 = Math.min(u0, u);
      u1 = Math.max(u1, u);
      v0 = Math.min(v0, v);
      v1 = Math.max(v1, v);
    }
    let score = 0;
    for (const [x, y] of rim) {
      const u = x * c + y * s;
      const v = y * c - x * s;
      score += 1 / Math.max(NEAR, Math.min(u - u0, u1 - u, v - v0, v1 - v));
    }
    if (score > best) [best, direction] = [score, angle];
  }
  return direction;
}

/** Cells within a mask where holes and notches of a cell or two are closed: widened by so many cells and narrowed again. */
export function closedMask(mask: Uint8Array, columns: number, rows: number, by: number): Uint8Array {
  const grown = (from: Uint8Array, value: 0 | 1): Uint8Array => {
    const out = from.slice();
    for (let y = 0, c = 0; y < rows; y++)
      for (let x = 0; x < columns; x++, c++) {
        if (from[c] === value) continue;
        for (let v = -by; v <= by && out[c] !== value; v++)
          for (let u = -by; u <= by; u++) {
            const [a, b] = [x + u, y + v];
            // Beyond the rim there is nothing, and nothing is taken away for it.
            if (a < 0 || b < 0 || a >= columns || b >= rows) continue;
            if (from[b * columns + a] === value) {
              out[c] = value;
              break;
            }
          }
      }
    return out;
  };
  return grown(grown(mask, 1), 0);
}

/**
 * An outline of right angles without steps shorter than a length: the shortest is taken away, the walls beside it are joined at the place
 * between them that weighs their lengths, until all are long enough.
 *
 * @param outline corners of an outline along the axes, as cells have it
 */
export function withoutSteps(outline: Outline, shortest: number): Outline {
  let o = straightened(outline);
  while (o.length > 4) {
    let [least, at] = [Infinity, 0];
    for (let i = 0; i < o.length; i++) {
      const [a, b] = [o[i]!, o[(i + 1) % o.length]!];
      const length = Math.abs(a[0] - b[0]) + Math.abs(a[1] - b[1]);
      if (length < least) [least, at] = [length, i];
    }
    if (least >= shortest) break;
    const n = o.length;
    const corner = (k: number): [number, number] => o[(at + k + n) % n]!;
    // The wall before the step, from corner(-1) to corner(0), and the one behind it, from corner(1) to corner(2).
    const axis = corner(0)[0] === corner(1)[0] ? 0 : 1;
    const lengthOf = (a: [number, number], b: [number, number]): number =>
      Math.abs(a[0] - b[0]) + Math.abs(a[1] - b[1]);
    const before = lengthOf(corner(-1), corner(0));
    const behind = lengthOf(corner(1), corner(2));
    const across = 1 - axis;
    const place = (corner(0)[across] * before + corner(1)[across] * behind) / (before + behind);
    const moved = o.map((c): [number, number] => [c[0], c[1]]);
    moved[(at - 1 + n) % n]![across] = place;
    moved[(at + 2) % n]![across] = place;
    const drop = new Set([at % n, (at + 1) % n]);
    o = straightened(moved.filter((_, i) => !drop.has(i)));
  }
  return o;
}

/** Without corners at which an outline along the axes does not turn. */
function straightened(o: Outline): Outline {
  let out = o;
  for (;;) {
    const n = out.length;
    const next = out.filter((b, i) => {
      const a = out[(i - 1 + n) % n]!;
      const c = out[(i + 1) % n]!;
      const same = (p: [number, number], q: [number, number], k: 0 | 1): boolean => Math.abs(p[k] - q[k]) < 1e-9;
      const double = same(a, b, 0) && same(a, b, 1);
      return !double && !(same(a, b, 0) && same(b, c, 0)) && !(same(a, b, 1) && same(b, c, 1));
    });
    if (next.length === n) return out;
    out = next;
    if (out.length < 4) return out;
  }
}

/**
 * Moves the walls of an outline along the axes to where the points at them end: for each stretch of a wall the outermost point, and of those the
 * median.
 *
 * @param points within the outline, about; `reach` how far from a wall its points may lie; `stretch` length of a stretch
 */
export function fittedWalls(
  outline: Outline,
  points: readonly [number, number][],
  reach: number,
  stretch: number,
): Outline {
  const n = outline.length;
  const area = outlineArea(outline);
  const places = outline.map((a, i) => {
    const b = outline[(i + 1) % n]!;
    const across: 0 | 1 = Math.abs(a[0] - b[0]) < 1e-9 ? 0 : 1;
    const along = (1 - across) as 0 | 1;
    const [low, high] = [Math.min(a[along], b[along]), Math.max(a[along], b[along])];
    const wall = a[across];
    // Outwards: to the right of the way round where that is counter-clockwise.
    const forward = Math.sign(b[along] - a[along]) * Math.sign(area);
    const out = across === 1 ? -forward : forward;
    const bins = Math.max(1, Math.floor((high - low) / stretch));
    const outermost = new Float64Array(bins).fill(-Infinity);
    for (const p of points) {
      const t = p[along];
      const d = (p[across] - wall) * out;
      if (t < low + stretch / 2 || t > high - stretch / 2 || d < -2 * reach || d > reach) continue;
      const k = Math.min(bins - 1, Math.floor(((t - low) / (high - low)) * bins));
      if (d > outermost[k]!) outermost[k] = d;
    }
    const found = [...outermost].filter((d) => d > -Infinity).sort((p, q) => p - q);
    return found.length ? wall + out * found[found.length >> 1]! : wall;
  });
  return outline.map((corner, i): [number, number] => {
    const next = outline[(i + 1) % n]!;
    const before = (i - 1 + n) % n;
    // Of the two walls at a corner one lies across x, the other across y.
    const across: 0 | 1 = Math.abs(corner[0] - next[0]) < 1e-9 ? 0 : 1;
    const out: [number, number] = [corner[0], corner[1]];
    out[across] = places[i]!;
    out[(1 - across) as 0 | 1] = places[before]!;
    return out;
  });
}
