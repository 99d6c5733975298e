/** Of a normal distribution, for an interval of 95 %. */
export const Z95 = 1.959963984540054;

/** A square table of counts: row = what the map says, column = what was found there. */
export type ErrorMatrix = number[][];

const sum = (v: readonly number[]): number => v.reduce((s, x) => s + x, 0);
const column = (m: ErrorMatrix, j: number): number[] => m.map((r) => r[j]!);

export interface Agreement {
  n: number;
  overall: number;
  /** How much better than chance (Cohen 1960); NaN where chance alone would always agree. */
  kappa: number;
  /** Of what the map calls so, the share that is (1 - commission). NaN where it never does. */
  users: number[];
  /** Of what is so, the share that the map calls so (1 - omission). NaN where there is none. */
  producers: number[];
}

/** How far a map and what was found agree, counted place by place (Congalton 1991, doi:10.1016/0034-4257(91)90048-B). */
export function agreement(m: ErrorMatrix): Agreement {
  const rows = m.map(sum);
  const columns = m.map((_, j) => sum(column(m, j)));
  const n = sum(rows);
  const right = sum(m.map((r, i) => r[i]!));
  const chance = sum(rows.map((r, i) => r * columns[i]!)) / (n * n);
  return {
    n,
    overall: right / n,
    kappa: (right / n - chance) / (1 - chance),
    users: m.map((r, i) => r[i]! / rows[i]!),
    producers: m.map((r, i) => r[i]! / columns[i]!),
  };
}

/** A figure with its standard error. */
export interface Estimated {
  value: number;
  error: number;
}

export interface AreaAdjusted {
  overall: Estimated;
  users: Estimated[];
  producers: Estimated[];
  /** Share of the whole that each class really has. */
  area: Estimated[];
}

/**
 * Accuracy and shares of area where the places were drawn class by class of the map, each class weighted with the area it has there
 * (Olofsson et al. 2014, doi:10.1016/j.rse.2014.02.015, equations 1 to 11; Cochran 1977). A class of the map without a place is left out of
 * the weights.
 *
 * @param areas of each class of the map, in any unit
 */
export function areaAdjusted(m: ErrorMatrix, areas: readonly number[]): AreaAdjusted {
  const rows = m.map(sum);
  const counted = areas.map((a, i) => (rows[i]! > 0 ? a : 0));
  const whole = sum(counted);
  const w = counted.map((a) => a / whole);
  // Share of the whole that the map calls i and that is j.
  const p = m.map((r, i) => r.map((v) => (rows[i]! > 0 ? (w[i]! * v) / rows[i]! : 0)));
  const share = m.map((_, j) => sum(column(p, j)));
  const k = m.map((_, i) => i);
  const u = k.map((i) => m[i]![i]! / rows[i]!);
  // Of one place the spread cannot be told.
  const spread = (q: number, n: number): number => (q * (1 - q)) / (n - 1);
  const overall = sum(k.map((i) => p[i]![i]!));
  const overallVariance = sum(k.map((i) => (rows[i]! > 0 ? w[i]! ** 2 * spread(u[i]!, rows[i]!) : 0)));
  const producers = k.map((j): Estimated => {
    const value = p[j]![j]! / share[j]!;
    // Equation 7, with areas as shares of the whole.
    const own = rows[j]! > 0 ? w[j]! ** 2 * (1 - value) ** 2 * spread(u[j]!, rows[j]!) : 0;
    const others = sum(
      k.map((i) => (i !== j && rows[i]! > 0 ? w[i]! ** 2 * spread(m[i]![j]! / rows[i]!, rows[i]!) : 0)),
    );
    return { value, error: Math.sqrt((own + value ** 2 * others) / share[j]! ** 2) };
  });
  return {
    overall: { value: overall, error: Math.sqrt(overallVariance) },
    users: k.map((i) => ({ value: u[i]!, error: Math.sqrt(spread(u[i]!, rows[i]!)) })),
    producers,
    area: k.map((j) => ({
      value: share[j]!,
      error: Math.sqrt(sum(k.map((i) => (rows[i]! > 0 ? w[i]! ** 2 * spread(m[i]![j]! / rows[i]!, rows[i]!) : 0)))),
    })),
  };
}
