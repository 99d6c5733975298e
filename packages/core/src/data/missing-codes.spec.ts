import { suspectIn } from './missing-codes';

/** Values from 0 to 20, with others among them. */
const among = (...others: number[]): Float64Array =>
  Float64Array.from([...Array.from({ length: 100 }, (_, i) => i / 5), ...others]).sort();

describe('codes for missing values', () => {
  it('are usual ones that recur or stand far off', () => {
    expect(suspectIn(among(-99, -99))).toEqual({ value: -99, count: 2 });
    expect(suspectIn(among(-9999))).toEqual({ value: -9999, count: 1 });
    expect(suspectIn(among(999, 999))).toEqual({ value: 999, count: 2 });
  });

  it('are negative values that recur among positive ones and stand off further than all of their range', () => {
    expect(suspectIn(among(-88.8, -88.8, -88.8))).toEqual({ value: -88.8, count: 3 });
    expect(suspectIn(among(-88.8, -88.8))).toBeNull();
    expect(suspectIn(among(-5, -5, -5))).toBeNull();
    expect(suspectIn(among(-40, -40, -40, -1))).toBeNull();
  });

  it('are not what is measured', () => {
    expect(suspectIn(among())).toBeNull();
    expect(suspectIn(Float64Array.of(-3, -3, -3, -3))).toBeNull();
    expect(suspectIn(Float64Array.of(-3, -3, -3, 5, 5))).toBeNull();
  });
});
