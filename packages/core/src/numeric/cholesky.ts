/**
 * Lower triangle L of a symmetric positive definite matrix, L Lᵀ = A, row by row in place of A. O(n³).
 *
 * @param a n × n, row by row; its upper triangle is not read
 * @returns false where A is not positive definite to working precision
 */
export function cholesky(a: Float64Array, n: number): boolean {
  for (let j = 0; j < n; j++) {
    const rj = j * n;
    for (let i = j; i < n; i++) {
      const ri = i * n;
      let s = a[ri + j]!;
      for (let k = 0; k < j; k++) s -= a[ri + k]! * a[rj + k]!;
      if (i === j) {
        if (!(s > 0)) return false;
        a[rj + j] = Math.sqrt(s);
      } else a[ri + j] = s / a[rj + j]!;
    }
  }
  return true;
}

/** L y = b, in place of b. O(n²). */
export function forward(l: Float64Array, n: number, b: Float64Array): void {
  for (let i = 0; i < n; i++) {
    const r = i * n;
    let s = b[i]!;
    for (let k = 0; k < i; k++) s -= l[r + k]! * b[k]!;
    b[i] = s / l[r + i]!;
  }
}

/** Lᵀ x = y, in place of y. O(n²). */
export function backward(l: Float64Array, n: number, y: Float64Array): void {
  for (let i = n - 1; i >= 0; i--) {
    let s = y[i]!;
    for (let k = i + 1; k < n; k++) s -= l[k * n + i]! * y[k]!;
    y[i] = s / l[i * n + i]!;
  }
}

/** A x = b by its lower triangle, in place of b. O(n²). */
export function solveCholesky(l: Float64Array, n: number, b: Float64Array): void {
  forward(l, n, b);
  backward(l, n, b);
}

/** A x = b for any square matrix by elimination with row pivots, in place of b; false where it is singular. O(n³). Destroys A. */
export function solve(a: Float64Array, n: number, b: Float64Array): boolean {
  for (let c = 0; c < n; c++) {
    let p = c;
    for (let r = c + 1; r < n; r++) if (Math.abs(a[r * n + c]!) > Math.abs(a[p * n + c]!)) p = r;
    const pivot = a[p * n + c]!;
    if (!(Math.abs(pivot) > 1e-300)) return false;
    if (p !== c) {
      for (let k = c; k < n; k++) [a[p * n + k], a[c * n + k]] = [a[c * n + k]!, a[p * n + k]!];
      [b[p], b[c]] = [b[c]!, b[p]!];
    }
    for (let r = c + 1; r < n; r++) {
      const f = a[r * n + c]! / pivot;
      if (f === 0) continue;
      for (let k = c; k < n; k++) a[r * n + k]! -= f * a[c * n + k]!;
      b[r]! -= f * b[c]!;
    }
  }
  for (let r = n - 1; r >= 0; r--) {
    let s = b[r]!;
    for (let k = r + 1; k < n; k++) s -= a[r * n + k]! * b[k]!;
    b[r] = s / a[r * n + r]!;
  }
  return true;
}
