import * as z from 'zod';
import { HelkError } from '../../errors';
import { readRole, ROLE_NAMES, roleOf } from '../../data/band-roles';
import { heldBand } from '../../data/cells';
import type { Check } from '../../data/check';
import { sameCrs } from '../../data/crs';
import { FreeNames } from '../../data/names';
import { cellCount, sameGrid, type Grid, type RasterInfo } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { cellSize, text } from '../../method/params';
import { blockBytes, blockRows } from '../../method/rows';
import { resamplingCheck, resamplingParam, sizeInCrs } from '../raster/reproject';
import { warpBytes, warpedBands, warpInto } from '../raster/warp';

/** Cells of a grid in metres, about; in its own units where it has no system. */
const fineness = (g: Grid): number => (g.crs?.geographic ? g.dx * 111_320 : g.dx);

/** The grid all bands are brought to: that of the finest, or its land in cells of another size. */
function targetGrid(grids: readonly Grid[], size: number | null): Grid {
  const finest = grids.reduce((a, b) => (fineness(b) < fineness(a) * (1 - 1e-9) ? b : a));
  if (size === null || Math.abs(size - finest.dx) < 1e-9 * size) return finest;
  return {
    ...finest,
    dx: size,
    dy: size,
    columns: Math.max(1, Math.ceil((finest.columns * finest.dx) / size - 1e-6)),
    rows: Math.max(1, Math.ceil((finest.rows * finest.dy) / size - 1e-6)),
  };
}

/** Roles as they are written, in the order of the bands; `-` for a band that has none. @throws HelkError `method.parameter` */
function readRoles(written: string, bands: number): (string | null)[] | null {
  const parts = written
    .split(/[,;]/)
    .map((s) => s.trim())
    .filter((s, i, all) => s !== '' || i + 1 < all.length);
  if (!parts.length) return null;
  if (parts.length !== bands)
    throw new HelkError(
      'method.parameter',
      `roles: ${parts.length} are given for ${bands} bands; write - for a band without one.`,
      'roles',
    );
  return parts.map((s) => {
    if (s === '-' || s === '') return null;
    const role = readRole(s);
    if (!role) throw new HelkError('method.parameter', `roles: "${s}" is none of ${ROLE_NAMES.join(', ')}.`, 'roles');
    return role;
  });
}

const bandsIn = (bands: readonly Pick<RasterInfo, 'bands'>[]) => bands.flatMap((r) => r.bands);

export const stack = defineMethod({
  id: 'imagery.stack',
  version: 1,
  title: 'Stack bands',
  question: 'How do single bands become one scene?',
  about:
    'Brings the bands of several rasters together into one, on the grid of the one with the finest cells, or on its land with cells of another size. Rasters that lie on that grid are taken as they are, others are resampled (and projected, where their system is another), classes by the nearest cell. Roles are what parts of the spectrum the bands show, in their order; where none are given those that the bands have or that their names speak of.',
  keywords: ['layer stack', 'composite bands', 'combine bands', 'multispectral', 'merge bands', 'band roles'],
  sources: ['common practice, no source'],
  inputs: { bands: input.rasters({ label: 'Bands', bands: 'all', parts: true }) },
  params: z.object({
    roles: text({
      label: 'Roles',
      help: `In the order of the bands, apart by commas: ${ROLE_NAMES.join(', ')}, - for none.`,
    }).default('auto'),
    cellSize: cellSize({ label: 'Cell size' }).default('auto'),
    resampling: resamplingParam.default('auto'),
  }),
  serves: 'stack bands',
  outputs: { scene: output.raster('Scene') },
  figures: { bands: { label: 'Bands' }, columns: { label: 'Columns' }, rows: { label: 'Rows' } },
  checks: ({ bands }, p): Check[] => {
    const checks: Check[] = [];
    const grids = bands.map((b) => b.grid);
    if (p.roles !== 'auto') readRoles(p.roles, bandsIn(bands).length);
    if (grids.some((g) => !g.crs !== !grids[0]!.crs))
      return [
        {
          level: 'refused',
          code: 'stack.crs',
          about: 'bands',
          message:
            'Some have no coordinate system and some have: say which those are in first, or they cannot be laid on one another.',
        },
      ];
    const target = targetGrid(grids, null);
    const other = bands.filter((b) => !sameGrid(b.grid, target));
    const systems = bands.filter((b) => !sameCrs(b.grid.crs, target.crs));
    if (other.length)
      checks.push({
        level: 'look',
        code: 'stack.grids',
        about: 'bands',
        message: `${other.length} of ${bands.length} lie on another grid than the finest${systems.length ? ', some in another system' : ''}; they are resampled to it, and only its land is kept.`,
      });
    const odd = resamplingCheck(bandsIn(bands), p.resampling);
    if (odd && other.length) checks.push(odd);
    if (!checks.length) checks.push({ level: 'fine', code: 'fine', message: 'All lie on one grid.' });
    return checks;
  },
  suggest: ({ bands }) => {
    const roles = bandsIn(bands).map((b) => roleOf(b));
    return roles.some((r) => r)
      ? { roles: { value: roles.map((r) => r ?? '-').join(', '), reason: 'as the bands say, or their names' } }
      : {};
  },
  estimate: ({ bands }) => {
    const target = targetGrid(
      bands.map((b) => b.grid),
      null,
    );
    const all = bandsIn(bands).length;
    return {
      cells: cellCount(target) * all,
      bytes: blockBytes(target, 2 + all) + Math.max(...bands.map((b) => warpBytes(b.grid, b.bands.length))),
      seconds: (cellCount(target) * all) / 2e7,
    };
  },
  run: async ({ bands: rasters }, p, job) => {
    const heads = rasters.map((r) => r.head);
    const grids = heads.map((h) => h.grid);
    const finest = targetGrid(grids, null);
    const q = p.cellSize;
    const target = targetGrid(grids, q === 'auto' ? null : finest.crs ? sizeInCrs(q, finest.crs) : q.value);
    const all = bandsIn(heads);
    // What is suggested has been put in by now; `auto` remains where nothing is known.
    const roles = p.roles === 'auto' ? null : readRoles(p.roles, all.length);
    const free = new FreeNames();
    const held = heads.flatMap((h) =>
      sameGrid(h.grid, target) ? h.bands.map(heldBand) : warpedBands(h.bands, p.resampling),
    );
    const sink = job.raster('scene', {
      grid: target,
      bands: held.map((b, k) => {
        const { role, ...rest } = b;
        const given = roles ? (roles[k] ?? undefined) : role;
        // One band of a file of its own is best known by that file's name.
        return { ...rest, name: free.take(nameOf(job.names['bands'], heads, k)), ...(given ? { role: given } : {}) };
      }),
    });
    let done = 0;
    for (const [i, r] of rasters.entries()) {
      const n = heads[i]!.bands.length;
      const [from, to] = [done / all.length, (done + n) / all.length];
      const share = (s: number): number => from + s * (to - from);
      if (sameGrid(grids[i]!, target)) {
        const step = blockRows(target.columns);
        for (let row = 0; row < target.rows; row += step) {
          job.progress(share(row / target.rows), 'taking bands');
          const rows = Math.min(step, target.rows - row);
          for (let k = 0; k < n; k++) await sink.write(done + k, await r.rows(k, row, rows));
        }
      } else await warpInto(job, 'resampling', r, target, p.resampling, sink, done, share);
      done += n;
    }
    return { scene: sink, figures: { bands: all.length, columns: target.columns, rows: target.rows } };
  },
});

/** What a band is called: by its own name, or where the raster has only this one, by the raster's. */
function nameOf(names: readonly string[] | undefined, heads: readonly Pick<RasterInfo, 'bands'>[], k: number): string {
  let at = k;
  for (const [i, h] of heads.entries()) {
    if (at < h.bands.length) return h.bands.length === 1 && names?.[i] ? names[i] : h.bands[at]!.name;
    at -= h.bands.length;
  }
  throw new Error('There is no such band.');
}
