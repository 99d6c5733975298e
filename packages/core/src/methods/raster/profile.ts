import * as z from 'zod';
import { HelkError } from '../../errors';
import { metresPerUnit } from '../../data/crs';
import { featureCount } from '../../data/features';
import { unitFactor } from '../../data/quantity';
import { cellMetres, firstBand, metresPerDegree } from '../../data/raster';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { quantity } from '../../method/params';
import { valuesAt } from './sample';
import type { Check } from '../../data/check';

const MOST_POINTS = 2_000_000;

export const profile = defineMethod({
  id: 'raster.profile',
  version: 1,
  title: 'Profile',
  question: 'How do the values run along a line?',
  about:
    'Values of one or several grids along the first line, at equal steps and at its end: distance along the line, coordinates in the line’s system, one column for each grid (bilinear for measures, the nearest cell for classes). Climb and descent add up the rises and falls of the first grid, steepest is its greatest gradient between neighbouring points in degrees.',
  keywords: ['cross section', 'transect', 'elevation profile', 'trail', 'route', 'climb'],
  sources: ['common practice, no source'],
  inputs: { rasters: input.rasters({ label: 'Grids' }), line: input.features({ label: 'Line', geometry: 'line' }) },
  params: z.object({ step: quantity('length', { label: 'Step', unit: 'm', above: 0 }) }),
  outputs: { profile: shown(output.table('Profile'), { panel: { id: 'profile' } }) },
  figures: {
    length: { label: 'Length', unit: 'm' },
    min: { label: 'Lowest', unit: 'band' },
    max: { label: 'Highest', unit: 'band' },
    climb: { label: 'Climb', unit: 'band' },
    descent: { label: 'Descent', unit: 'band' },
    steepest: { label: 'Steepest', unit: '°' },
  },
  checks: ({ line }): Check[] =>
    line.count > 1
      ? [
          {
            level: 'look',
            code: 'profile.first',
            about: 'line',
            message: `There are ${line.count} lines; the profile follows the first.`,
          },
        ]
      : [],
  suggest: ({ rasters }) => {
    const g = rasters[0]?.grid;
    if (!g) return {};
    const half = Math.min(...cellMetres(g, g.rows >> 1)) / 2;
    return { step: { value: `${Number(half.toPrecision(3))} m`, reason: 'half a cell' } };
  },
  // How long the line is, is known when it is read: three times across is much for one.
  estimate: ({ rasters, line }, p) => {
    const [w, so, e, n] = line.extent ?? [0, 0, 0, 0];
    const across =
      Math.hypot(e - w, n - so) * (line.crs?.geographic ? 111_000 : line.crs ? metresPerUnit(line.crs) : 1);
    const places = Math.min(MOST_POINTS, Math.ceil((3 * across) / p.step) + 1000);
    return { cells: places, bytes: places * (5 + rasters.length) * 24, seconds: places / 1e6 };
  },
  run: ({ rasters, line }, p, job) => {
    const crs = line.crs ?? rasters[0]!.grid.crs;
    if (featureCount(line) === 0 || line.ringOffsets.length < 2)
      throw new HelkError('method.input', 'There is no line to follow.', 'line');
    const s = line.ringOffsets[line.partOffsets[line.featureOffsets[0]!]!]!;
    const e = line.ringOffsets[line.partOffsets[line.featureOffsets[0]!]! + 1]!;
    const leg = (i: number): number => {
      const dx = line.xy[2 * i + 2]! - line.xy[2 * i]!;
      const dy = line.xy[2 * i + 3]! - line.xy[2 * i + 1]!;
      if (!crs?.geographic) return Math.hypot(dx, dy) * (crs ? metresPerUnit(crs) : 1);
      const [mx, my] = metresPerDegree((line.xy[2 * i + 1]! + line.xy[2 * i + 3]!) / 2);
      return Math.hypot(dx * mx, dy * my);
    };
    let length = 0;
    for (let i = s; i < e - 1; i++) length += leg(i);
    if (length / p.step > MOST_POINTS)
      throw new HelkError(
        'method.parameter',
        `step: ${Math.round(length / p.step)} points are more than ${MOST_POINTS}; take a larger step.`,
        'step',
      );
    const distance: number[] = [];
    const xs: number[] = [];
    const ys: number[] = [];
    let before = 0;
    let want = 0;
    for (let i = s; i < e - 1; i++) {
      const l = leg(i);
      for (; want <= before + l + 1e-9 && l > 0; want = distance.length * p.step) {
        const t = Math.min(1, (want - before) / l);
        distance.push(want);
        xs.push(line.xy[2 * i]! + t * (line.xy[2 * i + 2]! - line.xy[2 * i]!));
        ys.push(line.xy[2 * i + 1]! + t * (line.xy[2 * i + 3]! - line.xy[2 * i + 1]!));
      }
      before += l;
    }
    if (length - distance[distance.length - 1]! > 1e-6 * p.step) {
      distance.push(length);
      xs.push(line.xy[2 * e - 2]!);
      ys.push(line.xy[2 * e - 1]!);
    }
    const n = distance.length;
    const names = new Set(['distance', 'x', 'y']);
    const columns = rasters.map((r, k) => {
      job.progress(k / rasters.length, 'reading values');
      const band = firstBand(r);
      const { values } = valuesAt(band, r.grid, { crs, x: xs, y: ys }, 'bilinear');
      let name = band.name;
      for (let m = 2; names.has(name); m++) name = `${band.name} ${m}`;
      names.add(name);
      return numberColumn(name, values, band.unit);
    });
    const z = columns[0]!.values as Float64Array;
    const metres = unitFactor(firstBand(rasters[0]!).unit) ?? 1;
    let [min, max, climb, descent, steepest] = [Infinity, -Infinity, 0, 0, 0];
    for (let i = 0; i < n; i++) {
      if (z[i]! !== z[i]!) continue;
      min = Math.min(min, z[i]!);
      max = Math.max(max, z[i]!);
      const rise = i ? z[i]! - z[i - 1]! : NaN;
      if (rise !== rise) continue;
      if (rise > 0) climb += rise;
      else descent -= rise;
      const run = distance[i]! - distance[i - 1]!;
      if (run > 0.1 * p.step)
        steepest = Math.max(steepest, (Math.atan((Math.abs(rise) * metres) / run) * 180) / Math.PI);
    }
    if (min > max)
      throw new HelkError('method.input', 'The line does not cross the first grid where it has values.', 'line');
    return {
      profile: {
        kind: 'table',
        columns: [
          numberColumn('distance', distance, 'm'),
          numberColumn('x', xs, crs?.unit ?? null),
          numberColumn('y', ys, crs?.unit ?? null),
          ...columns,
        ],
      },
      figures: { length, min, max, climb, descent, steepest },
    };
  },
});
