import type { Cells } from '../data/raster';

/**
 * Lines of one level through the centres of a grid's cells by marching squares (Lorensen and Cline 1987,
 * doi:10.1145/37402.37422, in two dimensions), crossings interpolated linearly, saddles decided by the mean of the four. A
 * square with a missing corner carries no line. A value equal to the level counts as above. O(squares + points).
 *
 * @returns polylines of column, row (cell centres at halves); closed ones repeat their first point
 */
export function isolines(cells: Cells, width: number, height: number, level: number): Float64Array[] {
  // Crossings are known by the edge they lie on: 2 i to the east of cell i, 2 i + 1 to the south.
  const links = new Map<number, number[]>();
  const join = (a: number, b: number): void => {
    const la = links.get(a);
    if (la) la.push(b);
    else links.set(a, [b]);
    const lb = links.get(b);
    if (lb) lb.push(a);
    else links.set(b, [a]);
  };
  for (let y = 0; y < height - 1; y++) {
    for (let x = 0; x < width - 1; x++) {
      const i = y * width + x;
      const nw = cells[i]!;
      const ne = cells[i + 1]!;
      const sw = cells[i + width]!;
      const se = cells[i + width + 1]!;
      const code = (nw >= level ? 8 : 0) | (ne >= level ? 4 : 0) | (se >= level ? 2 : 0) | (sw >= level ? 1 : 0);
      if (code === 0 || code === 15) continue;
      const mean = (nw + ne + sw + se) / 4;
      if (mean !== mean) continue;
      const n = 2 * i;
      const w = 2 * i + 1;
      const s = 2 * (i + width);
      const e = 2 * (i + 1) + 1;
      switch (code) {
        case 1:
        case 14:
          join(w, s);
          break;
        case 2:
        case 13:
          join(s, e);
          break;
        case 3:
        case 12:
          join(w, e);
          break;
        case 4:
        case 11:
          join(n, e);
          break;
        case 6:
        case 9:
          join(n, s);
          break;
        case 7:
        case 8:
          join(w, n);
          break;
        default:
          // A saddle: the mean says which two corners hang together.
          if ((code === 5) === mean >= level) {
            join(w, n);
            join(s, e);
          } else {
            join(w, s);
            join(n, e);
          }
      }
    }
  }
  const place = (edge: number, out: number[]): void => {
    const i = edge >> 1;
    const j = edge & 1 ? i + width : i + 1;
    const a = cells[i]!;
    const t = (level - a) / (cells[j]! - a);
    const x = (i % width) + 0.5 + (edge & 1 ? 0 : t);
    const y = Math.floor(i / width) + 0.5 + (edge & 1 ? t : 0);
    const n = out.length;
    if (n >= 2 && out[n - 2] === x && out[n - 1] === y) return;
    out.push(x, y);
  };
  const lines: Float64Array[] = [];
  const follow = (start: number): void => {
    const out: number[] = [];
    let at = start;
    for (;;) {
      place(at, out);
      const next = links.get(at)!;
      const to = next.pop();
      if (to === undefined) break;
      const back = links.get(to)!;
      back.splice(back.indexOf(at), 1);
      at = to;
    }
    if (out.length >= 4) lines.push(Float64Array.from(out));
  };
  for (const [edge, l] of links) if (l.length === 1) follow(edge);
  for (const [edge, l] of links) if (l.length > 0) follow(edge);
  return lines;
}

/** Corners cut at a quarter of their sides (Chaikin 1974, doi:10.1016/0146-664X(74)90028-8); ends of open lines stay. */
export function chaikin(line: Float64Array, times: number): Float64Array {
  let l = line;
  const n0 = l.length;
  const closed = n0 > 6 && l[0] === l[n0 - 2] && l[1] === l[n0 - 1];
  for (let k = 0; k < times && l.length >= 6; k++) {
    const out: number[] = closed ? [] : [l[0]!, l[1]!];
    for (let i = 0; i + 3 < l.length; i += 2) {
      const [ax, ay, bx, by] = [l[i]!, l[i + 1]!, l[i + 2]!, l[i + 3]!];
      if (closed || i > 0) out.push(0.75 * ax + 0.25 * bx, 0.75 * ay + 0.25 * by);
      if (closed || i + 5 < l.length) out.push(0.25 * ax + 0.75 * bx, 0.25 * ay + 0.75 * by);
    }
    if (closed) out.push(out[0]!, out[1]!);
    else out.push(l[l.length - 2]!, l[l.length - 1]!);
    l = Float64Array.from(out);
  }
  return l;
}
