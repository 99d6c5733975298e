import { downstreamOrder } from './accumulate';
import { receiver } from './flow';

/** Cells of a link and the one it ends in, so that links meet in one point. */
export function pathOf(links: Links, k: number): number[] {
  const path = [...links.cells[k]!];
  if (links.to[k]! >= 0 && links.next[k]! >= 0) path.push(links.to[k]!);
  // A link of a single cell that leaves the grid is drawn as a point-sized line.
  if (path.length === 1) path.push(path[0]!);
  return path;
}

export interface Links {
  /** Cells of each link from its head, or the confluence it begins at, to its last own cell. */
  cells: Int32Array[];
  /** Cell the link ends in: the first of the next link, or -1 where the water leaves. */
  to: Int32Array;
  /** Index of the next link, or -1. */
  next: Int32Array;
  strahler: Int32Array;
  shreve: Int32Array;
  /** Link of each stream cell, -1 elsewhere. */
  linkOf: Int32Array;
}

/**
 * Stream cells as links between heads, confluences and ends. A confluence is a stream cell that two or more stream cells drain
 * into; it is the first cell of the link below. Orders after Strahler 1957 (doi:10.1029/TR038i006p00913) and Shreve 1966
 * (doi:10.1086/627137). O(cells).
 *
 * @param order cells upstream first, where they are known already
 */
export function streamLinks(
  direction: Int8Array,
  isStream: (i: number) => boolean,
  width: number,
  height: number,
  order: Iterable<number> = downstreamOrder(direction, width, height),
): Links {
  const n = width * height;
  const donors = new Uint8Array(n);
  for (let i = 0; i < n; i++) {
    if (!isStream(i)) continue;
    const t = receiver(direction, i, width, height);
    if (t >= 0 && isStream(t)) donors[t]!++;
  }
  const linkOf = new Int32Array(n).fill(-1);
  const cells: Int32Array[] = [];
  for (const i of order) {
    if (!isStream(i) || donors[i] === 1) continue;
    // A head, or a confluence: follow the water until the next confluence.
    const link: number[] = [];
    for (let c = i; ;) {
      link.push(c);
      linkOf[c] = cells.length;
      const t = receiver(direction, c, width, height);
      if (t < 0 || !isStream(t) || donors[t]! > 1) break;
      c = t;
    }
    cells.push(Int32Array.from(link));
  }
  const to = new Int32Array(cells.length).fill(-1);
  const next = new Int32Array(cells.length).fill(-1);
  const strahler = new Int32Array(cells.length);
  const shreve = new Int32Array(cells.length);
  const highest = new Int32Array(cells.length);
  const twice = new Uint8Array(cells.length);
  // Links were found upstream first, so every tributary is done before the link it joins.
  cells.forEach((c, k) => {
    strahler[k] = highest[k] === 0 ? 1 : highest[k]! + (twice[k] ? 1 : 0);
    shreve[k] = shreve[k] === 0 ? 1 : shreve[k]!;
    const t = receiver(direction, c[c.length - 1]!, width, height);
    if (t < 0) return;
    to[k] = t;
    if (!isStream(t)) return;
    const b = linkOf[t]!;
    next[k] = b;
    if (strahler[k]! > highest[b]!) {
      highest[b] = strahler[k]!;
      twice[b] = 0;
    } else if (strahler[k] === highest[b]) twice[b] = 1;
    shreve[b]! += shreve[k]!;
  });
  return { cells, to, next, strahler, shreve, linkOf };
}
