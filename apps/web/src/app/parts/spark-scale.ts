/** What small lines through the bands of a picture share: their limits, and the wavelengths where all are known and rise. */
export interface SparkScale {
  low: number;
  high: number;
  at: number[] | null;
}

export function sparkScale(
  bands: readonly { wavelength: number | null }[],
  means: readonly (readonly number[])[],
): SparkScale {
  const all = means.flat();
  const at = bands.map((b) => b.wavelength);
  const rises = at.length > 0 && at.every((w, i) => w !== null && (i === 0 || w > at[i - 1]!));
  return { low: Math.min(...all), high: Math.max(...all), at: rises ? (at as number[]) : null };
}
