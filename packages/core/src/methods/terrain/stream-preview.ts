import { cellArea, type Raster } from '../../data/raster';
import { formatArea, formatNumber } from '../../data/number-words';
import { HelkError } from '../../errors';
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

/** Corners of lines that a picture can follow a hand with; the lines of a run may have any number. */
export const MOST_CORNERS = 120_000;

/** What would take longer to show than to wait for. @param corners how many there are at least */
export function tooMuch(what: string, corners: number): HelkError {
  const at = `more than ${formatNumber(Math.floor(corners / 2e4) * 2e4)}`;
  return new HelkError('method.parameter', `${what} would be lines of ${at} corners: too many to show before the run.`);
}

/** Collects lines for a picture. @throws HelkError `method.parameter` when there are more than can be shown */
export function lineCollector(what = 'These'): {
  line: (points: ArrayLike<number>, value: number) => void;
  lines: () => PreviewLines;
} {
  const xy: number[] = [];
  const offsets = [0];
  const value: number[] = [];
  return {
    line: (points, v) => {
      if ((xy.length + points.length) / 2 > MOST_CORNERS) throw tooMuch(what, (xy.length + points.length) / 2);
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

  /** Lines with their Strahler order. @param threshold m² @throws HelkError `method.parameter` when there are more than can be shown */
  lines(threshold: number): PreviewLines {
    const { grid } = this.elevation;
    // Counted before any line is made: each cell of a stream is a corner of one.
    let corners = 0;
    for (let i = 0; i < this.area.length; i++) if (this.area[i]! >= threshold) corners++;
    if (corners > MOST_CORNERS) throw tooMuch(`Streams of ${formatArea(threshold)}`, corners);
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
