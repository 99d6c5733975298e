import { agreement, areaAdjusted } from './agreement';
import { reference } from './imagery-fixture';

describe('agreement of a map and what was found', () => {
  it('is that of the worked example of Congalton 1991 (values from memory: 74 %, kappa 0.65)', () => {
    const a = agreement([
      [65, 4, 22, 24],
      [6, 81, 5, 8],
      [0, 11, 85, 19],
      [4, 7, 3, 90],
    ]);
    expect(a.n).toBe(434);
    expect(Math.round(100 * a.overall)).toBe(74);
    expect(a.kappa).toBeCloseTo(0.65, 2);
    expect(a.users.map((v) => Math.round(100 * v))).toEqual([57, 81, 74, 87]);
    expect(a.producers.map((v) => Math.round(100 * v))).toEqual([87, 79, 74, 64]);
  });

  it('is scikit-learn’s (confusion_matrix, cohen_kappa_score)', () => {
    const { matrix, kappa } = reference.agreement;
    expect(agreement(matrix).kappa).toBeCloseTo(kappa, 12);
  });

  it('has no kappa where chance alone always agrees', () => {
    expect(
      agreement([
        [9, 0],
        [0, 0],
      ]).kappa,
    ).toBeNaN();
  });
});

describe('agreement weighted with areas', () => {
  // Olofsson et al. 2014, section 5 (table 8): loss of forest, gain, stable forest, stable other land; counts and results from memory.
  const counts = [
    [66, 0, 5, 4],
    [0, 55, 8, 12],
    [1, 0, 153, 11],
    [2, 1, 9, 313],
  ];
  const pixels = [200_000, 150_000, 3_200_000, 6_450_000];

  it('is that of the worked example of Olofsson et al. 2014', () => {
    const a = areaAdjusted(counts, pixels);
    const half = (e: { error: number }): number => 1.96 * e.error;
    expect(a.overall.value).toBeCloseTo(0.947, 3);
    expect(half(a.overall)).toBeCloseTo(0.018, 3);
    expect(a.users.map((u) => u.value.toFixed(2))).toEqual(['0.88', '0.73', '0.93', '0.96']);
    expect(a.users.map((u) => half(u).toFixed(2))).toEqual(['0.07', '0.10', '0.04', '0.02']);
    expect(a.producers.map((u) => u.value.toFixed(2))).toEqual(['0.75', '0.85', '0.93', '0.96']);
    expect(half(a.producers[0]!)).toBeCloseTo(0.21, 2);
    // Equation 7 by hand for the gain: what was missed lies in one place of the other land, of weight 0.645.
    const missed = (0.645 ** 2 * ((1 / 325) * (324 / 325))) / 324;
    const own = (0.015 ** 2 * (1 - a.producers[1]!.value) ** 2 * ((55 / 75) * (20 / 75))) / 74;
    const share = 0.015 * (55 / 75) + 0.645 / 325;
    expect(a.producers[1]!.error).toBeCloseTo(Math.sqrt(own + a.producers[1]!.value ** 2 * missed) / share, 12);
    // 21 158 ± 6 158 ha of lost forest, of cells of 900 m².
    const hectares = 1e7 * 0.09;
    expect(Math.round(a.area[0]!.value * hectares)).toBe(21158);
    expect(Math.round(half(a.area[0]!) * hectares)).toBe(6158);
  });

  it('adds up, and leaves out classes where nobody looked', () => {
    const a = areaAdjusted([...counts.map((r) => [...r, 0]), [0, 0, 0, 0, 0]], [...pixels, 1e6]);
    expect(a.area.reduce((s, e) => s + e.value, 0)).toBeCloseTo(1, 12);
    expect(a.area[4]!.value).toBe(0);
    expect(a.users[4]!.value).toBeNaN();
    expect(a.overall.value).toBeCloseTo(areaAdjusted(counts, pixels).overall.value, 12);
  });
});
