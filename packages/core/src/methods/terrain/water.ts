import { unitFactor } from '../../data/quantity';
import { cellArea, cellMetres, firstBand, type Band, type Raster } from '../../data/raster';
import type { InfosOf, InputSpec } from '../../method/define';
import type { Job } from '../../method/job';
import { choice } from '../../method/params';
import { accumulateDivided } from './accumulate';
import { dividedBy, type Dividing } from './divide';
import { accumulateD8, d8 } from './flow';
import { elevationChecks } from './gradient';
import { plural, type Check } from '../../data/check';

export const schemeParam = choice(
  { d8: 'one neighbour (D8)', dinf: 'between two (D∞)', mfd: 'all lower ones (MFD)' },
  { label: 'Flow', help: 'D8 for streams and watersheds; the others for wetness and hillslopes.' },
);

/** What flow methods need of an elevation raster: D8 directions and sizes in the unit of the elevations. */
export interface Water {
  band: Band;
  width: number;
  height: number;
  direction: Int8Array;
  pits: number;
  cellWidth: (row: number) => number;
  cellHeight: (row: number) => number;
}

export function waterOf(elevation: Raster, job: Job): Water {
  const { grid } = elevation;
  const band = firstBand(elevation);
  const vertical = unitFactor(band.unit) ?? 1;
  const cellWidth = (row: number): number => cellMetres(grid, row)[0] / vertical;
  const cellHeight = (row: number): number => cellMetres(grid, row)[1] / vertical;
  job.progress(0.05, 'flow direction');
  const { direction, pits } = d8(band.cells, grid.columns, grid.rows, cellWidth, cellHeight);
  if (pits > 0) {
    job.note(
      'look',
      'water.pits',
      `${pits} ${pits === 1 ? 'cell has' : 'cells have'} no way out: water ends there. “Fill depressions” gives it one.`,
    );
  }
  return { band, width: grid.columns, height: grid.rows, direction, pits, cellWidth, cellHeight };
}

/** Cells, or m², that drain through each cell. */
export async function accumulation(
  elevation: Raster,
  w: Water,
  scheme: 'd8' | Dividing,
  area: boolean,
  job: Job,
): Promise<Float64Array> {
  job.progress(0.4, 'accumulation');
  const weight = area ? (row: number): number => cellArea(elevation.grid, row) : undefined;
  const { width, height, direction } = w;
  if (scheme === 'd8') return accumulateD8(direction, width, height, weight);
  const division = await dividedBy(job, scheme, w.band.cells, width, height, direction, w.cellWidth, w.cellHeight);
  job.progress(0.7, 'accumulation');
  return accumulateDivided(direction, width, height, division, weight);
}

/** What flow methods say before they run: as for all elevations, and that they want a filled grid. */
export function waterChecks(
  inputs: InfosOf<{ elevation: InputSpec & { kind: 'raster'; many: false; least: 1 } }>,
): Check[] {
  const checks = elevationChecks(inputs, 'water').filter((c) => c.level !== 'fine');
  const pits = inputs.elevation.bands[0]!.facts?.pits;
  if (pits === 0)
    return [
      ...checks,
      {
        level: 'fine',
        code: 'water.filled',
        about: 'elevation',
        message: 'No cell lies lower than all its neighbours.',
      },
    ];
  const many =
    pits === undefined
      ? 'It is not known whether this grid is filled'
      : `${plural(pits, 'cell')} lower than all neighbours: this grid is not filled`;
  return [
    ...checks,
    {
      level: 'look',
      code: 'water.fill',
      about: 'elevation',
      message: `${many}. Water stops in hollows.`,
      mend: { label: 'Fill depressions first', run: { method: 'terrain.fill', role: 'elevation', input: 'elevation' } },
    },
  ];
}
