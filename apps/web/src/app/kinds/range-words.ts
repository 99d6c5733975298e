import { displayUnit, formatNumber, metresPerUnit, percentOf, type RasterInfo } from '@helk/core';

/** `30 to 45 °: 1 240 cells, 3.2 % of those with a value, 45.6 ha`. Cells are counted by whole bars of the histogram. */
export function rangeWords(info: RasterInfo, index: number, [low, high]: [number, number]): string {
  const band = info.bands[index]!;
  const f = band.facts!;
  const { counts, min, max } = f.histogram ?? { counts: [], min: NaN, max: NaN };
  const step = (max - min) / counts.length;
  let cells = 0;
  let all = 0;
  if (band.kind === 'category')
    for (const v of f.values ?? []) {
      all += v.cells;
      if (v.value >= low && v.value <= high) cells += v.cells;
    }
  else
    counts.forEach((n, i) => {
      all += n;
      const middle = min + (i + 0.5) * step;
      if (middle > low && middle < high) cells += n;
    });
  const range = max - min;
  const unit = displayUnit(band.unit);
  const { crs, dx, dy } = info.grid;
  const m = crs && !crs.geographic ? metresPerUnit(crs) : null;
  const area = m === null ? NaN : cells * dx * dy * m * m;
  const words = area >= 1e7 ? `${formatNumber(area / 1e6, 10)} km²` : `${formatNumber(area / 1e4, 10)} ha`;
  const what =
    low === high
      ? (band.classes?.find((c) => c.value === low)?.label ?? String(low))
      : `${formatNumber(low, range)} to ${formatNumber(high, range)} ${unit}`.trim();
  return [
    `${what}: ${formatNumber(cells)} cells`,
    `${percentOf(cells / Math.max(1, all), 2)} %`,
    ...(area === area ? [words] : []),
  ].join(', ');
}
