import { cutsOf, growTree, planted, vote, type Examples } from './forest';
import { digits, reference } from './imagery-fixture';

const { classes, half } = reference.digits;
const b = 64;

function forest(e: Examples, trees: number, seed: number) {
  const cuts = cutsOf(e);
  const tries = Math.floor(Math.sqrt(e.b));
  return planted(Array.from({ length: trees }, (_, t) => growTree(e, cuts, tries, seed + t)));
}

describe('a random forest', () => {
  it('is right as often as scikit-learn’s on the same halves of the digits, to a hundredth', () => {
    const e = { x: digits.subarray(0, half * b), b, classes: Uint16Array.from(classes.slice(0, half)), count: 10 };
    const theirs = reference.forest.scores.reduce((s, v) => s + v, 0) / reference.forest.scores.length;
    const votes = new Uint32Array(10);
    const scores = [1, 1001, 2001].map((seed) => {
      const f = forest(e, 200, seed);
      let right = 0;
      for (let i = half; i < classes.length; i++) {
        vote(f, digits, i * b, votes);
        if (votes.indexOf(Math.max(...votes)) === classes[i]) right++;
      }
      return right / (classes.length - half);
    });
    expect(scores.reduce((s, v) => s + v, 0) / 3).toBeGreaterThan(theirs - 0.01);
  });

  it('knows its own examples, and is the same from the same seed', () => {
    const x = Float32Array.from({ length: 60 }, (_, i) => (i % 2 ? i : -i) / 7);
    const e = { x, b: 2, classes: Uint16Array.from({ length: 30 }, (_, i) => (x[2 * i]! < -2 ? 0 : 1)), count: 2 };
    const [f, g] = [forest(e, 25, 7), forest(e, 25, 7)];
    expect([...f.cut]).toEqual([...g.cut]);
    const votes = new Uint32Array(2);
    e.classes.forEach((c, i) => {
      vote(f, x, 2 * i, votes);
      expect(votes.indexOf(Math.max(...votes))).toBe(c);
      expect(votes[0]! + votes[1]!).toBe(25);
    });
  });

  it('cuts half-way between values; with more than 255 of them where examples are as many on both sides', () => {
    const few = cutsOf({ x: Float32Array.of(1, 1, 3, 7), b: 1 });
    expect([...few.at[0]!]).toEqual([2, 5]);
    expect([...few.codes]).toEqual([0, 0, 1, 2]);
    const many = cutsOf({ x: Float32Array.from({ length: 5000 }, (_, i) => i), b: 1 });
    expect(many.at[0]!.length).toBe(255);
    const counts = new Uint32Array(256);
    for (const c of many.codes) counts[c]!++;
    expect(Math.max(...counts) - Math.min(...counts)).toBeLessThanOrEqual(2);
    // Neighbours in single precision have no number between them; they are still told apart.
    const near = cutsOf({ x: Float32Array.of(1, Math.fround(1 + 2 ** -23)), b: 1 });
    expect([...near.codes]).toEqual([0, 1]);
  });

  it('of examples that are all alike has one leaf, of the commonest class', () => {
    const t = growTree(
      { x: new Float32Array(9), b: 1, classes: Uint16Array.of(0, 1, 1, 1, 1, 1, 1, 1, 1), count: 2 },
      cutsOf({ x: new Float32Array(9), b: 1 }),
      1,
      1,
    );
    expect([t.band.length, t.band[0], t.child[0]]).toEqual([1, -1, 1]);
  });
});
