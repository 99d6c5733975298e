import * as z from 'zod';
import { plural } from '../../data/check';
import { GROUND, LOW_NOISE, metresOfPlace, pointCount, withClasses } from '../../data/cloud';
import { defineMethod, input, output } from '../../method/define';
import { cellSize, choice, number, quantity } from '../../method/params';
import { cellNet } from '../../numeric/cell-net';
import { grownTin } from '../../numeric/ground-tin';
import { clothSurface, dropIslands, lowestSurface, nearSurface, openedSurface, skipTooLow } from '../../numeric/ground';
import { cellOf, inMetres, noiseMask, ownClasses, placeChecks, pointsEstimate, suggestCell } from './common';

export const classifyGround = defineMethod({
  id: 'cloud.classifyGround',
  version: 1,
  title: 'Ground points',
  question: 'Which points are ground?',
  about:
    'Looks for the surface of the bare ground and gives class 2 to every point no further from it than the threshold; points that were ground and are not become unassigned (1), other classes stay. Three ways: a cloth dropped onto the points turned upside down, opening by windows that grow, or a surface of triangles that grows from the lowest points. Patches that stand like a step above the ground around them, smaller than the largest window, are roofs and are taken back. Single points far below all around them are marked as low noise (7) first and take no part; so does what is noise already.',
  keywords: [
    'ground',
    'bare earth',
    'filter',
    'dtm',
    'terrain',
    'cloth simulation',
    'classify',
    'csf',
    'morphological filter',
  ],
  sources: [
    'Zhang et al. 2016, doi:10.3390/rs8060501 (cloth)',
    'Zhang et al. 2003, doi:10.1109/TGRS.2003.810682 (morphological)',
    'Axelsson 2000, ISPRS Archives 33 B4 (tin)',
  ],
  inputs: { cloud: input.cloud({}) },
  params: z.object({
    method: choice(
      { cloth: 'falling cloth', morphological: 'growing windows', tin: 'growing triangles' },
      { label: 'Way' },
    ).default('cloth'),
    cellSize: cellSize({ label: 'Cell size', help: 'Of the net in which the lowest points are looked for.' }).default(
      'auto',
    ),
    threshold: quantity('length', {
      label: 'Threshold',
      unit: 'm',
      above: 0,
      help: 'Points this near to the surface are ground.',
    }).default(0.5),
    stiffness: number({
      label: 'Stiffness of the cloth',
      help: '1 for steep land, 2 for hills, 3 for flat land.',
      min: 1,
      max: 3,
      when: { method: 'cloth' },
    }).default(2),
    slope: number({
      label: 'Greatest slope',
      unit: '%',
      help: 'Of the ground, so far as it is not banks and walls.',
      above: 0,
      max: 500,
      when: { method: 'morphological' },
    }).default(30),
    maxWindow: quantity('length', {
      label: 'Largest window',
      unit: 'm',
      help: 'Wider than the widest building.',
      above: 0,
    }).default(30),
  }),
  outputs: { classified: output.cloud('Ground classified', 'ground classified') },
  figures: { ground: { label: 'Ground points' }, groundShare: { label: 'Share that is ground', unit: 'share' } },
  preview: { kind: 'window', input: 'cloud' },
  checks: ({ cloud }) => [
    ...placeChecks(cloud),
    ...(cloud.classes.some((k) => k.value === GROUND)
      ? [
          {
            level: 'look' as const,
            code: 'cloud.ground',
            about: 'cloud',
            message: 'Ground is classified in this cloud already; it is looked for anew.',
          },
        ]
      : []),
  ],
  suggest: ({ cloud }) => ({ cellSize: suggestCell(cloud, 2) }),
  estimate: ({ cloud }, p) =>
    pointsEstimate(cloud, 55, p.method === 'cloth' ? 5e5 : p.method === 'tin' ? 1.5e5 : 1.5e6),
  run: ({ cloud }, p, job) => {
    const at = inMetres(cloud);
    const n = pointCount(cloud);
    const classes = ownClasses(cloud);
    const size = cellOf(p.cellSize, cloud) * metresOfPlace(cloud.crs);
    const net = cellNet(at.x, at.y, size);
    const skip = noiseMask(classes);
    job.progress(0.02, 'looking for points below the ground');
    const given = skip.slice();
    const low = skipTooLow(at, net, skip);
    if (low) job.note('info', 'ground.low', `${plural(low, 'point')} far below all around them became low noise (7).`);
    const tell = (stage: string) => (s: number) => job.progress(0.05 + 0.85 * s, stage);
    let near: Uint8Array;
    if (p.method === 'tin') {
      const tin = grownTin(at, net, skip, p.maxWindow, 1.4, (15 * Math.PI) / 180, tell('triangles grow'));
      near = new Uint8Array(n);
      for (let i = 0; i < n; i++)
        if (!skip[i] && Math.abs(at.z[i]! - tin.heightAt(at.x[i]!, at.y[i]!)) <= p.threshold) near[i] = 1;
    } else {
      const lowest = lowestSurface(at, net, skip);
      const surface =
        p.method === 'cloth'
          ? clothSurface(lowest, net, p.stiffness, tell('the cloth falls'))
          : openedSurface(lowest, net, p.maxWindow, p.slope / 100, 0.5, 3, tell('windows grow'));
      near = nearSurface(at, net, surface, p.threshold, skip);
    }
    dropIslands(at, net, near, Math.max(2 * p.threshold, 0.6 * size), p.maxWindow);
    let ground = 0;
    for (let i = 0; i < n; i++) {
      if (near[i]) {
        classes[i] = GROUND;
        ground++;
      } else if (skip[i] && !given[i]) classes[i] = LOW_NOISE;
      else if (classes[i] === GROUND || classes[i] === 0) classes[i] = 1;
    }
    if (ground === 0) job.note('look', 'ground.none', 'No point was found to be ground; is the threshold too small?');
    return { classified: withClasses(cloud, classes), figures: { ground, groundShare: ground / n } };
  },
});
