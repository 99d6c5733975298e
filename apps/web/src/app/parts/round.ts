/** Three digits of the range are enough to read a key by. */
export function roundTo(v: number, range: number): number {
  if (!(range > 0)) return v;
  const step = 10 ** (Math.floor(Math.log10(range)) - 2);
  return Math.round(v / step) * step;
}
