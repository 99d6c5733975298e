import * as z from 'zod';
import { BUILDING, GROUND, isNoise, pointCount, withClasses } from '../../data/cloud';
import { cloudInfo } from '../../data/cloud-facts';
import { defineMethod, input, output } from '../../method/define';
import { quantity } from '../../method/params';
import { cellAt, cellNet, type CellNet } from '../../numeric/cell-net';
import { closedMask } from '../../numeric/footprint';
import type { Metric } from '../../numeric/ground';
import { aboveGround, groundChecks, inMetres, ownClasses, placeChecks, pointsEstimate, spacingMetres } from './common';
import { overPoints, roughness } from './neighbourhood';

/** Neighbours that a surface is fitted to, and spacings within which they are looked for. */
const NEIGHBOURS = 12;
const REACH = 5;
/** Water keeps its class: it is no ground and nothing stands there. */
const WATER = 9;

export const classifyAbove = defineMethod({
  id: 'cloud.classifyAbove',
  version: 1,
  title: 'What stands on the ground',
  question: 'What stands on the ground: plants or buildings?',
  about:
    'Needs ground points. Points higher than medium vegetation begins, on surfaces as even as a roof is, that together cover the smallest building, become building (6), with walls below them; all others become low, medium or high vegetation (3, 4, 5) by their height above the ground, and unassigned (1) below that, as do points with hardly another near them. Ground, water and noise stay.',
  keywords: ['vegetation', 'building', 'classify', 'roofs', 'trees', 'lidar classes'],
  sources: [
    'Pauly, Gross and Kobbelt 2002, doi:10.1109/VISUAL.2002.1183771 (evenness by the least eigenvalue)',
    'common practice, no source (limits of heights)',
  ],
  inputs: { cloud: input.cloud({}) },
  params: z.object({
    low: quantity('length', { label: 'Low vegetation from', unit: 'm', min: 0 }).default(0.5),
    medium: quantity('length', { label: 'Medium vegetation from', unit: 'm', above: 0 }).default(2),
    high: quantity('length', { label: 'High vegetation from', unit: 'm', above: 0 }).default(5),
    minBuilding: quantity('area', { label: 'Smallest building', unit: 'm2', above: 0 }).default(10),
    flatness: quantity('length', {
      label: 'Evenness of a roof',
      unit: 'm',
      above: 0,
      help: 'How far, in the mean of squares, points of a roof may lie off the plane through those near them.',
    }).default(0.1),
  }),
  outputs: { classified: output.cloud('Classified', 'classified') },
  figures: {
    vegetation: { label: 'Vegetation points' },
    building: { label: 'Building points' },
    other: { label: 'Other points' },
  },
  preview: { kind: 'window', input: 'cloud' },
  checks: ({ cloud }, p) => [
    ...placeChecks(cloud),
    ...groundChecks(cloud),
    ...(p.low > p.medium || p.medium > p.high
      ? [
          {
            level: 'refused' as const,
            code: 'above.order',
            about: 'medium',
            message: `Low, medium and high must rise: ${p.low}, ${p.medium}, ${p.high} m.`,
          },
        ]
      : []),
    ...(cloud.spacing !== null && !cloud.crs?.geographic && p.minBuilding < 8 * spacingMetres(cloud) ** 2
      ? [
          {
            level: 'look' as const,
            code: 'above.sparse',
            about: 'minBuilding',
            message: `A building of ${p.minBuilding} m² has fewer than 8 points at this spacing; a tree can be as even by chance.`,
          },
        ]
      : []),
  ],
  estimate: ({ cloud }) => pointsEstimate(cloud, 165, 2.5e5),
  run: async ({ cloud }, p, job) => {
    const at = inMetres(cloud);
    const n = pointCount(cloud);
    const classes = ownClasses(cloud);
    const spacing = spacingMetres(cloudInfo(cloud)) || 1;
    const above = aboveGround(at, classes, job, (s) => 0.25 * s);
    // Only what stands on the ground is looked at: a wall's foot would roughen the ground and the other way round.
    const rows: number[] = [];
    for (let i = 0; i < n; i++)
      if (classes[i] !== GROUND && classes[i] !== WATER && !isNoise(classes[i]!) && above[i]! >= p.low) rows.push(i);
    const some: Metric = {
      x: Float64Array.from(rows, (i) => at.x[i]!),
      y: Float64Array.from(rows, (i) => at.y[i]!),
      z: Float64Array.from(rows, (i) => at.z[i]!),
    };
    const rough = rows.length
      ? await overPoints(
          job,
          'evenness of surfaces',
          roughness,
          some,
          spacing,
          NEIGHBOURS,
          REACH * spacing,
          (s) => 0.25 + 0.6 * s,
        )
      : new Float32Array(0);
    const built = builtPoints(
      some,
      rough,
      Float32Array.from(rows, (i) => above[i]!),
      spacing,
      p,
    );
    let [vegetation, building] = [0, 0];
    for (let i = 0; i < n; i++)
      if (classes[i] !== GROUND && classes[i] !== WATER && !isNoise(classes[i]!)) classes[i] = 1;
    rows.forEach((i, k) => {
      const h = above[i]!;
      // Alone in the air: nothing that stands on the ground.
      if (rough[k] !== rough[k]) return;
      if (built[k]) {
        classes[i] = BUILDING;
        building++;
      } else {
        classes[i] = h < p.medium ? 3 : h < p.high ? 4 : 5;
        vegetation++;
      }
    });
    return {
      classified: withClasses(cloud, classes),
      figures: { vegetation, building, other: n - vegetation - building },
    };
  },
});

interface Limits {
  medium: number;
  minBuilding: number;
  flatness: number;
}

/**
 * Points of buildings: those in areas where most points are even, closed over ridges, large enough; and walls at their edges.
 *
 * @param above heights above the ground, m
 */
function builtPoints(p: Metric, rough: Float32Array, above: Float32Array, spacing: number, limits: Limits): Uint8Array {
  const out = new Uint8Array(p.x.length);
  if (!out.length) return out;
  const net = cellNet(p.x, p.y, 2 * spacing);
  const { columns, rows } = net;
  const even = new Uint16Array(columns * rows);
  const all = new Uint16Array(columns * rows);
  for (let i = 0; i < out.length; i++) {
    if (above[i]! < limits.medium) continue;
    const c = cellAt(net, p.x[i]!, p.y[i]!);
    all[c]!++;
    if (rough[i]! <= limits.flatness) even[c]!++;
  }
  const mask = new Uint8Array(columns * rows);
  for (let c = 0; c < mask.length; c++) mask[c] = all[c]! > 0 && even[c]! * 2 > all[c]! ? 1 : 0;
  const closed = closedMask(opened(mask, columns, rows), columns, rows, 1);
  const kept = largeParts(closed, net, limits.minBuilding);
  const roof = roofHeights(p, rough, above, kept, net, limits);
  for (let i = 0; i < out.length; i++) {
    const c = cellAt(net, p.x[i]!, p.y[i]!);
    const own = highestAround(roof, kept, columns, rows, c);
    if (own !== own) continue;
    const inside = kept[c] === 1;
    const over = p.z[i]! - own;
    // On the roof, or at its edge below it; leaves above a roof are none of it.
    if (inside ? over <= 0.6 : over <= 0.3 && (rough[i]! <= limits.flatness || above[i]! < limits.medium + 2))
      out[i] = 1;
  }
  return out;
}

/** Without what is thinner than two cells, by turns narrowed and widened again within itself. */
function opened(mask: Uint8Array, columns: number, rows: number): Uint8Array {
  const kept = new Uint8Array(mask.length);
  for (let y = 0; y + 1 < rows; y++)
    for (let x = 0; x + 1 < columns; x++) {
      const c = y * columns + x;
      if (mask[c] && mask[c + 1] && mask[c + columns] && mask[c + columns + 1])
        kept[c] = kept[c + 1] = kept[c + columns] = kept[c + columns + 1] = 1;
    }
  return kept;
}

/** Parts of a mask, joined over edges, that are at least so large, m². */
function largeParts(mask: Uint8Array, { columns, rows, size }: CellNet, least: number): Uint8Array {
  const out = new Uint8Array(mask.length);
  const seen = new Uint8Array(mask.length);
  for (let start = 0; start < mask.length; start++) {
    if (!mask[start] || seen[start]) continue;
    const part = [start];
    seen[start] = 1;
    for (const c of part) {
      const [x, y] = [c % columns, (c / columns) | 0];
      for (const j of [
        x > 0 ? c - 1 : -1,
        x + 1 < columns ? c + 1 : -1,
        y > 0 ? c - columns : -1,
        y + 1 < rows ? c + columns : -1,
      ])
        if (j >= 0 && mask[j] && !seen[j]) {
          seen[j] = 1;
          part.push(j);
        }
    }
    if (part.length * size * size >= least) for (const c of part) out[c] = 1;
  }
  return out;
}

/** Of each cell the mean height of its even points; of cells of a roof without any, that of those around. */
function roofHeights(
  p: Metric,
  rough: Float32Array,
  above: Float32Array,
  kept: Uint8Array,
  net: CellNet,
  limits: Limits,
): Float64Array {
  const sum = new Float64Array(kept.length);
  const count = new Uint32Array(kept.length);
  for (let i = 0; i < p.x.length; i++) {
    const c = cellAt(net, p.x[i]!, p.y[i]!);
    if (!kept[c] || above[i]! < limits.medium || !(rough[i]! <= 2 * limits.flatness)) continue;
    sum[c]! += p.z[i]!;
    count[c]!++;
  }
  return sum.map((s, c) => (count[c] ? s / count[c] : NaN));
}

/** The highest of a cell's roof and those beside it; NaN where there is none. */
function highestAround(roof: Float64Array, kept: Uint8Array, columns: number, rows: number, c: number): number {
  const [x, y] = [c % columns, (c / columns) | 0];
  let best = NaN;
  for (let v = Math.max(0, y - 1); v <= Math.min(rows - 1, y + 1); v++)
    for (let u = Math.max(0, x - 1); u <= Math.min(columns - 1, x + 1); u++) {
      const j = v * columns + u;
      if (!kept[j]) continue;
      const z = roof[j]!;
      if (z === z && !(z <= best)) best = z;
    }
  return best;
}
