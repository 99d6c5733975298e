import {
  POINT_ATTRIBUTES,
  pointValues,
  scaledPlaces,
  type Cloud,
  type CloudAttribute,
  type Triple,
} from '../data/cloud';
import { plural, type Note } from '../data/check';
import type { Crs } from '../data/crs';
import { FreeNames } from '../data/names';
import type { StoredType } from '../data/raster';

/** A column of values, one a point. */
export interface PointColumn {
  name: string;
  values: Float64Array | Float32Array;
}

/** Names under which attributes are met in files of points, in small letters. */
const NAMES: Record<string, string> = {
  classification: 'classification',
  class: 'classification',
  scalar_classification: 'classification',
  label: 'classification',
  intensity: 'intensity',
  scalar_intensity: 'intensity',
  reflectance: 'intensity',
  r: 'red',
  g: 'green',
  b: 'blue',
  red: 'red',
  green: 'green',
  blue: 'blue',
  diffuse_red: 'red',
  diffuse_green: 'green',
  diffuse_blue: 'blue',
  nir: 'infrared',
  returnnumber: 'returnNumber',
  return_number: 'returnNumber',
  numberofreturns: 'returns',
  number_of_returns: 'returns',
  gpstime: 'time',
  gps_time: 'time',
  pointsourceid: 'source',
  point_source_id: 'source',
};

const RANGES: Partial<Record<StoredType, number>> = { uint8: 255, uint16: 65535 };

/**
 * A cloud of columns of values: places as whole numbers of a scale that keeps their digits, the others under the names of the LAS
 * specification where they are known and their values fit, else under their own. Points without a place are left out and counted.
 *
 * @param finest smallest step of the coordinates that is worth keeping
 */
export function cloudOfColumns(
  [x, y, z]: [Float64Array, Float64Array, Float64Array],
  columns: readonly PointColumn[],
  crs: Crs | null,
  finest: Triple,
  notes: Note[],
): Cloud {
  const { kept, ...places } = scaledPlaces([x, y, z], finest);
  if (kept)
    notes.push({
      level: 'look',
      code: 'points.noPlace',
      message: `${plural(x.length - kept.length, 'point')} ${x.length - kept.length === 1 ? 'has' : 'have'} no place and ${x.length - kept.length === 1 ? 'is' : 'are'} left out.`,
    });
  const n = places.x.length;
  const free = new FreeNames([], '_');
  const attributes = columns.map(({ name, values }): CloudAttribute => {
    const known = NAMES[name.toLowerCase().replace(/^\W+|\W+$/g, '')];
    const type = known ? POINT_ATTRIBUTES[known]!.type : 'float32';
    const most = RANGES[type];
    let fits = known !== undefined;
    if (most !== undefined) for (const v of values) if (!(v >= 0 && v <= most && v % 1 === 0)) fits = false;
    const out = pointValues(fits ? type : values instanceof Float64Array ? 'float64' : 'float32', n);
    for (let k = 0; k < n; k++) out[k] = values[kept ? kept[k]! : k]!;
    const unit = fits
      ? POINT_ATTRIBUTES[known!]!.unit
      : (/[([]\s*([^()[\]]{1,12}?)\s*[)\]]\s*$/.exec(name)?.[1] ?? null);
    return {
      name: free.take(fits ? known! : name),
      type: fits ? type : values instanceof Float64Array ? 'float64' : 'float32',
      unit,
      values: out,
    };
  });
  // Colours of a byte are as bright as those of two.
  const colours = attributes.filter((a) => /^(red|green|blue)$/.test(a.name));
  if (colours.length && colours.every((a) => a.values.every((v) => v <= 255)))
    for (const a of colours) for (let i = 0; i < n; i++) a.values[i] = a.values[i]! * 257;
  return { kind: 'cloud', crs, heightUnit: 'm', ...places, attributes };
}
