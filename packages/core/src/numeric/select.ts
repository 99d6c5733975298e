/**
 * The k-th smallest of the first n values (k from 0), which are put in another order: all before it are not larger, all behind it not smaller.
 * Hoare 1961 with the middle of three; O(n) on average. No value may be not a number.
 */
export function selectInPlace(v: Float64Array, k: number, n = v.length): number {
  let lo = 0;
  let hi = n - 1;
  while (hi > lo) {
    const mid = (lo + hi) >> 1;
    const [a, b, c] = [v[lo]!, v[mid]!, v[hi]!];
    const pivot = a < b ? (b < c ? b : a < c ? c : a) : a < c ? a : b < c ? c : b;
    let i = lo;
    let j = hi;
    while (i <= j) {
      while (v[i]! < pivot) i++;
      while (v[j]! > pivot) j--;
      if (i <= j) {
        const t = v[i]!;
        v[i++] = v[j]!;
        v[j--] = t;
      }
    }
    if (k <= j) hi = j;
    else if (k >= i) lo = i;
    else break;
  }
  return v[k]!;
}

/** The median of the first n values, which are put in another order; not a number for none. */
export function medianInPlace(v: Float64Array, n = v.length): number {
  if (n === 0) return NaN;
  const k = n >> 1;
  const high = selectInPlace(v, k, n);
  if (n & 1) return high;
  let low = -Infinity;
  for (let i = 0; i < k; i++) if (v[i]! > low) low = v[i]!;
  return (low + high) / 2;
}
