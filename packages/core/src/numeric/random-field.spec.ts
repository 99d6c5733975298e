import { randomField } from './random-field';

const at = (column: number, row: number, width: number, height: number) => ({ column, row, width, height });

/** Mean of the products of values that lie a lag apart, across and down. */
function covariance(f: Float32Array, width: number, lag: number): [number, number] {
  let [x, y, n, m] = [0, 0, 0, 0];
  for (let i = 0; i < f.length; i++) {
    if ((i % width) + lag < width) {
      x += f[i]! * f[i + lag]!;
      n++;
    }
    if (i + lag * width < f.length) {
      y += f[i]! * f[i + lag * width]!;
      m++;
    }
  }
  return [x / n, y / m];
}

describe('a random field', () => {
  it('is white noise without a length: mean 0, variance 1, neighbours apart, a normal distribution', () => {
    const f = randomField(4, at(0, 0, 600, 500), [0, 0]);
    let [sum, beyond] = [0, 0];
    for (const v of f) {
      sum += v;
      if (Math.abs(v) > 1.959964) beyond++;
    }
    expect(Math.abs(sum / f.length)).toBeLessThan(0.01);
    expect(covariance(f, 600, 0)[0]).toBeCloseTo(1, 1);
    for (const c of covariance(f, 600, 1)) expect(Math.abs(c)).toBeLessThan(0.01);
    // 5 % of a normal distribution lie beyond 1.96 (tables of the normal distribution).
    expect(beyond / f.length).toBeCloseTo(0.05, 2);
  });

  it('has the correlation exp(−(d/L)²), across and down by itself', () => {
    const [width, height] = [900, 900];
    const f = randomField(9, at(0, 0, width, height), [6, 10]);
    const [[vx], [x3], [x6]] = [0, 3, 6].map((lag) => covariance(f, width, lag)) as [number, number][];
    const [[, y5], [, y10]] = [5, 10].map((lag) => covariance(f, width, lag)) as [number, number][];
    expect(vx).toBeCloseTo(1, 1);
    expect(x3 / vx).toBeCloseTo(Math.exp(-0.25), 1);
    expect(x6 / vx).toBeCloseTo(Math.exp(-1), 1);
    expect(y5 / vx).toBeCloseTo(Math.exp(-0.25), 1);
    expect(y10 / vx).toBeCloseTo(Math.exp(-1), 1);
  });

  it('belongs to the lattice: tiles agree where they overlap', () => {
    const whole = randomField(2, at(-7, 100, 40, 30), [5, 5]);
    const part = randomField(2, at(3, 110, 12, 9), [5, 5]);
    for (let y = 0; y < 9; y++)
      for (let x = 0; x < 12; x++) expect(part[y * 12 + x]).toBeCloseTo(whole[(y + 10) * 40 + x + 10]!, 5);
    expect(randomField(3, at(3, 110, 12, 9), [5, 5])).not.toEqual(part);
  });
});
