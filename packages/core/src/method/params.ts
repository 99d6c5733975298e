import * as z from 'zod';
import { HelkError } from '../errors';
import { parseCrs } from '../data/crs';
import { momentOf, momentText } from '../data/moment';
import { parseQuantity, inBase, formatQuantity, unitFactor, type Dimension, type Quantity } from '../data/quantity';

/** What a form, a command line and a reference page need to know of one parameter. */
export interface ParamSpec {
  label: string;
  help?: string;
  type:
    | 'number'
    | 'choice'
    | 'text'
    | 'flag'
    | 'crs'
    | 'bounds'
    | 'numbers'
    | 'quantities'
    | 'column'
    | 'columns'
    | 'several'
    | 'moment'
    | 'step'
    | 'date'
    | Dimension;
  /** The input whose columns are meant; of several, apart by commas, the first that is given. */
  of?: string;
  /** Of an input that has series: its variables only. */
  variables?: true;
  /** Only columns of numbers. */
  numeric?: boolean;
  /** A formula over columns will do as well as a column. */
  formula?: boolean;
  /** Unit that a bare number takes; `crs` for the unit of the target CRS. */
  unit?: string;
  /** Of several quantities: the unit that they are kept in. */
  base?: string;
  choices?: { value: string; label: string }[];
  /** The value may be left to the data. */
  auto?: boolean;
  optional?: boolean;
  default?: unknown;
  min?: number;
  max?: number;
  /** Other settings, and what they must be (one of several, apart by `|`) for this one to matter; a form leaves it out while they are not. */
  when?: Record<string, string>;
  /** What a form offers beside or in place of a line: for a text with a grammar of its own, or a number that a preview follows. */
  widget?: 'formula' | 'rules' | 'threshold' | 'clusters' | 'drawn-lines' | 'drawn-points' | 'recipe' | 'errors';
  /** What it is a setting of, where it stands among those of several. */
  group?: string;
  /** It is what it is: shown, not asked for. */
  fixed?: true;
  /** The question that trying it asks of a result there is: it opens a variant. */
  whatIf?: string;
}

type Meta = { helk: ParamSpec };

/** A schema with what a form needs to know of it. */
export const describe = <S extends z.ZodType>(schema: S, spec: ParamSpec): S =>
  schema.meta({ helk: spec } as Meta) as S;

/** Turns a HelkError thrown while parsing into a Zod issue. */
export function guarded<T>(ctx: z.core.$RefinementCtx, read: () => T): T {
  try {
    return read();
  } catch (e) {
    if (!(e instanceof HelkError)) throw e;
    ctx.addIssue({ code: 'custom', message: e.message });
    return z.NEVER as T;
  }
}

interface NumberOptions {
  label: string;
  help?: string;
  min?: number;
  max?: number;
  /** The least value itself is not allowed. */
  above?: number;
  unit?: string;
  widget?: ParamSpec['widget'];
  when?: ParamSpec['when'];
}

const NUMERIC = /^[+-]?(\d+([.,]\d*)?|[.,]\d+)(e[+-]?\d+)?$/i;

/** A plain number; texts from forms and command lines are read with point or comma. */
export function number(o: NumberOptions) {
  const schema = z.union([z.number(), z.string()]).transform((v, ctx) =>
    guarded(ctx, () => {
      const n = typeof v === 'number' ? v : NUMERIC.test(v.trim()) ? Number(v.trim().replace(',', '.')) : NaN;
      if (!Number.isFinite(n)) throw new HelkError('method.parameter', `"${v}" is not a number.`);
      return inRange(n, o, '');
    }),
  );
  return describe(schema, { ...o, type: 'number' });
}

function inRange(n: number, o: NumberOptions, unit: string): number {
  const u = unit ? ` ${unit}` : '';
  if (o.above !== undefined && !(n > o.above))
    throw new HelkError('method.parameter', `${n}${u} must be more than ${o.above}${u}.`);
  if (o.min !== undefined && !(n >= o.min))
    throw new HelkError('method.parameter', `${n}${u} is below the least allowed, ${o.min}${u}.`);
  if (o.max !== undefined && !(n <= o.max))
    throw new HelkError('method.parameter', `${n}${u} is above the greatest allowed, ${o.max}${u}.`);
  return n;
}

/** A quantity given as `"30 m"` or a bare number in `unit`; parsed to the base unit (m, m², s, °). */
export function quantity(dimension: Exclude<Dimension, 'cell'>, o: NumberOptions & { unit: string }) {
  const schema = z
    .union([z.number(), z.string()])
    .transform((v, ctx) =>
      guarded(ctx, () => inRange(inBase(parseQuantity(v, dimension), o.unit), o, BASES[dimension])),
    );
  return describe(schema, { ...o, type: dimension });
}

/** What limits are told in: quantities are compared in their base units. */
const BASES: Record<Exclude<Dimension, 'cell'>, string> = {
  length: 'm',
  area: 'm²',
  volume: 'm³',
  time: 's',
  angle: '°',
  speed: 'm/s',
};

/** Several quantities, apart by commas: `5, 10, 15 min`. A number takes the next unit behind it, else `unit`. Parsed to the base unit. */
export function quantities(dimension: 'time' | 'length', o: NumberOptions & { unit: string }) {
  const base = dimension === 'time' ? 's' : 'm';
  const schema = z.union([z.number(), z.string(), z.array(z.union([z.number(), z.string()]))]).transform((v, ctx) =>
    guarded(ctx, () => {
      const all = readQuantities(v, dimension, o.unit).map((q) => inRange(q, o, base));
      return [...new Set(all)].sort((a, b) => a - b);
    }),
  );
  return describe(schema, { ...o, type: 'quantities', base });
}

/**
 * Several quantities as they are written, in their base unit.
 *
 * @throws HelkError `method.parameter`
 */
export function readQuantities(
  v: number | string | readonly (number | string)[],
  dimension: 'time' | 'length',
  unit: string,
): number[] {
  const parts = (typeof v === 'number' ? [v] : typeof v === 'string' ? v.split(/[,;]/) : v)
    .map((p) => (typeof p === 'string' ? p.trim() : p))
    .filter((p) => p !== '');
  if (!parts.length) throw new HelkError('method.parameter', 'give at least one.');
  if (parts.length > MOST_LISTED)
    throw new HelkError('method.parameter', `${parts.length} are too many; at most ${MOST_LISTED} are taken.`);
  const read = parts.map((p) => parseQuantity(p, dimension));
  let own = unit;
  for (let k = read.length - 1; k >= 0; k--) {
    own = read[k]!.unit || own;
    read[k] = { value: read[k]!.value, unit: own };
  }
  return read.map((q) => inBase(q, unit));
}

const MOST_LISTED = 50;

/** A cell size: keeps its unit, since on a geographic target it is an angle. `auto` leaves it to the data. */
export function cellSize(o: { label: string; help?: string }) {
  const schema = z.union([z.number(), z.string()]).transform((v, ctx): Quantity | 'auto' =>
    v === 'auto' || v === ''
      ? 'auto'
      : guarded(ctx, () => {
          const q = parseQuantity(v, 'cell');
          if (!(q.value > 0))
            throw new HelkError('method.parameter', `A cell size must be more than 0, not ${q.value}.`);
          return q;
        }),
  );
  return describe(schema, { ...o, type: 'cell', unit: 'crs', auto: true });
}

export function choice<const T extends Record<string, string>>(
  choices: T,
  o: { label: string; help?: string; when?: ParamSpec['when'] },
) {
  const values = Object.keys(choices) as (keyof T & string)[];
  const schema = z.enum(values as [keyof T & string, ...(keyof T & string)[]], {
    error: (i) => `"${String(i.input)}" is not one of ${values.join(', ')}.`,
  });
  return describe(schema, {
    ...o,
    type: 'choice',
    choices: values.map((value) => ({ value, label: choices[value]! })),
  });
}

/** Some of a few, apart by commas (or a list), each once and in the order given. */
export function several<const T extends Record<string, string>>(choices: T, o: { label: string; help?: string }) {
  const values = Object.keys(choices) as (keyof T & string)[];
  const schema = z.union([z.string(), z.array(z.string())]).transform((v, ctx): (keyof T & string)[] =>
    guarded(ctx, () => {
      const parts = (typeof v === 'string' ? v.split(',') : v).map((s) => s.trim()).filter(Boolean);
      const odd = parts.find((s) => !values.includes(s));
      if (odd !== undefined)
        throw new HelkError('method.parameter', `there is no "${odd}"; there are ${values.join(', ')}.`);
      if (!parts.length) throw new HelkError('method.parameter', `choose at least one of ${values.join(', ')}.`);
      return [...new Set(parts)];
    }),
  );
  return describe(schema, {
    ...o,
    type: 'several',
    choices: values.map((value) => ({ value, label: choices[value]! })),
  });
}

/** A text; `most` is its greatest length, for lists of rows that were picked by hand. */
export function text({
  most = 4000,
  ...o
}: {
  label: string;
  help?: string;
  widget?: ParamSpec['widget'];
  whatIf?: string;
  when?: ParamSpec['when'];
  most?: number;
}) {
  return describe(z.string().max(most), { ...o, type: 'text' });
}

/** Room for a million scattered row numbers. */
export const LONG_TEXT = 2 ** 21;

interface ColumnOptions {
  label: string;
  help?: string;
  /** Role of the input it is a column of; of several, apart by commas, the first that is given. */
  of: string;
  numeric?: boolean;
  formula?: boolean;
  variables?: true;
  when?: ParamSpec['when'];
}

/** The name of a column of an input. */
export function column(o: ColumnOptions) {
  return describe(
    z
      .string()
      .min(1)
      .max(o.formula ? 4000 : 400),
    { ...o, type: 'column' },
  );
}

/** Names of columns, apart by commas (or a list). */
export function columns(o: ColumnOptions) {
  const schema = z
    .union([z.string(), z.array(z.string())])
    .transform((v): string[] =>
      (typeof v === 'string' ? (o.formula ? apart(v) : v.split(',')) : v).map((s) => s.trim()).filter(Boolean),
    );
  return describe(schema, { ...o, type: 'columns' });
}

/** What stands apart by commas, but for those within brackets and quotes. */
export function apart(text: string): string[] {
  const out = [''];
  let depth = 0;
  let quote = '';
  for (const c of text) {
    if (quote) quote = c === quote ? '' : quote;
    else if (c === '"' || c === "'") quote = c;
    else if (c === '(' || c === '[') depth++;
    else if (c === ')' || c === ']') depth--;
    if (c === ',' && depth <= 0 && !quote) out.push('');
    else out[out.length - 1] += c;
  }
  // A name may have a quote in it that opens nothing.
  return quote || depth ? text.split(',') : out;
}

/** Yes or no; texts from forms and command lines are read. */
export function flag(o: { label: string; help?: string }) {
  const schema = z
    .union([z.boolean(), z.enum(['true', 'false', 'yes', 'no'])])
    .transform((v) => v === true || v === 'true' || v === 'yes');
  return describe(schema, { ...o, type: 'flag' });
}

/** A CRS by its EPSG code or PROJ definition; parsed to a `Crs`. */
export function crs(o: { label: string; help?: string }) {
  const schema = z.union([z.string(), z.number()]).transform((v, ctx) => guarded(ctx, () => parseCrs(String(v))));
  return describe(schema, { ...o, type: 'crs' });
}

/** A date and a time of day on the clocks of the place; kept as `2026-09-08T08:10`. */
export function moment(o: { label: string; help?: string; when?: ParamSpec['when'] }) {
  const schema = z.string().transform((v, ctx) => guarded(ctx, () => momentText(momentOf(v))));
  return describe(schema, { ...o, type: 'moment' });
}

export type Bounds = [xmin: number, ymin: number, xmax: number, ymax: number];

/** `xmin,ymin,xmax,ymax`, as text or as four numbers. */
export function bounds(o: { label: string; help?: string; auto?: boolean }) {
  const schema = z.union([z.string(), z.array(z.number())]).transform((v, ctx): Bounds =>
    guarded(ctx, () => {
      const parts =
        typeof v === 'string'
          ? v
              .split(/[,;\s]+/)
              .filter(Boolean)
              .map(Number)
          : v;
      if (parts.length !== 4 || !parts.every(Number.isFinite)) {
        throw new HelkError('method.parameter', `"${String(v)}" are not four numbers; write west,south,east,north.`);
      }
      const [a, b, c, d] = parts as Bounds;
      if (!(c > a) || !(d > b)) {
        throw new HelkError(
          'method.parameter',
          `In "${String(v)}" the east must exceed the west and the north the south.`,
        );
      }
      return [a, b, c, d];
    }),
  );
  return describe(schema, { ...o, type: 'bounds' });
}

/** A list of numbers, `5, 25, 50`. */
export function numbers(o: NumberOptions) {
  const schema = z.union([z.string(), z.array(z.number())]).transform((v, ctx): number[] =>
    guarded(ctx, () => {
      const parts =
        typeof v === 'string'
          ? v
              .split(/[;,\s]+/)
              .filter(Boolean)
              .map(Number)
          : v;
      for (const p of parts) {
        if (!Number.isFinite(p)) throw new HelkError('method.parameter', `"${String(v)}" is not a list of numbers.`);
        inRange(p, o, '');
      }
      return parts;
    }),
  );
  return describe(schema, { ...o, type: 'numbers' });
}

/** The specs of a parameter object in its order, with defaults and optionality read from the schema itself. */
export function paramSpecs(params: z.ZodObject): Record<string, ParamSpec> {
  const out: Record<string, ParamSpec> = {};
  for (const [name, schema] of Object.entries(params.shape)) out[name] = specOf(schema as z.ZodType, name);
  return out;
}

function specOf(schema: z.ZodType, name: string): ParamSpec {
  let s: z.ZodType = schema;
  let optional = false;
  let hasDefault = false;
  let def: unknown;
  for (;;) {
    const d = s.def as { type: string; innerType?: z.ZodType; defaultValue?: unknown };
    if (d.type === 'default' || d.type === 'prefault') {
      hasDefault = true;
      def = d.defaultValue;
      s = d.innerType!;
    } else if (d.type === 'optional') {
      optional = true;
      s = d.innerType!;
    } else break;
  }
  const meta = s.meta() as Meta | undefined;
  if (!meta) throw new Error(`Parameter ${name} has no description.`);
  const spec: ParamSpec = { ...meta.helk, optional };
  if (hasDefault) spec.default = def;
  return spec;
}

/** A parsed value in the plain form that lineage, forms and commands carry; it parses to the same value again. */
export function plainParam(spec: ParamSpec, value: unknown): unknown {
  if (value === undefined || value === null || value === 'auto') return value;
  if (spec.type === 'crs') {
    const c = value as { code: string | null; proj4: string };
    return c.code ?? c.proj4;
  }
  if (spec.type === 'cell') return formatQuantity(value as Quantity);
  if (spec.type === 'quantities') return listed(value as number[], spec);
  if (spec.type === 'bounds' || spec.type === 'numbers' || spec.type === 'columns' || spec.type === 'several')
    return (value as unknown[]).join(',');
  const base = { length: 'm', area: 'm2', volume: 'm3', time: 's', angle: '°', speed: 'm/s' }[spec.type as string];
  if (spec.type === 'time' || spec.type === 'speed') {
    const own = inUnit(value as number, spec.unit);
    if (own !== null) return `${own} ${spec.unit!}`;
  }
  return base ? `${value as number} ${base}` : value;
}

/** A quantity in a unit, where it comes back from there as it was. */
function inUnit(v: number, unit: string | undefined): number | null {
  const factor = unitFactor(unit);
  if (!unit || !factor) return null;
  const n = Number((v / factor).toPrecision(12));
  return n * factor === v ? n : null;
}

/** Several quantities in the field's unit, said once; each in the base unit where one of them would come back as another. */
function listed(all: readonly number[], spec: ParamSpec): string {
  const own = all.map((v) => inUnit(v, spec.unit));
  return own.every((v) => v !== null)
    ? `${own.join(', ')} ${spec.unit!}`
    : all.map((v) => `${v} ${spec.base!}`).join(', ');
}
