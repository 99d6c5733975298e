import * as z from 'zod';
import { plural } from '../../data/check';
import { BUILDING, classesOf, metresOfHeight, metresOfPlace } from '../../data/cloud';
import { cloudInfo } from '../../data/cloud-facts';
import { FeaturesBuilder } from '../../data/features';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { flag, quantity } from '../../method/params';
import { cellAt, cellNet } from '../../numeric/cell-net';
import {
  closedMask,
  fittedWalls,
  outlineArea,
  wallDirection,
  withoutSteps,
  type Outline,
} from '../../numeric/footprint';
import { patchesOf } from '../../numeric/patches';
import { polygonise } from '../../numeric/polygonise';
import { aboveChecks, GroundSurface, inMetres, placeChecks, pointsEstimate, spacingMetres } from './common';

/** Steps of a wall shorter than this are the grid's, not the building's, m; or so many spacings where that is more. */
const SHORTEST_STEP = 1.5;
const STEP_SPACINGS = 4;

export const buildings = defineMethod({
  id: 'cloud.buildings',
  version: 1,
  title: 'Buildings',
  question: 'Where are the buildings, how tall?',
  about:
    'Building points (class 6) that hang together become a footprint each: an outline of right angles along the walls where that fits, moved to where the points end; else the outline of the points. Heights are above the ground at the building: height is the 95th percentile of the roof, ridge its highest point, eaves the 5th percentile; ground is the elevation there.',
  keywords: ['building', 'footprint', 'roof', 'house', 'extrude', 'city model', 'rectangle'],
  sources: [
    'Zhang, Xu and Dolan 2017, doi:10.1109/IVS.2017.7995698 (direction of walls)',
    'common practice, no source (right angles)',
  ],
  inputs: { cloud: input.cloud({}) },
  params: z.object({
    minArea: quantity('area', { label: 'Smallest building', unit: 'm2', min: 0 }).default(20),
    minHeight: quantity('length', { label: 'Smallest height', unit: 'm', min: 0 }).default(2),
    rectify: flag({ label: 'Right angles where they fit' }).default(true),
  }),
  outputs: {
    buildings: shown(output.features('Buildings', 'buildings', { geometry: 'polygon' }), {
      features: { fill: 0.5, colour: '#7b3f63' },
    }),
  },
  figures: { buildings: { label: 'Buildings' }, area: { label: 'Built area', unit: 'm2' } },
  preview: { kind: 'window', input: 'cloud' },
  checks: ({ cloud }) => [...placeChecks(cloud), ...aboveChecks(cloud, 'buildings')],
  estimate: ({ cloud }) => pointsEstimate(cloud, 135, 1e6),
  run: ({ cloud }, p, job) => {
    const at = inMetres(cloud);
    const classes = classesOf(cloud);
    const metres = metresOfPlace(cloud.crs);
    const unit = metresOfHeight(cloud.heightUnit);
    const spacing = spacingMetres(cloudInfo(cloud)) || 1;
    const ground = new GroundSurface(at, classes);
    job.progress(0.3, 'parts of buildings');
    const net = cellNet(at.x, at.y, 2 * spacing);
    const mask = new Uint8Array(net.columns * net.rows);
    for (let i = 0; i < classes.length; i++) if (classes[i] === BUILDING) mask[cellAt(net, at.x[i]!, at.y[i]!)] = 1;
    const patches = patchesOf(Int32Array.from(mask), net.columns, 0, 4);
    const inPart = new Map<number, number[]>();
    for (let i = 0; i < classes.length; i++) {
      if (classes[i] !== BUILDING) continue;
      const k = patches.of[cellAt(net, at.x[i]!, at.y[i]!)]!;
      const list = inPart.get(k);
      if (list) list.push(i);
      else inPart.set(k, [i]);
    }
    const found: {
      outline: Outline;
      height: number;
      ridge: number;
      eaves: number;
      ground: number;
      area: number;
      points: number;
      right: boolean;
    }[] = [];
    let done = 0;
    for (const rows of inPart.values()) {
      job.progress(0.3 + (0.7 * done++) / inPart.size, 'footprints');
      // Too few for the smallest building, however they lie.
      if (rows.length * spacing * spacing < 0.3 * p.minArea || rows.length < 4) continue;
      const places = rows.map((i): [number, number] => [at.x[i]!, at.y[i]!]);
      const { outline, right } = footprint(places, spacing, p.rectify);
      const area = Math.abs(outlineArea(outline));
      if (outline.length < 3 || area < p.minArea) continue;
      const floor = groundAround(outline, ground);
      const roof = roofPoints(rows, at, spacing)
        .map((i) => at.z[i]! - floor)
        .sort((a, b) => a - b);
      const part = (share: number): number => roof[Math.round(share * (roof.length - 1))]!;
      if (!(part(0.95) >= p.minHeight)) continue;
      found.push({
        outline: outlineArea(outline) > 0 ? outline : [...outline].reverse(),
        height: part(0.95),
        ridge: part(1),
        eaves: part(0.05),
        ground: floor / unit,
        area,
        points: rows.length,
        right,
      });
    }
    const odd = found.filter((f) => !f.right).length;
    if (p.rectify && odd)
      job.note(
        'info',
        'buildings.angles',
        `${plural(odd, 'building')} did not fit right angles; the outline of the points is given.`,
      );
    const b = new FeaturesBuilder();
    for (const { outline } of found) {
      for (const [x, y] of [...outline, outline[0]!]) b.coordinate(x / metres, y / metres);
      b.endRing();
      b.endPart();
      b.endFeature();
    }
    const of = (k: 'height' | 'ridge' | 'eaves' | 'ground' | 'area' | 'points', u: string | null) =>
      numberColumn(
        k,
        found.map((f) => f[k]),
        u,
      );
    return {
      buildings: b.build('polygon', cloud.crs, [
        of('height', 'm'),
        of('ridge', 'm'),
        of('eaves', 'm'),
        of('ground', cloud.heightUnit),
        of('area', 'm2'),
        of('points', null),
      ]),
      figures: { buildings: found.length, area: found.reduce((s, f) => s + f.area, 0) },
    };
  },
});

/** Mean elevation of the ground below an outline's walls. */
function groundAround(outline: Outline, ground: GroundSurface): number {
  let [sum, n] = [0, 0];
  outline.forEach(([x, y], i) => {
    const [u, v] = outline[(i + 1) % outline.length]!;
    for (const [px, py] of [
      [x, y],
      [(x + u) / 2, (y + v) / 2],
    ]) {
      sum += ground.at(px!, py!);
      n++;
    }
  });
  return sum / n;
}

/** Points of the roof: those not far below the highest near them; walls are none. */
function roofPoints(
  rows: readonly number[],
  at: { x: Float64Array; y: Float64Array; z: Float64Array },
  spacing: number,
): number[] {
  const size = 3 * spacing;
  const top = new Map<string, number>();
  const key = (i: number): string => `${Math.floor(at.x[i]! / size)} ${Math.floor(at.y[i]! / size)}`;
  for (const i of rows) top.set(key(i), Math.max(top.get(key(i)) ?? -Infinity, at.z[i]!));
  return rows.filter((i) => at.z[i]! > top.get(key(i))! - Math.max(1, size));
}

/** The outline of points: along the walls where right angles fit, else as the cells lie. */
function footprint(
  places: [number, number][],
  spacing: number,
  rectify: boolean,
): { outline: Outline; right: boolean } {
  const size = 1.5 * spacing;
  const direction = wallDirection(rimOf(places, spacing));
  const [c, s] = rectify ? [Math.cos(direction), Math.sin(direction)] : [1, 0];
  const turned = places.map(([x, y]): [number, number] => [x * c + y * s, y * c - x * s]);
  const cells = outlineOfCells(turned, size);
  const back = (o: Outline): Outline => o.map(([u, v]) => [u * c - v * s, u * s + v * c]);
  if (!rectify) return { outline: back(cells), right: false };
  const step = Math.max(SHORTEST_STEP, STEP_SPACINGS * spacing);
  const fitted = fittedWalls(withoutSteps(cells, step), turned, 2 * size, 3 * spacing);
  const kept = Math.abs(outlineArea(fitted)) / Math.abs(outlineArea(cells));
  // Round or slanted walls become many steps, and what right angles make of them is another building.
  const right = fitted.length >= 4 && fitted.length <= 24 && kept > 0.7 && kept < 1.2;
  return { outline: back(right ? fitted : cells), right };
}

/** The largest outline of the cells that points lie in, closed over small gaps, along the axes. */
function outlineOfCells(points: readonly [number, number][], size: number): Outline {
  const xs = Float64Array.from(points, (q) => q[0]);
  const ys = Float64Array.from(points, (q) => q[1]);
  const net = cellNet(xs, ys, size);
  // Room around, so that closing has a rim.
  const pad = 3;
  const columns = net.columns + 2 * pad;
  const rows = net.rows + 2 * pad;
  const mask = new Uint8Array(columns * rows);
  for (let i = 0; i < xs.length; i++) {
    const k = cellAt(net, xs[i]!, ys[i]!);
    mask[(((k / net.columns) | 0) + pad) * columns + (k % net.columns) + pad] = 1;
  }
  const closed = closedMask(mask, columns, rows, 2);
  const largest = polygonise(Int32Array.from(closed), columns, rows, 0, 4).sort((a, b) => b.cells - a.cells)[0]!;
  const ring = largest.parts[0]![0]!;
  const out: Outline = [];
  for (let i = 0; i + 2 < ring.length; i += 2)
    out.push([net.x0 + (ring[i]! - pad) * size, net.y0 + (ring[i + 1]! - pad) * size]);
  return out;
}

/** The points at the rim: first and last of each strip, both ways. */
function rimOf(places: readonly [number, number][], spacing: number): [number, number][] {
  const rim = new Set<[number, number]>();
  for (const axis of [0, 1] as const) {
    const ends = new Map<number, { low: [number, number]; high: [number, number] }>();
    const across = (1 - axis) as 0 | 1;
    for (const q of places) {
      const k = Math.floor(q[axis] / (1.5 * spacing));
      const e = ends.get(k);
      if (!e) ends.set(k, { low: q, high: q });
      else if (q[across] < e.low[across]) e.low = q;
      else if (q[across] > e.high[across]) e.high = q;
    }
    for (const { low, high } of ends.values()) {
      rim.add(low);
      rim.add(high);
    }
  }
  return [...rim];
}
