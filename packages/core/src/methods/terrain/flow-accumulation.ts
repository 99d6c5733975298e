import * as z from 'zod';
import { cellCount, measureRaster } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { choice } from '../../method/params';
import { summarise } from '../../numeric/statistics';
import { accumulation, schemeParam, waterChecks, waterOf } from './water';

export const flowAccumulation = defineMethod({
  id: 'terrain.flowAccumulation',
  version: 1,
  title: 'Flow accumulation',
  question: 'How much land drains through here?',
  about:
    'The cells, or the area, whose water passes each cell; a cell counts itself. D8 sends all water to one neighbour, D-infinity divides it between the two beside its direction, MFD among all lower ones by slope to the power 1.1. Areas of cells on a geographic grid are those on the ellipsoid.',
  keywords: ['contributing area', 'catchment', 'upstream', 'drainage area', 'water'],
  sources: [
    'O’Callaghan and Mark 1984, doi:10.1016/S0734-189X(84)80011-0',
    'Tarboton 1997, doi:10.1029/96WR03137',
    'Freeman 1991, doi:10.1016/0098-3004(91)90048-I',
    'Quinn et al. 1991, doi:10.1002/hyp.3360050106',
  ],
  inputs: { elevation: input.raster({ label: 'Elevation', band: 'measure', unit: 'length' }) },
  params: z.object({
    scheme: schemeParam.default('d8'),
    unit: choice({ cells: 'cells', area: 'area (m²)' }, { label: 'Counted in' }).default('cells'),
  }),
  outputs: { accumulation: output.raster('Flow accumulation', undefined, { band: 'measure', unit: 'areas or cells' }) },
  figures: { max: { label: 'Greatest', unit: 'result' } },
  checks: waterChecks,
  estimate: ({ elevation }, p) => ({
    cells: cellCount(elevation.grid),
    bytes: cellCount(elevation.grid) * (p.scheme === 'd8' ? 22 : 45),
    seconds: cellCount(elevation.grid) / 3e6,
  }),
  run: async ({ elevation }, p, job) => {
    const w = waterOf(elevation, job);
    const acc = await accumulation(elevation, w, p.scheme, p.unit === 'area', job);
    const max = summarise(acc).max;
    return {
      accumulation: measureRaster(elevation.grid, acc, {
        name: 'flow accumulation',
        unit: p.unit === 'area' ? 'm2' : '',
        role: 'accumulation',
      }),
      figures: { max },
    };
  },
});
