import type { Raster } from '../../data/raster';
import { gridOf } from '../../testing';

/** A scene of so many bands from vectors that stand one behind the other; for specs only. */
export function sceneOf(columns: number, x: ArrayLike<number>, b: number, names?: string[], roles?: string[]): Raster {
  const n = x.length / b;
  return {
    kind: 'raster',
    grid: gridOf(columns, n / columns),
    bands: Array.from({ length: b }, (_, j) => ({
      name: names?.[j] ?? `band ${j + 1}`,
      unit: null,
      kind: 'measure',
      storedType: 'float32',
      missingCode: null,
      ...(roles?.[j] ? { role: roles[j] } : {}),
      cells: Float32Array.from({ length: n }, (_v, i) => x[i * b + j]!),
    })),
  };
}
