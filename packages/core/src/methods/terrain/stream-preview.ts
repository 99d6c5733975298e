import { cellArea, type Raster } from '../../data/raster';
import { LocalJob } from '../../method/job';
import { downstreamOrder } from './accumulate';
import { accumulateD8 } from './flow';
import { pathOf, streamLinks } from './stream-links';
import { centre } from './streams';
import { waterOf } from './water';

/** Lines in flat arrays, each with a number that says how it is drawn. */
export interface PreviewLines {
  xy: Float64Array;
  /** Start of each line in coordinates; one more than there are lines. */
  offsets: Uint32Array;
  value: Float64Array;
}

/** Collects lines for a picture. */
export function lineCollector(): {
  line: (points: ArrayLike<number>, value: number) => void;
  lines: () => PreviewLines;
} {
  const xy: number[] = [];
  const offsets = [0];
  const value: number[] = [];
  return {
    line: (points, v) => {
      for (let i = 0; i < points.length; i++) xy.push(points[i]!);
      offsets.push(xy.length / 2);
      value.push(v);
    },
    lines: () => ({ xy: Float64Array.from(xy), offsets: Uint32Array.from(offsets), value: Float64Array.from(value) }),
  };
}

/**
 * The stream network of any threshold, of directions and accumulated areas that are worked out once: what a slider moves. The same
 * network that `terrain.streams` makes of the same grid.
 */
export class StreamPreview {
  /** Greatest area that drains through one cell, m². */
  readonly greatest: number;
  readonly pits: number;
  private readonly direction: Int8Array;
  private readonly area: Float64Array;
  private readonly order: ArrayLike<number> & Iterable<number>;

  constructor(private readonly elevation: Raster) {
    const w = waterOf(elevation, new LocalJob());
    this.direction = w.direction;
    this.pits = w.pits;
    this.area = accumulateD8(w.direction, w.width, w.height, (row) => cellArea(elevation.grid, row));
    this.order = downstreamOrder(w.direction, w.width, w.height);
    this.greatest = this.area.reduce((m, v) => (v > m ? v : m), 0);
  }

  /** Lines with their Strahler order. @param threshold m² */
  lines(threshold: number): PreviewLines {
    const { grid } = this.elevation;
    const links = streamLinks(this.direction, (i) => this.area[i]! >= threshold, grid.columns, grid.rows, this.order);
    const c = lineCollector();
    links.cells.forEach((_, k) =>
      c.line(
        pathOf(links, k).flatMap((i) => centre(grid, i)),
        links.strahler[k]!,
      ),
    );
    return c.lines();
  }
}
