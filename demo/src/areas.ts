import { FeaturesBuilder, type Column, type Features } from '@helk/core';
import { withGeos } from '@helk/core/numeric/geos';
import { polygonise } from '@helk/core/numeric/polygonise';
import type { Landscape } from './landscape';

/** Cells of each label joined over edges; those of fewer than `least` cells take the label most of their neighbours have. */
export function sieve(labels: Int32Array, width: number, height: number, none: number, least: number): Int32Array {
  const out = labels.slice();
  for (let round = 0; round < 6; round++) {
    let changed = false;
    const part = new Int32Array(out.length).fill(-1);
    for (let start = 0; start < out.length; start++) {
      if (part[start] !== -1 || out[start] === none) continue;
      const label = out[start]!;
      const cells = [start];
      part[start] = start;
      const votes = new Map<number, number>();
      for (let k = 0; k < cells.length; k++) {
        const i = cells[k]!;
        const x = i % width;
        for (const j of [x > 0 ? i - 1 : -1, x < width - 1 ? i + 1 : -1, i - width, i + width]) {
          if (j < 0 || j >= height * width) continue;
          if (out[j] === label) {
            if (part[j] === -1) {
              part[j] = start;
              cells.push(j);
            }
          } else if (out[j] !== none) votes.set(out[j]!, (votes.get(out[j]!) ?? 0) + 1);
        }
      }
      if (cells.length >= least || !votes.size) continue;
      const to = [...votes].sort((a, b) => b[1] - a[1] || a[0] - b[0])[0]![0];
      for (const i of cells) out[i] = to;
      changed = true;
    }
    if (!changed) break;
  }
  return out;
}

/** Labels of the land's cells as areas with borders drawn by hand: corners spared within `tolerance`, common borders common. */
export async function areasOf(
  land: Landscape,
  labels: Int32Array,
  none: number,
  tolerance: number,
  columns: (labels: number[]) => Column[],
): Promise<Features> {
  const { grid } = land;
  const areas = polygonise(labels, grid.columns, grid.rows, none);
  const raw = new FeaturesBuilder();
  for (const a of areas) {
    for (const part of a.parts) {
      for (const r of part) {
        // Upside down on the map, so that outlines run the usual way round.
        for (let i = r.length - 2; i >= 0; i -= 2)
          raw.coordinate(grid.x + r[i]! * grid.dx, grid.y - r[i + 1]! * grid.dy);
        raw.endRing();
      }
      raw.endPart();
    }
    raw.endFeature();
  }
  const stairs = raw.build('polygon', grid.crs, []);
  const b = new FeaturesBuilder();
  const kept: number[] = [];
  await withGeos((g) => {
    const all = g.simplifyCoverage(
      areas.map((_, i) => g.shape(stairs, i)),
      tolerance,
    );
    areas.forEach((a, i) => {
      if (!g.append(g.member(all, i), 'polygon', b)) return;
      b.endFeature();
      kept.push(a.label);
    });
  });
  return b.build('polygon', grid.crs, columns(kept));
}
