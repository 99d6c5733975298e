import type { AttributeInfo, ClassShare, Cloud, CloudInfo } from './cloud';
import type { Extent } from './crs';

/** Points a net of a cloud's area has in a cell, about: enough that a cell without any is a place without points. */
const PER_CELL = 16;
/** Points that percentiles are taken from. */
const SAMPLED = 50_000;

/** Everything there is to know of a cloud. O(points). */
export function cloudInfo(c: Cloud): CloudInfo {
  const n = c.x.length;
  const head = {
    kind: 'cloud' as const,
    crs: c.crs,
    heightUnit: c.heightUnit,
    scale: c.scale,
    offset: c.offset,
    count: n,
  };
  if (n === 0)
    return {
      ...head,
      extent: null,
      heights: null,
      covered: 0,
      spacing: null,
      classes: [],
      attributes: c.attributes.map(({ values: _, ...a }) => ({ ...a, min: 0, max: 0, low: 0, high: 0 })),
      doubled: 0,
    };
  const [x0, x1] = rangeOf(c.x);
  const [y0, y1] = rangeOf(c.y);
  const [z0, z1] = rangeOf(c.z);
  const at = (v: number, k: 0 | 1 | 2): number => v * c.scale[k] + c.offset[k];
  const extent: Extent = [at(x0, 0), at(y0, 1), at(x1, 0), at(y1, 1)];
  const covered = coveredArea(c, [x0, y0, x1, y1]);
  const [low, high] = middle(c.z);
  return {
    ...head,
    extent,
    heights: { min: at(z0, 2), max: at(z1, 2), low: at(low, 2), high: at(high, 2) },
    covered,
    spacing: covered > 0 ? Math.sqrt(covered / n) : null,
    classes: classShares(c),
    attributes: c.attributes.map(({ values, ...a }): AttributeInfo => {
      const [min, max] = rangeOf(values);
      const [below, above] = middle(values);
      return { ...a, min, max, low: below, high: above };
    }),
    doubled: doubledPoints(c),
  };
}

function rangeOf(v: ArrayLike<number>): [number, number] {
  let min = Infinity;
  let max = -Infinity;
  for (let i = 0; i < v.length; i++) {
    const t = v[i]!;
    if (t < min) min = t;
    if (t > max) max = t;
  }
  return min <= max ? [min, max] : [0, 0];
}

/** Values between which the middle 96 % lie, of points spread evenly over all. */
function middle(v: ArrayLike<number>): [number, number] {
  const step = Math.max(1, v.length / SAMPLED);
  const some = new Float64Array(Math.min(v.length, SAMPLED));
  for (let k = 0; k < some.length; k++) some[k] = v[Math.floor(k * step)]!;
  const sorted = some.filter((t) => t === t).sort();
  if (sorted.length === 0) return [0, 0];
  const share = (s: number): number => sorted[Math.round(s * (sorted.length - 1))]!;
  return [share(0.02), share(0.98)];
}

/** Area of the cells, of a net that fits the extent, that have a point in them. */
function coveredArea(c: Cloud, [x0, y0, x1, y1]: Extent): number {
  const width = (x1 - x0) * c.scale[0];
  const height = (y1 - y0) * c.scale[1];
  if (!(width > 0 && height > 0)) return 0;
  const n = c.x.length;
  const side = Math.sqrt((width * height * PER_CELL) / n);
  const columns = Math.max(1, Math.min(Math.round(width / side), n));
  const rows = Math.max(1, Math.min(Math.round(height / side), n));
  const kx = columns / (x1 - x0);
  const ky = rows / (y1 - y0);
  const seen = new Uint8Array(columns * rows);
  let cells = 0;
  for (let i = 0; i < n; i++) {
    const u = Math.min(columns - 1, Math.floor((c.x[i]! - x0) * kx));
    const v = Math.min(rows - 1, Math.floor((c.y[i]! - y0) * ky));
    const k = v * columns + u;
    if (!seen[k]) {
      seen[k] = 1;
      cells++;
    }
  }
  return (width * height * cells) / (columns * rows);
}

function classShares(c: Cloud): ClassShare[] {
  const classes = c.attributes.find((a) => a.name === 'classification')?.values;
  if (!classes) return [];
  const count = new Float64Array(256);
  const low = new Int32Array(256).fill(2147483647);
  const high = new Int32Array(256).fill(-2147483648);
  for (let i = 0; i < classes.length; i++) {
    const k = classes[i]!;
    const z = c.z[i]!;
    count[k]!++;
    if (z < low[k]!) low[k] = z;
    if (z > high[k]!) high[k] = z;
  }
  const out: ClassShare[] = [];
  for (let k = 0; k < 256; k++)
    if (count[k])
      out.push({
        value: k,
        count: count[k],
        zmin: low[k]! * c.scale[2] + c.offset[2],
        zmax: high[k]! * c.scale[2] + c.offset[2],
      });
  return out;
}

/** Points that have exactly the coordinates of an earlier one, by a table of places. O(points). */
export function doubledPoints(c: Pick<Cloud, 'x' | 'y' | 'z'>): number {
  return findDoubled(c, () => undefined);
}

/** Tells of each point that lies exactly where an earlier one lies; gives their number. O(points). */
export function findDoubled({ x, y, z }: Pick<Cloud, 'x' | 'y' | 'z'>, tell: (i: number) => void): number {
  const n = x.length;
  let bits = 4;
  while (2 ** bits < n * 1.5 && bits < 30) bits++;
  const mask = 2 ** bits - 1;
  const table = new Int32Array(2 ** bits);
  let doubled = 0;
  for (let i = 0; i < n; i++) {
    let h = Math.imul(x[i]!, 0x9e3779b1) ^ Math.imul(y[i]!, 0x85ebca6b) ^ Math.imul(z[i]!, 0xc2b2ae35);
    h = Math.imul(h ^ (h >>> 15), 0x2c1b3c6d);
    h ^= h >>> 13;
    for (let at = h & mask; ; at = (at + 1) & mask) {
      const j = table[at]! - 1;
      if (j < 0) {
        table[at] = i + 1;
        break;
      }
      if (x[j] === x[i] && y[j] === y[i] && z[j] === z[i]) {
        doubled++;
        tell(i);
        break;
      }
    }
  }
  return doubled;
}
