/** A part of a profile, by the indices of its ends, and its mean gradient. */
export interface Stretch {
  from: number;
  to: number;
  /** Rise over run, without sign. */
  gradient: number;
}

/**
 * The stretch of a profile, at least `length` long, over which the value changes most for its length; ends lie on points of the profile.
 * Null when the profile is shorter. Stretches across missing values do not count. O(n).
 *
 * @param distance ascending, in the unit of `length`
 * @param vertical how many units of `distance` one unit of the values is
 */
export function steepestStretch(
  distance: ArrayLike<number>,
  values: ArrayLike<number>,
  length: number,
  vertical = 1,
): Stretch | null {
  let best: Stretch | null = null;
  let missing = -1;
  let from = 0;
  for (let to = 0; to < distance.length; to++) {
    if (values[to]! !== values[to]!) missing = to;
    // The last start that still leaves the length.
    while (from + 1 < to && distance[to]! - distance[from + 1]! >= length) from++;
    const run = distance[to]! - distance[from]!;
    if (run < length || !(run > 0) || missing >= from) continue;
    const gradient = (Math.abs(values[to]! - values[from]!) * vertical) / run;
    if (!best || gradient > best.gradient) best = { from, to, gradient };
  }
  return best;
}
