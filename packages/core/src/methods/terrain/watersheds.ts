import * as z from 'zod';
import { HelkError } from '../../errors';
import { featureCount, FeaturesBuilder, featuresIn } from '../../data/features';
import { formatLength, sideOf } from '../../data/number-words';
import { cellArea, cellCount, cellMetres } from '../../data/raster';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice, quantity } from '../../method/params';
import { cellOutlines } from '../../numeric/components';
import { accumulateD8, receiver } from './flow';
import { downstreamOrder } from './accumulate';
import { streamLinks } from './stream-links';
import { centre, suggestThreshold, thresholdChecks } from './streams';
import { waterChecks, waterOf } from './water';
import type { Check } from '../../data/check';

/**
 * Label of the first outlet downstream of each cell, -1 for none: one pass against the order of the water. O(cells).
 *
 * @param outlets label by cell
 */
export function labelUpstream(
  direction: Int8Array,
  order: Int32Array,
  outlets: Map<number, number>,
  width: number,
  height: number,
): Int32Array {
  const label = new Int32Array(width * height).fill(-1);
  for (let k = order.length - 1; k >= 0; k--) {
    const i = order[k]!;
    const own = outlets.get(i);
    if (own !== undefined) label[i] = own;
    else {
      const t = receiver(direction, i, width, height);
      if (t >= 0) label[i] = label[t]!;
    }
  }
  return label;
}

export const watersheds = defineMethod({
  id: 'terrain.watersheds',
  version: 1,
  title: 'Watersheds',
  question: 'What drains to here?',
  about:
    'All land whose water passes an outlet (D8). Outlet points are moved to the cell of greatest accumulation within the snap distance; a watershed within another is part of it as well, so that each area equals the accumulation at its outlet; how far it was moved is said, and stands in the column "moved" in m. Without points, one sub-watershed for each link of the stream network: these do not overlap. Areas are sums of cell areas.',
  keywords: ['catchment', 'basin', 'drainage basin', 'outlet', 'pour point', 'gauge'],
  sources: [
    'O’Callaghan and Mark 1984, doi:10.1016/S0734-189X(84)80011-0',
    'Barnes, Lehman and Mulla 2014, doi:10.1016/j.cageo.2013.04.024',
  ],
  inputs: {
    elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length' }),
    outlets: input.features({ label: 'Outlets', geometry: 'point', least: 0 }),
  },
  params: z.object({
    snap: quantity('length', {
      label: 'Snap distance',
      unit: 'm',
      min: 0,
      help: 'Outlets move to the largest stream within it.',
      when: { outlets: 'points' },
    }),
    outlets: choice({ points: 'the points', links: 'each stream link' }, { label: 'One for' }).default('points'),
    threshold: quantity('area', {
      label: 'Stream threshold',
      unit: 'm2',
      above: 0,
      help: 'For stream links only.',
      widget: 'threshold',
      when: { outlets: 'links' },
    }),
  }),
  preview: { kind: 'streams', input: 'elevation', param: 'threshold', when: { outlets: 'links' } },
  outputs: {
    watersheds: shown(output.features('Watersheds', undefined, { geometry: 'polygon' }), {
      features: { colour: '#7a4f9a' },
    }),
  },
  figures: {
    watersheds: { label: 'Watersheds' },
    movedOutlets: { label: 'Outlets moved' },
    area: { label: 'Area covered', unit: 'm2' },
  },
  checks: (inputs, p): Check[] => {
    if (p.outlets === 'points' && !inputs.outlets) {
      return [
        {
          level: 'refused',
          code: 'outlets.none',
          about: 'outlets',
          message: 'Give outlet points, or ask for one watershed for each stream link.',
          mend: { label: 'One for each stream link', set: { outlets: 'links' } },
        },
      ];
    }
    return [...waterChecks(inputs), ...(p.outlets === 'links' ? thresholdChecks(inputs.elevation, p.threshold) : [])];
  },
  suggest: ({ elevation }) => {
    const size = Math.max(...cellMetres(elevation.grid, elevation.grid.rows >> 1));
    return {
      snap: { value: `${Number((size * 5).toPrecision(3))} m`, reason: 'five cells' },
      threshold: suggestThreshold(elevation),
    };
  },
  estimate: ({ elevation }) => ({
    cells: cellCount(elevation.grid),
    bytes: cellCount(elevation.grid) * 30,
    seconds: cellCount(elevation.grid) / 2e6,
  }),
  run: ({ elevation, outlets }, p, job) => {
    const { grid } = elevation;
    const w = waterOf(elevation, job);
    job.progress(0.35, 'accumulation');
    const area = accumulateD8(w.direction, w.width, w.height, (row) => cellArea(grid, row));
    const order = downstreamOrder(w.direction, w.width, w.height);
    const at: number[] = [];
    const source: number[] = [];
    let movedOutlets = 0;
    /** How far each outlet was moved, m, and what it was moved from and to, in columns and rows. */
    const moved: number[] = [];
    const moves: { outlet: number; metres: number; side: string; place: number[] }[] = [];
    const byLinks = p.outlets === 'links';
    if (byLinks) {
      const links = streamLinks(w.direction, (i) => area[i]! >= p.threshold, w.width, w.height);
      for (const c of links.cells) {
        at.push(c[c.length - 1]!);
        source.push(source.length + 1);
      }
      if (!at.length)
        throw new HelkError(
          'method.parameter',
          'threshold: no cell has that much land above it; take a smaller one.',
          'threshold',
        );
    } else {
      const points = featuresIn(outlets!, grid.crs);
      let outside = 0;
      for (let f = 0; f < featureCount(points); f++) {
        for (let part = points.featureOffsets[f]!; part < points.featureOffsets[f + 1]!; part++) {
          const c = points.ringOffsets[points.partOffsets[part]!]!;
          const column = Math.floor((points.xy[2 * c]! - grid.x) / grid.dx);
          const row = Math.floor((grid.y - points.xy[2 * c + 1]!) / grid.dy);
          const cell = snapped(
            area,
            w.width,
            w.height,
            column,
            row,
            p.snap,
            cellMetres(grid, Math.min(grid.rows - 1, Math.max(0, row))),
          );
          if (cell < 0) {
            outside++;
            continue;
          }
          const [cw, ch] = cellMetres(grid, row);
          const [east, south] = [((cell % w.width) - column) * cw, (Math.floor(cell / w.width) - row) * ch];
          const metres = Math.hypot(east, south);
          if (cell !== row * w.width + column) {
            movedOutlets++;
            const side = sideOf((Math.atan2(east, -south) * 180) / Math.PI);
            moves.push({ outlet: f + 1, metres, side, place: centre(grid, cell) });
          }
          moved.push(metres);
          at.push(cell);
          source.push(f + 1);
        }
      }
      if (outside)
        job.note(
          'look',
          'outlets.outside',
          `${outside} ${outside === 1 ? 'outlet lies' : 'outlets lie'} where there are no elevations and ${outside === 1 ? 'was' : 'were'} left out.`,
        );
      if (!at.length) throw new HelkError('method.input', 'No outlet lies on the grid.', 'outlets');
      if (moves.length) job.note('info', 'outlets.moved', movedWords(moves, at.length, grid.crs?.geographic ?? false));
    }
    job.progress(0.6, 'watersheds');
    const unique = new Map<number, number>();
    at.forEach((c) => unique.set(c, unique.get(c) ?? unique.size));
    const label = labelUpstream(w.direction, order, unique, w.width, w.height);
    const members: number[][] = Array.from({ length: unique.size }, () => []);
    let covered = 0;
    for (let i = 0; i < label.length; i++) {
      if (label[i]! < 0) continue;
      members[label[i]!]!.push(i);
      covered += cellArea(grid, (i / w.width) | 0);
    }
    // The outlet next downstream of each: nested watersheds are put together from the innermost outwards.
    const cellsAt = [...unique.keys()];
    const parent = cellsAt.map((c) => {
      const t = receiver(w.direction, c, w.width, w.height);
      return t >= 0 ? label[t]! : -1;
    });
    const b = new FeaturesBuilder();
    const areas: number[] = [];
    at.forEach((c, k) => {
      job.progress(0.7 + (0.3 * k) / at.length, 'outlines');
      const own = unique.get(c)!;
      const all: number[] = [];
      const take = byLinks ? [own] : withNested(own, parent);
      for (const m of take) for (const i of members[m]!) all.push(i);
      const cells = Int32Array.from(all).sort();
      for (const ring of polygons(cellOutlines(cells, w.width))) {
        for (const r of ring) {
          for (let i = 0; i < r.length; i += 2) b.coordinate(grid.x + r[i]! * grid.dx, grid.y - r[i + 1]! * grid.dy);
          b.endRing();
        }
        b.endPart();
      }
      b.endFeature();
      areas.push(cells.reduce((s, i) => s + cellArea(grid, (i / w.width) | 0), 0));
    });
    return {
      watersheds: b.build('polygon', grid.crs, [
        numberColumn('outlet', source, ''),
        numberColumn('area', areas, 'm2'),
        ...(byLinks ? [] : [numberColumn('moved', moved, 'm')]),
      ]),
      figures: {
        watersheds: at.length,
        movedOutlets,
        area: covered,
      },
    };
  },
});

/** How far outlets were moved, and to where: one by one where they are few, the farthest else. */
function movedWords(
  moves: readonly { outlet: number; metres: number; side: string; place: number[] }[],
  count: number,
  degrees: boolean,
): string {
  const told = ({ outlet, metres, side, place }: (typeof moves)[number]): string =>
    `outlet ${outlet} by ${formatLength(metres)} to the ${side}, to ${place.map((v) => v.toFixed(degrees ? 6 : 1)).join(', ')}`;
  const few = moves.length <= 5;
  const shown = few ? moves : [moves.reduce((a, b) => (b.metres > a.metres ? b : a))];
  const words = shown.map(told).join('; ');
  return few
    ? `Moved to the stream: ${words}.`
    : `${moves.length} of ${count} outlets were moved to the stream, the farthest: ${words}. How far each was moved stands in the column "moved".`;
}

/** The cell of greatest accumulation within a distance of a place; the cell itself when the distance is 0; -1 when none. */
function snapped(
  area: Float64Array,
  width: number,
  height: number,
  column: number,
  row: number,
  distance: number,
  [cw, ch]: [number, number],
): number {
  let best = -1;
  let most = -Infinity;
  const rx = Math.floor(distance / cw);
  const ry = Math.floor(distance / ch);
  for (let y = Math.max(0, row - ry); y <= Math.min(height - 1, row + ry); y++) {
    for (let x = Math.max(0, column - rx); x <= Math.min(width - 1, column + rx); x++) {
      if (Math.hypot((x - column) * cw, (y - row) * ch) > distance + 1e-9) continue;
      const a = area[y * width + x]!;
      if (a > most) {
        most = a;
        best = y * width + x;
      }
    }
  }
  return best;
}

/** A watershed and all within it. */
function withNested(own: number, parent: number[]): number[] {
  const out = [own];
  for (let k = 0; k < out.length; k++) parent.forEach((p, i) => p === out[k] && out.push(i));
  return out;
}

/** Rings sorted into polygons: each counter-clockwise ring with the clockwise ones that lie in it. */
function polygons(rings: Int32Array[]): Int32Array[][] {
  const signed = rings.map((r) => {
    let a = 0;
    for (let i = 0; i + 3 < r.length; i += 2) a += r[i]! * r[i + 3]! - r[i + 2]! * r[i + 1]!;
    return { r, a };
  });
  // Rows run down the page, so outer rings have a negative area.
  const outer = signed.filter((s) => s.a < 0).map((s) => [s.r]);
  for (const { r, a } of signed) {
    if (a < 0) continue;
    const home =
      outer.length === 1
        ? outer[0]!
        : (outer.find((o) => holds(o[0]!, r[0]! + 0.5 * Math.sign(r[2]! - r[0]! || 1), r[1]!)) ?? outer[0]);
    home?.push(r);
  }
  return outer;
}

function holds(ring: Int32Array, x: number, y: number): boolean {
  let inside = false;
  const py = y + 0.25;
  for (let i = 0; i + 3 < ring.length; i += 2) {
    const [x0, y0, x1, y1] = [ring[i]!, ring[i + 1]!, ring[i + 2]!, ring[i + 3]!];
    if (y0 > py !== y1 > py && x < x0 + ((py - y0) / (y1 - y0)) * (x1 - x0)) inside = !inside;
  }
  return inside;
}
