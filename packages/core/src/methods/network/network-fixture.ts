import type { Column, Features } from '../../data/features';
import { FeaturesBuilder } from '../../data/features';
import { crsOfCode } from '../../data/crs';

/** Helpers for specs only. */

export type Street = readonly (readonly [x: number, y: number])[];

/** Streets as lines, metres east and north of a corner in UTM zone 32. */
export function streetsOf(lines: readonly Street[], columns: Column[] = []): Features {
  const b = new FeaturesBuilder();
  for (const line of lines) {
    for (const [x, y] of line) b.coordinate(500_000 + x, 5_900_000 + y);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('line', crsOfCode(25832), columns);
}

/** Points as streets are given. */
export function pointsOf(places: readonly (readonly [x: number, y: number])[], columns: Column[] = []): Features {
  const b = new FeaturesBuilder();
  for (const [x, y] of places) b.point(500_000 + x, 5_900_000 + y);
  return b.build('point', crsOfCode(25832), columns);
}
