import type { DrawnPoints } from './cloud-paint';

/** A strip of ground that is looked at from the side: from a to b, so wide. */
export interface Strip {
  ax: number;
  ay: number;
  bx: number;
  by: number;
  /** In all, half of it on either side of the line. */
  width: number;
}

export const stripLength = ({ ax, ay, bx, by }: Strip): number => Math.hypot(bx - ax, by - ay);

/** Corners of a strip, in turn. */
export function stripRing({ ax, ay, bx, by, width }: Strip): [number, number][] {
  const length = Math.hypot(bx - ax, by - ay) || 1;
  const [nx, ny] = [(-(by - ay) / length) * (width / 2), ((bx - ax) / length) * (width / 2)];
  return [
    [ax + nx, ay + ny],
    [bx + nx, by + ny],
    [bx - nx, by - ny],
    [ax - nx, ay - ny],
    [ax + nx, ay + ny],
  ];
}

/** Whether a strip can reach into a box. */
export function stripMeets(s: Strip, [w, south, e, n]: readonly [number, number, number, number]): boolean {
  const length = stripLength(s) || 1;
  const [dx, dy] = [(s.bx - s.ax) / length, (s.by - s.ay) / length];
  const half = s.width / 2;
  // Along the line and across it, as far as the corners of the box reach.
  let [t0, t1, c0, c1] = [Infinity, -Infinity, Infinity, -Infinity];
  for (const [x, y] of [
    [w, south],
    [e, south],
    [w, n],
    [e, n],
  ] as const) {
    const t = (x - s.ax) * dx + (y - s.ay) * dy;
    const c = (y - s.ay) * dx - (x - s.ax) * dy;
    t0 = Math.min(t0, t);
    t1 = Math.max(t1, t);
    c0 = Math.min(c0, c);
    c1 = Math.max(c1, c);
  }
  return t1 >= 0 && t0 <= length && c1 >= -half && c0 <= half;
}

/** Points seen from the side. */
export interface SidePoints {
  /** From the beginning of the strip, in units of the coordinates. */
  along: Float32Array;
  z: Float32Array;
  colours: Uint32Array;
  /** Number of the point in its chunk. */
  index: Uint32Array;
}

/** The points of a chunk that lie in a strip; those without a colour are left out. O(points). */
export function sidePoints(p: DrawnPoints, colours: Uint32Array, s: Strip): SidePoints {
  const length = stripLength(s) || 1;
  const [dx, dy] = [(s.bx - s.ax) / length, (s.by - s.ay) / length];
  const [ox, oy] = [p.x0 - s.ax, p.y0 - s.ay];
  const half = s.width / 2;
  const found: number[] = [];
  for (let i = 0; i < p.z.length; i++) {
    if (colours[i] === 0) continue;
    const x = ox + p.dx[i]!;
    const y = oy + p.dy[i]!;
    const t = x * dx + y * dy;
    if (t >= 0 && t <= length && Math.abs(y * dx - x * dy) <= half) found.push(i);
  }
  return {
    along: Float32Array.from(found, (i) => (ox + p.dx[i]!) * dx + (oy + p.dy[i]!) * dy),
    z: Float32Array.from(found, (i) => p.z[i]!),
    colours: Uint32Array.from(found, (i) => colours[i]!),
    index: Uint32Array.from(found),
  };
}
