import { unitFactor } from '../../data/quantity';
import { cellMetres, type BandInfo, type Cells, type Grid } from '../../data/raster';
import type { InfosOf, InputSpec } from '../../method/define';
import type { Job } from '../../method/job';
import type { RowBlock } from '../../method/rows';
import { placeOf } from '../../data/arrival';
import { suggestUtm } from '../../data/crs';
import type { Check } from '../../data/check';

export type GradientAlgorithm = 'horn' | 'zevenbergen-thorne';

/**
 * Gradients of a surface, row by row: rise per unit to the east (`gx`) and to the south (`gy`).
 *
 * Horn 1981 (doi:10.1109/PROC.1981.11918) weighs the eight neighbours 1-2-1; Zevenbergen and Thorne 1987
 * (doi:10.1002/esp.3290120107) take the four nearest. A missing or outside neighbour is replaced by the value that
 * continues the plane through the cell and the neighbour opposite (2 z - opposite); where that is missing too, a side takes
 * the cell itself and a corner the plane of its two sides, so that a plane keeps its slope up to the edge. A missing cell gives NaN. O(cells).
 *
 * @param cells row by row from the north, missing as NaN
 * @param size width and height of a cell in each row, in the unit of the values
 * @param visit gets the row and its gradients; the two arrays are reused
 * @param from, to the rows that are wanted; those around them only lend their values
 */
export function scanGradients(
  cells: Cells,
  width: number,
  height: number,
  size: (row: number) => [number, number],
  algorithm: GradientAlgorithm,
  visit: (row: number, gx: Float64Array, gy: Float64Array) => void,
  from = 0,
  to = height,
): void {
  const gx = new Float64Array(width);
  const gy = new Float64Array(width);
  const horn = algorithm === 'horn';
  for (let y = from; y < to; y++) {
    const [dx, dy] = size(y);
    const fx = horn ? 1 / (8 * dx) : 1 / (2 * dx);
    const fy = horn ? 1 / (8 * dy) : 1 / (2 * dy);
    const inner = y > 0 && y < height - 1;
    if (inner) {
      const n = cells.subarray((y - 1) * width, y * width);
      const c = cells.subarray(y * width, (y + 1) * width);
      const s = cells.subarray((y + 1) * width, (y + 2) * width);
      // Adding 0 × centre makes a missing centre missing in the result.
      if (horn && width > 2) {
        // Of each column its sum 1-2-1 and its rise to the south; three columns slide along, so that every cell is read once a row.
        let sum0 = n[0]! + 2 * c[0]! + s[0]!;
        let rise0 = s[0]! - n[0]!;
        let centre = c[1]!;
        let sum1 = n[1]! + 2 * centre + s[1]!;
        let rise1 = s[1]! - n[1]!;
        for (let x = 1; x < width - 1; x++) {
          const north = n[x + 1]!;
          const middle = c[x + 1]!;
          const south = s[x + 1]!;
          const sum2 = north + 2 * middle + south;
          const rise2 = south - north;
          gx[x] = (sum2 - sum0 + centre * 0) * fx;
          gy[x] = (rise0 + 2 * rise1 + rise2) * fy;
          sum0 = sum1;
          sum1 = sum2;
          rise0 = rise1;
          rise1 = rise2;
          centre = middle;
        }
      } else {
        for (let x = 1; x < width - 1; x++) {
          gx[x] = (c[x + 1]! - c[x - 1]! + c[x]! * 0) * fx;
          gy[x] = (s[x]! - n[x]!) * fy;
        }
      }
      for (let x = 1; x < width - 1; x++) {
        const g = gx[x]! + gy[x]!;
        if (g !== g) mended(cells, width, height, x, y, horn, fx, fy, gx, gy);
      }
      mended(cells, width, height, 0, y, horn, fx, fy, gx, gy);
      if (width > 1) mended(cells, width, height, width - 1, y, horn, fx, fy, gx, gy);
    } else {
      for (let x = 0; x < width; x++) mended(cells, width, height, x, y, horn, fx, fy, gx, gy);
    }
    visit(y, gx, gy);
  }
}

const WINDOW = new Float64Array(9);
const SIDES_FIRST = [1, 3, 0, 2];

/** The gradient of one cell whose neighbourhood is not whole. */
function mended(
  cells: Cells,
  width: number,
  height: number,
  x: number,
  y: number,
  horn: boolean,
  fx: number,
  fy: number,
  gx: Float64Array,
  gy: Float64Array,
): void {
  const z = cells[y * width + x]!;
  if (z !== z) {
    gx[x] = NaN;
    gy[x] = NaN;
    return;
  }
  const w = WINDOW;
  for (let k = 0; k < 9; k++) {
    const i = x + (k % 3) - 1;
    const j = y + ((k / 3) | 0) - 1;
    w[k] = i < 0 || j < 0 || i >= width || j >= height ? NaN : cells[j * width + i]!;
  }
  // Sides first, so that a corner missing on both ends can continue the plane of its two sides.
  for (let s = 0; s < 4; s++) {
    const k = SIDES_FIRST[s]!;
    const a = w[k]!;
    const b = w[8 - k]!;
    if (a !== a && b !== b) {
      const side = k % 2 === 1;
      w[k] = side ? z : w[1]! + w[k === 0 ? 3 : 5]! - z;
      w[8 - k] = side ? z : w[7]! + w[k === 0 ? 5 : 3]! - z;
    } else if (a !== a) w[k] = 2 * z - b;
    else if (b !== b) w[8 - k] = 2 * z - a;
  }
  if (horn) {
    gx[x] = (w[2]! + 2 * w[5]! + w[8]! - w[0]! - 2 * w[3]! - w[6]!) * fx;
    gy[x] = (w[6]! + 2 * w[7]! + w[8]! - w[0]! - 2 * w[1]! - w[2]!) * fy;
  } else {
    gx[x] = (w[5]! - w[3]!) * fx;
    gy[x] = (w[7]! - w[1]!) * fy;
  }
}

/** Cell sizes in the unit of the elevations: horizontal metres against vertical unit and factor. */
export function sizesFor(grid: Grid, band: Pick<BandInfo, 'unit'>, zFactor: number): (row: number) => [number, number] {
  const vertical = (unitFactor(band.unit) ?? 1) * zFactor;
  if (!grid.crs?.geographic) {
    const [w, h] = cellMetres(grid, 0);
    return () => [w / vertical, h / vertical];
  }
  return (row) => {
    const [w, h] = cellMetres(grid, row);
    return [w / vertical, h / vertical];
  };
}

/** What a kernel on gradients is told beside the cells: plain data, so that a thread can have it. */
export interface GradientParams {
  grid: Grid;
  band: Pick<BandInfo, 'unit'>;
  zFactor: number;
  algorithm: GradientAlgorithm;
}

/** The gradients of the rows of a block; `visit` gets where the row begins in the block's results. */
export function blockGradients(
  { grid, band, zFactor, algorithm }: GradientParams,
  block: RowBlock,
  visit: (offset: number, gx: Float64Array, gy: Float64Array) => void,
): void {
  const { cells, above, rows } = block.inputs[0]!;
  const size = sizesFor(grid, band, zFactor);
  const first = block.from - above;
  const inBlock = (row: number): [number, number] => size(first + row);
  const put = (row: number, gx: Float64Array, gy: Float64Array): void => visit((row - above) * block.width, gx, gy);
  scanGradients(cells, block.width, rows, inBlock, algorithm, put, above, above + block.rows);
}

/** Says progress and obeys cancel every 64 rows. */
export function tick(job: Job, row: number, rows: number, stage: string): void {
  if ((row & 63) === 0) job.progress(row / rows, stage);
}

type Elevation = { elevation: InputSpec & { kind: 'raster'; many: false; least: 1 } };

/** What every method on elevations should say of its input before it runs. */
export function elevationChecks({ elevation }: InfosOf<Elevation>, about: 'slope' | 'water'): Check[] {
  const checks: Check[] = [];
  const band = elevation.bands[0]!;
  const { crs } = elevation.grid;
  const role = 'elevation';
  if (!crs) {
    checks.push({
      level: 'look',
      code: 'crs.missing',
      about: role,
      message: 'No coordinate reference system: cells are taken to be in metres.',
    });
  } else if (crs.geographic) {
    const place = placeOf(elevation);
    const utm = place ? suggestUtm(place[0], place[1]) : null;
    checks.push({
      level: 'look',
      code: 'crs.degrees',
      about: role,
      message:
        about === 'water'
          ? 'Cells are in degrees, so they are not equally long and wide: water would prefer one direction. Project first.'
          : 'Cells are in degrees. Metres are worked out for each row on the ellipsoid; a projected grid is cleaner.',
      mend: utm
        ? {
            label: `Project to ${utm.code} first`,
            run: { method: 'raster.reproject', role: 'raster', input: role, params: { crs: utm.code } },
          }
        : undefined,
    });
  }
  const factor = unitFactor(band.unit);
  if (!band.unit) {
    checks.push({
      level: 'look',
      code: 'unit.unknown',
      about: role,
      message: 'The unit of the elevations is not known; metres are assumed.',
    });
  } else if (factor === undefined) {
    checks.push({
      level: 'look',
      code: 'unit.odd',
      about: role,
      message: `"${band.unit}" is not a unit of length; metres are assumed.`,
    });
  } else if (factor !== 1) {
    checks.push({
      level: 'look',
      code: 'unit.other',
      about: role,
      message: `Elevations are in ${band.unit}; they are turned into metres for the calculation.`,
    });
  }
  const f = band.facts;
  if (f && f.enclosedCells > 0) {
    checks.push({
      level: 'look',
      code: 'band.enclosedGaps',
      about: role,
      message:
        about === 'water'
          ? `${f.enclosedGaps === 1 ? 'A hole' : `${f.enclosedGaps} holes`} inside the data (${f.enclosedCells} cells) would swallow water like a drain.`
          : `${f.enclosedGaps === 1 ? 'A hole' : `${f.enclosedGaps} holes`} inside the data (${f.enclosedCells} cells) stay missing.`,
      mend: { label: 'Fill the holes first', run: { method: 'raster.fillGaps', role: 'raster', input: role } },
    });
  }
  if (!checks.length && !f?.suspectCode)
    checks.push({ level: 'fine', code: 'fine', about: role, message: 'Projected, in metres, no enclosed holes.' });
  return checks;
}
