import { HelkError } from '../../errors';
import { sameCrs } from '../../data/crs';
import { featureCount, type Column, type Features, type FeaturesBuilder, type FeaturesInfo } from '../../data/features';
import { featureArea } from '../../data/measure';
import { numberColumn } from '../../data/table';
import type { Job } from '../../method/job';
import type { Geos, Shape } from '../../numeric/geos';
import { plural, type Check } from '../../data/check';
import { kindOf, type DatasetInfo } from '../../data/kinds';

/** A column by name. @throws HelkError `method.parameter` naming what there is */
export function columnOf(columns: readonly Column[], name: string, param: string): Column {
  const c = columns.find((x) => x.name === name);
  if (!c) throw new HelkError('method.parameter', noColumn(columns, name, param), param);
  return c;
}

const noColumn = (columns: readonly { name: string }[], name: string, param: string): string =>
  `${param}: there is no column "${name}"; there is ${columns.map((c) => c.name).join(', ') || 'none'}.`;

/** Refuses names that are no columns, before a run. */
export function columnChecks(info: DatasetInfo, names: readonly string[], param: string, numeric = false): Check[] {
  const rows = kindOf(info).rows?.(info);
  if (!rows) return [];
  const out: Check[] = [];
  for (const n of names) {
    const c = rows.columns.find((x) => x.name === n);
    if (!c)
      out.push({ level: 'refused', code: 'column.unknown', about: param, message: noColumn(rows.columns, n, param) });
    else if (numeric && c.type !== 'number')
      out.push({
        level: 'refused',
        code: 'column.text',
        about: param,
        message: `${param}: "${n}" is no column of numbers.`,
      });
  }
  return out;
}

/** A column of numbers summed over groups of rows; what is missing adds nothing. */
export function summed(c: Column, members: readonly (readonly number[])[]): Column {
  const v = c.values as Float64Array;
  const sum = (rows: readonly number[]): number =>
    rows.reduce((s, i) => s + (c.missing?.[i] || v[i] !== v[i] ? 0 : v[i]!), 0);
  return numberColumn(c.name, Float64Array.from(members, sum), c.unit);
}

/** How areas will be measured, and whether systems differ. */
export function placeChecks(a: FeaturesInfo, b?: FeaturesInfo): Check[] {
  const out: Check[] = [];
  if (b && a.crs && b.crs && !sameCrs(a.crs, b.crs))
    out.push({
      level: 'look',
      code: 'crs.unlike',
      message: `The second set lies in ${b.crs.code ?? b.crs.name}; it is brought to ${a.crs.code ?? a.crs.name} first.`,
    });
  if (b && !a.crs !== !b.crs)
    out.push({
      level: 'look',
      code: 'crs.missing',
      message: 'One of the sets has no coordinate system; both are taken as lying in one.',
    });
  return out;
}

/** Refuses what only makes sense in a plane, and offers to project. */
export function planeChecks(info: FeaturesInfo, what: string, role: string): Check[] {
  if (!info.crs?.geographic) return [];
  return [
    {
      level: 'refused',
      code: 'crs.degrees',
      about: role,
      message: `${what} needs metres; these features are in degrees.`,
      mend: { label: 'Project them first', run: { method: 'features.reproject', role: 'features', input: role } },
    },
  ];
}

/** Shapes of all features, invalid ones repaired on the way and said. 0 where there is no geometry. */
export function shapesOf(g: Geos, f: Features, job: Job, what: string): Shape[] {
  let repaired = 0;
  let first = 0;
  let why = '';
  const n = featureCount(f);
  const out = Array.from({ length: n }, (_, i): Shape => {
    if ((i & 1023) === 0) job.progress(0.1 * (i / n), `reading ${what}`);
    if (f.featureOffsets[i] === f.featureOffsets[i + 1]) return 0;
    const s = g.shape(f, i);
    if (f.geometry !== 'polygon' || g.isValid(s)) return s;
    if (!repaired++) {
      first = i + 1;
      why = g.whyInvalid(s);
    }
    const r = g.makeValid(s);
    g.free(s);
    return r;
  });
  if (repaired)
    job.note(
      'look',
      'features.repaired',
      `${plural(repaired, 'invalid polygon')} of ${what} ${repaired === 1 ? 'was' : 'were'} repaired on the way; the first is feature ${first} (${why}).`,
    );
  return out;
}

/** Sum of the areas of all features, m². */
export function totalArea(f: Features): number {
  let sum = 0;
  for (let i = 0; i < featureCount(f); i++) sum += featureArea(f, i);
  return sum;
}

/** Says that heights are lost where they are. */
export function noteHeights(job: Job, ...sets: Features[]): void {
  if (sets.some((f) => f.z)) job.note('info', 'features.heights', 'Heights (Z) of the corners are not carried over.');
}

/** Ends the feature if the shape had parts of the kind; says whether it had. */
export function emit(g: Geos, s: Shape, kind: Features['geometry'], b: FeaturesBuilder): boolean {
  const some = s !== 0 && g.append(s, kind, b);
  if (some) b.endFeature();
  return some;
}

/** A column's value as text that tells values apart; missing ones have none. */
export const keyOf = (c: Column, i: number): string | null => (c.missing?.[i] ? null : String(c.values[i]));
