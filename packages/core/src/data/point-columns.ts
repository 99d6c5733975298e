import { wgs84, type Crs } from './crs';
import { FeaturesBuilder, type Column, type Features } from './features';

/** Usual names of coordinate columns in the languages that files come in, with or without a unit behind them. */
const X_NAMES =
  /^(x|lon|lng|long|longitude?|decimal_?longitude|l(ä|ae)nge(ngrad)?|eastings?|east|este|leste|est|ost(wert)?|rechtswert|x_?coord(inate)?|coord(enada)?_?x|(point|utm)_?[xe])(\s*[[(].*)?$/i;
const Y_NAMES =
  /^(y|lat|latitude?|decimal_?latitude|breite(ngrad)?|northings?|north|norte|nord(wert)?|hochwert|y_?coord(inate)?|coord(enada)?_?y|(point|utm)_?[yn])(\s*[[(].*)?$/i;

/** Whether a column is named as coordinates are. */
export const namedCoordinate = (name: string): boolean => X_NAMES.test(name.trim()) || Y_NAMES.test(name.trim());

/** The columns that hold coordinates, by their names; null when there is no such pair. */
export function coordinateColumns(columns: readonly Pick<Column, 'name' | 'type'>[]): { x: string; y: string } | null {
  const named = (names: RegExp): string | undefined =>
    columns.find((c) => names.test(c.name) && c.type === 'number')?.name;
  const [x, y] = [named(X_NAMES), named(Y_NAMES)];
  return x !== undefined && y !== undefined ? { x, y } : null;
}

/** Whether coordinates can be longitudes and latitudes. */
export function fitsDegrees(xy: ArrayLike<number>): boolean {
  for (let i = 0; i < xy.length; i += 2) if (Math.abs(xy[i]!) > 360 || Math.abs(xy[i + 1]!) > 90) return false;
  return true;
}

/** Whether a column is named as longitudes are. */
export const namedLongitude = (name: string): boolean => /^((decimal_?)?(lon|lng)|l(ä|ae)nge)/i.test(name);

/**
 * A point for each row by two columns of numbers; a row without both keeps its values and has no place.
 *
 * @param crs null: WGS 84 where the columns are named and can be longitudes and latitudes, else not known
 * @returns the points, and how many rows have no place
 */
export function pointsOfColumns(
  columns: Column[],
  at: { x: string; y: string },
  crs: Crs | null,
): { points: Features; placeless: number } {
  const xs = columns.find((c) => c.name === at.x)!;
  const ys = columns.find((c) => c.name === at.y)!;
  const b = new FeaturesBuilder();
  let placeless = 0;
  for (let i = 0; i < xs.values.length; i++) {
    const x = xs.values[i] as number;
    const y = ys.values[i] as number;
    if (Number.isFinite(x) && Number.isFinite(y) && !xs.missing?.[i] && !ys.missing?.[i]) b.point(x, y);
    else {
      placeless++;
      b.endFeature();
    }
  }
  const points = b.build('point', crs, columns);
  if (!crs && namedLongitude(at.x) && fitsDegrees(points.xy)) points.crs = wgs84();
  return { points, placeless };
}
