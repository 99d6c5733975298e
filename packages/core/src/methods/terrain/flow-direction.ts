import * as z from 'zod';
import { cellCount, measureRaster } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { choice } from '../../method/params';
import { dinfAngle } from './accumulate';
import { waterChecks, waterOf } from './water';

export const flowDirection = defineMethod({
  id: 'terrain.flowDirection',
  version: 1,
  title: 'Flow direction',
  question: 'Which way does water go?',
  about:
    'The direction water leaves each cell, in degrees clockwise from north. D8 takes the neighbour of steepest descent (the first clockwise from north among equals) and leads water over flats towards their outlet and away from higher ground; D-infinity takes the steepest of eight triangular facets and falls back to D8 where none descends. Cells on the edge that have no lower neighbour drain outwards; cells without any way out are pits and missing.',
  keywords: ['flow', 'drainage', 'water', 'runoff', 'd8'],
  sources: [
    'O’Callaghan and Mark 1984, doi:10.1016/S0734-189X(84)80011-0',
    'Barnes, Lehman and Mulla 2014, doi:10.1016/j.cageo.2013.01.009 (flats, after Garbrecht and Martz 1997)',
    'Tarboton 1997, doi:10.1029/96WR03137',
  ],
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length' }) },
  params: z.object({
    scheme: choice({ d8: 'one of eight (D8)', dinf: 'any direction (D∞)' }, { label: 'Flow' }).default('d8'),
  }),
  outputs: { direction: output.raster('Flow direction') },
  figures: { pits: { label: 'Pits' } },
  checks: waterChecks,
  estimate: ({ elevation }) => ({
    cells: cellCount(elevation.grid),
    bytes: cellCount(elevation.grid) * 12,
    seconds: cellCount(elevation.grid) / 4e6,
  }),
  run: ({ elevation }, p, job) => {
    const w = waterOf(elevation, job);
    const out = new Float32Array(w.direction.length);
    for (let y = 0; y < w.height; y++) {
      if ((y & 63) === 0) job.progress(0.5 + (0.5 * y) / w.height, 'directions');
      for (let x = 0; x < w.width; x++) {
        const i = y * w.width + x;
        const d = w.direction[i]!;
        if (d < 0) out[i] = NaN;
        else {
          const a =
            p.scheme === 'dinf'
              ? dinfAngle(w.band.cells, i, x, y, w.width, w.height, w.cellWidth(y), w.cellHeight(y))
              : NaN;
          out[i] = a === a ? a : d * 45;
        }
      }
    }
    return {
      direction: measureRaster(elevation.grid, out, { name: 'flow direction', unit: '°', role: 'aspect' }),
      figures: { pits: w.pits },
    };
  },
});
