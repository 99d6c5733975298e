import { rampTable } from './ramps';
import type { Scale } from './style';

/** What a picture is painted from: cells of one overview level around the picture, with a border of one cell. */
export interface Window {
  cells: Float32Array | Float64Array;
  width: number;
  height: number;
  /** Column and row of the window's first cell in the level. */
  column: number;
  row: number;
}

export interface Light {
  /** East, south, up. */
  vector: [number, number, number];
  strength: number;
  /** Cell width and height of the level in the unit of the values. */
  cellWidth: number;
  cellHeight: number;
}

/** What three bands are painted by. */
export interface Mix {
  /** Values that become black and fully bright, of each. */
  limits: [[number, number], [number, number], [number, number]];
  gamma: number;
}

/**
 * Values that stand out, and what becomes of all others: as they are, nearly the ground's colour, or not drawn at all, what lies beneath being
 * seen through those that stand out.
 */
export interface Lit {
  low: number;
  high: number;
  ink: [number, number, number];
  rest?: { faded: [number, number, number] } | 'clear' | undefined;
}

/** Share of the ground's colour in a value that is faded. */
const FADED = 0.8;
const SEEN_THROUGH = 150;

export interface Paint {
  scale: Scale;
  light: Light | null;
  /** Boxes of enclosed gaps in cells of the level: [column, row, last column, last row]. */
  gaps: [number, number, number, number][];
  missing: { ink: [number, number, number]; ground: [number, number, number]; faint: [number, number, number] } | null;
  /** Values that stand out in a colour of their own. */
  pick?: Lit | null;
  /** Pixels to one of the patterns, where the picture is finer than a screen. */
  coarse?: number;
  /** Columns and rows of the level; beyond them the picture is clear. */
  columns: number;
  rows: number;
}

/** A scale as a function from value to table index, and its table: 256 colours, or one a class. */
export function colourTable(scale: Scale): { table: Uint8ClampedArray; index: (v: number) => number } {
  if (scale.classes) return classTable(scale.classes);
  const full = rampTable(scale.ramp, scale.reversed);
  const { breaks, low, high } = scale;
  if (breaks.length === 0) {
    const k = 255 / (high - low);
    return { table: full, index: (v) => (v <= low ? 0 : v >= high ? 255 : ((v - low) * k + 0.5) | 0) };
  }
  const n = breaks.length + 1;
  const table = new Uint8ClampedArray(n * 3);
  for (let c = 0; c < n; c++)
    table.set(full.subarray(3 * Math.round((c * 255) / (n - 1)), 3 * Math.round((c * 255) / (n - 1)) + 3), c * 3);
  return {
    table,
    index: (v) => {
      let c = 0;
      while (c < breaks.length && v >= breaks[c]!) c++;
      return c;
    },
  };
}

/** Colours of categories; a value without a class has the table's last colour, a grey that no class uses. */
function classTable(classes: NonNullable<Scale['classes']>): ReturnType<typeof colourTable> {
  const table = new Uint8ClampedArray((classes.length + 1) * 3).fill(128);
  const at = new Map<number, number>();
  classes.forEach((c, i) => {
    at.set(c.value, i);
    for (let k = 0; k < 3; k++) table[3 * i + k] = parseInt(c.colour.slice(1 + 2 * k, 3 + 2 * k), 16);
  });
  return { table, index: (v) => at.get(v) ?? classes.length };
}

/**
 * Paints one row of a picture: for each pixel the cell it lies in (`u`, `v` in fractional cells of the level), its colour, the
 * light on it, or the pattern for missing. Neighbouring cells for the light come from the window's border.
 */
export function paintRow(
  out: Uint8ClampedArray,
  offset: number,
  y: number,
  n: number,
  u: Float64Array,
  v: Float64Array,
  w: Window,
  p: Paint,
  colours: ReturnType<typeof colourTable>,
): void {
  const { table, index } = colours;
  const pick = p.pick ?? null;
  const rest = pick?.rest;
  const ground = rest && rest !== 'clear' ? rest.faded : null;
  for (let x = 0; x < n; x++) {
    const o = offset + 4 * x;
    const a = u[x]!;
    const b = v[x]!;
    if (!(a >= 0 && b >= 0 && a < p.columns && b < p.rows)) {
      out[o + 3] = 0;
      continue;
    }
    const c = a | 0;
    const r = b | 0;
    const i = (r - w.row) * w.width + (c - w.column);
    const z = w.cells[i]!;
    if (z !== z) {
      if (p.missing) hatch(out, o, x, y, c, r, p);
      else out[o + 3] = 0;
      continue;
    }
    const picked = pick !== null && z >= pick.low && z <= pick.high;
    if (!picked && rest === 'clear') {
      out[o + 3] = 0;
      continue;
    }
    const from = picked ? pick.ink : table;
    const k = picked ? 0 : 3 * index(z);
    let shade = 1;
    let lift = 0;
    if (p.light) {
      const s = lightOn(w, i, z, p.light);
      // Darker than a level ground takes colour away, brighter adds white: the hue stays the data's.
      if (s < 0) shade = 1 + s;
      else lift = s * 255;
    }
    out[o] = from[k]! * shade + lift * (1 - from[k]! / 255);
    out[o + 1] = from[k + 1]! * shade + lift * (1 - from[k + 1]! / 255);
    out[o + 2] = from[k + 2]! * shade + lift * (1 - from[k + 2]! / 255);
    if (ground && !picked) for (let j = 0; j < 3; j++) out[o + j] = out[o + j]! * (1 - FADED) + ground[j]! * FADED;
    out[o + 3] = rest === 'clear' ? SEEN_THROUGH : 255;
  }
}

/** Brightness 0 to 255 of a value's place between the limits, 0 to 1023. */
export function gammaTable(gamma: number): Uint8ClampedArray {
  return Uint8ClampedArray.from({ length: 1024 }, (_, i) => Math.round(255 * (i / 1023) ** (1 / gamma)));
}

/** The same of three bands as red, green and blue; a cell that lacks one of them is missing. */
export function mixRow(
  out: Uint8ClampedArray,
  offset: number,
  y: number,
  n: number,
  u: Float64Array,
  v: Float64Array,
  windows: readonly Window[],
  p: Omit<Paint, 'scale' | 'light' | 'pick'>,
  mix: Mix,
  bright: Uint8ClampedArray,
): void {
  const [w] = windows as [Window];
  const [a, b, c] = windows.map((x) => x.cells) as [Window['cells'], Window['cells'], Window['cells']];
  const [la, lb, lc] = mix.limits.map((l) => l[0]) as [number, number, number];
  const [ka, kb, kc] = mix.limits.map(([low, high]) => 1023 / (high - low)) as [number, number, number];
  for (let x = 0; x < n; x++) {
    const o = offset + 4 * x;
    const left = u[x]!;
    const top = v[x]!;
    if (!(left >= 0 && top >= 0 && left < p.columns && top < p.rows)) {
      out[o + 3] = 0;
      continue;
    }
    const column = left | 0;
    const row = top | 0;
    const i = (row - w.row) * w.width + (column - w.column);
    const r = (a[i]! - la) * ka;
    const g = (b[i]! - lb) * kb;
    const h = (c[i]! - lc) * kc;
    if (r !== r || g !== g || h !== h) {
      if (p.missing) hatch(out, o, x, y, column, row, p);
      else out[o + 3] = 0;
      continue;
    }
    out[o] = bright[r <= 0 ? 0 : r >= 1023 ? 1023 : (r + 0.5) | 0]!;
    out[o + 1] = bright[g <= 0 ? 0 : g >= 1023 ? 1023 : (g + 0.5) | 0]!;
    out[o + 2] = bright[h <= 0 ? 0 : h >= 1023 ? 1023 : (h + 0.5) | 0]!;
    out[o + 3] = 255;
  }
}

/** Brightness relative to level ground, -1…1, by the gradient over the four neighbours. */
function lightOn(w: Window, i: number, z: number, l: Light): number {
  const e = w.cells[i + 1]!;
  const west = w.cells[i - 1]!;
  const s = w.cells[i + w.width]!;
  const north = w.cells[i - w.width]!;
  const gx = ((e === e ? e : z) - (west === west ? west : z)) / (2 * l.cellWidth);
  const gy = ((s === s ? s : z) - (north === north ? north : z)) / (2 * l.cellHeight);
  const [le, ls, up] = l.vector;
  const cos = (up - le * gx - ls * gy) / Math.sqrt(1 + gx * gx + gy * gy);
  const d = (cos > 0 ? cos : 0) - up;
  return d < 0 ? (l.strength * d) / up : (l.strength * 0.6 * d) / Math.max(0.05, 1 - up);
}

/** Enclosed gaps get a strong hatch; missing cells outside the data a faint one. */
function hatch(
  out: Uint8ClampedArray,
  o: number,
  x: number,
  y: number,
  c: number,
  r: number,
  p: Pick<Paint, 'missing' | 'gaps' | 'coarse'>,
): void {
  const m = p.missing!;
  const k = p.coarse ?? 1;
  if (k > 1) {
    x = (x / k) | 0;
    y = (y / k) | 0;
  }
  let inside = false;
  for (const g of p.gaps) {
    if (c >= g[0] && r >= g[1] && c <= g[2] && r <= g[3]) {
      inside = true;
      break;
    }
  }
  const line = (x + y) & 7;
  if (inside) {
    const q = line < 3 ? m.ink : m.ground;
    out[o] = q[0];
    out[o + 1] = q[1];
    out[o + 2] = q[2];
    out[o + 3] = 255;
  } else if ((x & 7) === 2 && (y & 7) === (x & 8 ? 2 : 6)) {
    out[o] = m.faint[0];
    out[o + 1] = m.faint[1];
    out[o + 2] = m.faint[2];
    out[o + 3] = 255;
  } else out[o + 3] = 0;
}
