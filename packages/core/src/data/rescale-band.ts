import { bandInfo, type Band } from './raster';

/** A band's values times a factor plus an offset; its role is kept unless the factor turns it upside down. O(cells). */
export function rescaleBand(b: Band, factor: number, offset: number, unit?: string): Band {
  const cells = b.cells instanceof Float64Array ? new Float64Array(b.cells.length) : new Float32Array(b.cells.length);
  for (let i = 0; i < cells.length; i++) cells[i] = b.cells[i]! * factor + offset;
  const whole = Number.isInteger(factor) && Number.isInteger(offset) && /int/.test(b.storedType);
  const { role, ...info } = bandInfo(b);
  return {
    ...info,
    ...(role && factor > 0 ? { role } : {}),
    kind: 'measure',
    unit: unit ?? b.unit,
    storedType: whole ? 'int32' : cells instanceof Float64Array ? 'float64' : 'float32',
    missingCode: null,
    cells,
  };
}
