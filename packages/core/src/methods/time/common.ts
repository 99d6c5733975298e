import { HelkError } from '../../errors';
import type { Check } from '../../data/check';
import type { Column, Features } from '../../data/features';
import { besideColumns } from '../../data/features';
import type { StackInfo } from '../../data/stack-facts';
import { CELL } from '../../data/stack';
import { stepAt, stepLabel, stepMeant, type TimeSteps } from '../../data/time-steps';
import { readDate } from '../../data/dates';
import { column } from '../../method/params';
import { date } from '../../method/time-params';
import { measureRaster, type Grid, type Raster } from '../../data/raster';

/** Which series are meant; the first where nobody says. */
export const variableParam = () =>
  column({ label: 'Variable', of: 'stack', numeric: true, variables: true }).optional();

/** The variable that is taken when nobody says. */
export const firstVariable = ({ variables }: Pick<StackInfo, 'variables'>) => ({
  value: variables[0]!.name,
  reason: variables.length === 1 ? 'the only one' : `the first of ${variables.length}`,
});

export const windowParams = {
  from: date({ label: 'From', help: 'The first step; the whole when not given.' }).optional(),
  to: date({ label: 'To', help: 'The last step.' }).optional(),
};

/** The number of a variable. @throws HelkError `method.parameter` naming what there is */
export function variableAt(info: { variables: readonly { name: string }[] }, name: string | undefined): number {
  if (name === undefined) return 0;
  const k = info.variables.findIndex((v) => v.name === name);
  if (k >= 0) return k;
  throw new HelkError(
    'method.parameter',
    `variable: there is no "${name}"; there is ${info.variables.map((v) => v.name).join(', ')}.`,
    'variable',
  );
}

/** Steps from one to another, both within; ends that lie beyond the stack are those of the stack. */
export function windowAt(
  steps: TimeSteps,
  p: { from?: string | undefined; to?: string | undefined },
): { from: number; count: number } {
  // A year, or a month, that is named as an end is meant whole.
  const first = p.from === undefined ? 0 : boundAt(steps, p.from, 'from');
  const last = p.to === undefined ? steps.count - 1 : boundAt(steps, p.to, 'to');
  if (last < first)
    throw new HelkError(
      'method.parameter',
      `to: ${p.to ?? stepLabel(steps, last)} lies before ${p.from ?? stepLabel(steps, first)}.`,
      'to',
    );
  return { from: first, count: last - first + 1 };
}

function boundAt(steps: TimeSteps, text: string, param: 'from' | 'to'): number {
  const d = readDate(text);
  if (!d) return stepMeant(steps, text, param);
  const at = stepAt(steps, param === 'from' ? d.seconds : d.seconds + wholeOf(text) - 1);
  if (at < 0 ? param === 'to' : at >= steps.count && param === 'from') return stepMeant(steps, text, param);
  return Math.min(steps.count - 1, Math.max(0, at));
}

/** Seconds that a date stands for: those of its year, month, day, or one. */
export function wholeOf(text: string): number {
  const d = readDate(text)!;
  if (d.precision === 'second') return 1;
  if (d.precision === 'day') return 86_400;
  const days = d.precision === 'year' ? 366 : 31;
  const next = new Date((d.seconds + days * 86_400) * 1000);
  const end =
    d.precision === 'year'
      ? Date.UTC(next.getUTCFullYear(), 0, 1)
      : Date.UTC(next.getUTCFullYear(), next.getUTCMonth(), 1);
  return end / 1000 - d.seconds;
}

/** Runs what refuses and says so as checks. */
export function checking(...work: (() => void)[]): Check[] {
  for (const w of work)
    try {
      w();
    } catch (e) {
      if (!(e instanceof HelkError)) throw e;
      return [{ level: 'refused', code: e.code, message: e.message, ...(e.path ? { about: e.path } : {}) }];
    }
  return [];
}

/** Places with further columns behind those they have. */
export const withColumns = (places: Features, columns: Column[]): Features => ({
  ...places,
  columns: besideColumns(places.columns, columns),
});

/** Values of places that are cells as bands of a grid; undefined where places are no cells. */
export function onGrid(
  grid: Grid | null,
  places: Features,
  bands: readonly { name: string; unit: string | null; values: ArrayLike<number> }[],
): Raster | undefined {
  const cell = places.columns.find((c) => c.name === CELL)?.values as Float64Array | undefined;
  if (!grid || !cell || !bands.length) return undefined;
  const made = bands.map((b) => {
    const cells = new Float32Array(grid.columns * grid.rows).fill(NaN);
    for (let i = 0; i < cell.length; i++) cells[cell[i]! - 1] = b.values[i]!;
    return measureRaster(grid, cells, { name: b.name, unit: b.unit }).bands[0]!;
  });
  return { kind: 'raster', grid, bands: made };
}
