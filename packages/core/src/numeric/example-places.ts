/** A place in the middle of a square of cells that are all of one class. */
export interface ExamplePlace {
  column: number;
  row: number;
  /** Cells along a side of the largest such square that ends there. */
  side: number;
}

/** Parts along a side in which the best place of each class is looked for. */
const PARTS = 24;

/**
 * Places where a class is most by itself: the middles of the largest squares of equal cells (dynamic programming over the three neighbours
 * before a cell), some apart from each other. O(n).
 *
 * @param cells columns × rows
 * @param count places of a class, at most
 * @returns of each class its places, the one of the largest square first; then by row and column
 */
export function examplePlaces(
  cells: Int32Array,
  columns: number,
  missing: number,
  count: number,
): Map<number, ExamplePlace[]> {
  const rows = cells.length / columns;
  const wide = Math.ceil(columns / PARTS);
  const high = Math.ceil(rows / PARTS);
  let above = new Uint16Array(columns);
  let here = new Uint16Array(columns);
  /** Of each class the best of every part of the grid. */
  const best = new Map<number, Map<number, ExamplePlace>>();
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < columns; c++) {
      const i = r * columns + c;
      const v = cells[i]!;
      if (v === missing) {
        here[c] = 0;
        continue;
      }
      const near =
        r > 0 && c > 0 && cells[i - 1] === v && cells[i - columns] === v && cells[i - columns - 1] === v
          ? Math.min(here[c - 1]!, above[c]!, above[c - 1]!)
          : 0;
      const side = near + 1;
      here[c] = side;
      let own = best.get(v);
      if (!own) best.set(v, (own = new Map()));
      const half = (side - 1) >> 1;
      const part = Math.floor((r - half) / high) * PARTS + Math.floor((c - half) / wide);
      if (side > (own.get(part)?.side ?? 0)) own.set(part, { column: c - half, row: r - half, side });
    }
    [above, here] = [here, above];
  }
  const apart = Math.max(1, Math.min(columns, rows) / 8);
  return new Map(
    [...best].map(([v, parts]) => {
      const all = [...parts.values()].sort((p, q) => q.side - p.side || p.row - q.row || p.column - q.column);
      const taken: ExamplePlace[] = [];
      // Some way apart while there is room, else wherever they are.
      for (const far of [apart, apart / 4, 0])
        for (const p of all) {
          if (taken.length >= count) break;
          if (!taken.includes(p) && taken.every((q) => Math.hypot(p.column - q.column, p.row - q.row) >= far))
            taken.push(p);
        }
      return [v, taken];
    }),
  );
}
