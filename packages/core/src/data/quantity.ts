import { HelkError } from '../errors';

/** What a quantity measures. `cell` is a cell size: a length, or an angle on a geographic grid. */
export type Dimension = 'length' | 'area' | 'volume' | 'time' | 'angle' | 'speed' | 'cell';

interface Unit {
  symbol: string;
  dimension: Exclude<Dimension, 'cell'>;
  /** Factor to the base unit of the dimension: m, m², m³, s, degree, m/s. */
  factor: number;
  names: string[];
}

const UNITS: Unit[] = [
  { symbol: 'mm', dimension: 'length', factor: 0.001, names: ['millimetre', 'millimetres'] },
  { symbol: 'cm', dimension: 'length', factor: 0.01, names: ['centimetre', 'centimetres'] },
  { symbol: 'm', dimension: 'length', factor: 1, names: ['metre', 'metres', 'meter', 'meters'] },
  { symbol: 'km', dimension: 'length', factor: 1000, names: ['kilometre', 'kilometres', 'kilometer', 'kilometers'] },
  { symbol: 'ft', dimension: 'length', factor: 0.3048, names: ['foot', 'feet'] },
  // The US survey foot is 1200/3937 m by definition (retired 2022, still found in data).
  { symbol: 'us-ft', dimension: 'length', factor: 1200 / 3937, names: ['us survey foot', 'us survey feet'] },
  { symbol: 'mi', dimension: 'length', factor: 1609.344, names: ['mile', 'miles'] },
  { symbol: 'm2', dimension: 'area', factor: 1, names: ['m²', 'sqm', 'square metres'] },
  { symbol: 'ha', dimension: 'area', factor: 1e4, names: ['hectare', 'hectares'] },
  { symbol: 'km2', dimension: 'area', factor: 1e6, names: ['km²', 'square kilometres'] },
  { symbol: 'm3', dimension: 'volume', factor: 1, names: ['m³', 'cubic metres'] },
  { symbol: 's', dimension: 'time', factor: 1, names: ['sec', 'second', 'seconds'] },
  { symbol: 'min', dimension: 'time', factor: 60, names: ['minute', 'minutes'] },
  { symbol: 'h', dimension: 'time', factor: 3600, names: ['hour', 'hours'] },
  { symbol: 'd', dimension: 'time', factor: 86400, names: ['day', 'days'] },
  { symbol: 'm/s', dimension: 'speed', factor: 1, names: ['metres per second'] },
  { symbol: 'km/h', dimension: 'speed', factor: 1 / 3.6, names: ['kmh', 'kph', 'kilometres per hour'] },
  { symbol: 'mph', dimension: 'speed', factor: 1609.344 / 3600, names: ['mi/h', 'miles per hour'] },
  { symbol: '°', dimension: 'angle', factor: 1, names: ['deg', 'degree', 'degrees'] },
  { symbol: '′', dimension: 'angle', factor: 1 / 60, names: ['arcmin', 'arcminute', 'arcminutes', "'"] },
  {
    symbol: '″',
    dimension: 'angle',
    factor: 1 / 3600,
    names: ['arcsec', 'arcsecond', 'arcseconds', 'arc-second', '"'],
  },
  { symbol: 'rad', dimension: 'angle', factor: 180 / Math.PI, names: ['radian', 'radians'] },
];

const BY_NAME = new Map<string, Unit>();
for (const u of UNITS) for (const n of [u.symbol, ...u.names]) BY_NAME.set(n.toLowerCase(), u);

/** The unit of that symbol or name, whatever its case, or undefined. */
export function findUnit(name: string | null | undefined): Unit | undefined {
  return name == null ? undefined : BY_NAME.get(name.trim().toLowerCase());
}

/** Factor from `unit` to the base unit of its dimension (m, m², m³, s, °); undefined when the unit is not known. */
export function unitFactor(unit: string | null | undefined): number | undefined {
  return findUnit(unit)?.factor;
}

export function unitsOf(dimension: Dimension): string[] {
  const wanted = dimension === 'cell' ? ['length', 'angle'] : [dimension];
  return UNITS.filter((u) => wanted.includes(u.dimension)).map((u) => u.symbol);
}

export interface Quantity {
  value: number;
  /** Canonical unit symbol; empty when a bare number was given. */
  unit: string;
}

const NUMBER = /^([+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:e[+-]?\d+)?)\s*(.*)$/i;

/**
 * Reads `"30 m"`, `"20ha"`, `"1,5 km"` or a bare number.
 *
 * @throws HelkError `method.parameter` when the text is not a number with a unit of the dimension.
 * @example parseQuantity('20 ha', 'area') // { value: 20, unit: 'ha' }
 */
export function parseQuantity(input: string | number, dimension: Dimension, path: string | null = null): Quantity {
  const refuse = (why: string): never => {
    throw new HelkError('method.parameter', why, path);
  };
  if (typeof input === 'number') {
    if (!Number.isFinite(input)) refuse(`${input} is not a finite number.`);
    return { value: input, unit: '' };
  }
  const m = NUMBER.exec(input.trim());
  if (!m) {
    return refuse(`"${input}" is not a number with a unit; write it like "${exampleOf(dimension)}".`);
  }
  const value = Number(m[1]!.replace(',', '.'));
  const name = m[2]!.trim();
  if (name === '') return { value, unit: '' };
  const unit = findUnit(name);
  const fits =
    unit &&
    (dimension === 'cell' ? unit.dimension === 'length' || unit.dimension === 'angle' : unit.dimension === dimension);
  if (!unit || !fits) {
    return refuse(
      `"${name}" in "${input}" is not a unit of ${dimension}; use one of ${unitsOf(dimension).join(', ')}.`,
    );
  }
  return { value, unit: unit.symbol };
}

function exampleOf(d: Dimension): string {
  return {
    length: '30 m',
    area: '20 ha',
    volume: '100 m3',
    time: '15 min',
    angle: '45 deg',
    speed: '5 km/h',
    cell: '30 m',
  }[d];
}

/** A quantity in the base unit of its dimension; a bare number takes `fieldUnit`. */
export function inBase(q: Quantity, fieldUnit: string): number {
  return q.value * (unitFactor(q.unit || fieldUnit) ?? 1);
}

/** `30 m`, `0.5 km2`: digits as short as they can be without loss. */
export function formatQuantity(q: Quantity): string {
  return q.unit ? `${q.value} ${q.unit}` : String(q.value);
}

/** How a unit is written on screen and in tables. */
export function displayUnit(unit: string | null | undefined): string {
  if (!unit) return '';
  if (unit === 'share') return '0 to 1';
  return unit.replace(/^(k?m)([23])$/, (_, b: string, p: string) => b + (p === '2' ? '²' : '³'));
}

/** The unit of squares of values: `cm` gives `cm²`, `per 1000 households` stands in brackets; null for values without a unit. */
export const squaredUnit = (unit: string | null): string | null =>
  unit ? (/^[a-zµ°]+$/i.test(unit) ? `${unit}²` : `(${unit})²`) : null;

/** Whether a name ends with its unit in brackets, as heads of columns do: `depth [cm]`. */
export const namesUnit = (name: string, unit: string | null | undefined): boolean =>
  !!unit && [`[${unit}]`, `(${unit})`].some((u) => name.trimEnd().endsWith(u));

/** A name with its unit behind it, said once. */
export const withUnit = (name: string, unit: string | null | undefined): string =>
  unit && !namesUnit(name, unit) ? `${name}, ${displayUnit(unit)}` : name;
