import fc from 'fast-check';
import { classesOf, placesOf } from '../../data/cloud';
import { methodOf } from '../../method/registry';
import { runMethod } from '../../method/run';
import { refusalOf } from '../../testing';
import { inOutline, readMarks, writeMarks, type Mark } from './mark';
import { smallScene } from './scene-fixture';

const number = fc.integer({ min: -5_000_000, max: 5_000_000 }).map((v) => v / 1000);
const marks: fc.Arbitrary<Mark> = fc.record({
  class: fc.integer({ min: 0, max: 255 }),
  of: fc.array(fc.integer({ min: 0, max: 255 }), { maxLength: 3 }),
  strip: fc
    .record({
      ax: number,
      ay: number,
      bx: number,
      by: number,
      width: fc.integer({ min: 1, max: 5_000_000 }).map((v) => v / 1000),
    })
    .map((s) => ({ ...s, bx: s.bx === s.ax ? s.bx + 1 : s.bx })),
  ring: fc.array(fc.tuple(number, number), { minLength: 3, maxLength: 6 }),
});

describe('marks', () => {
  it('are written so that they are read the same', () => {
    fc.assert(fc.property(fc.array(marks), (all) => expect(readMarks(writeMarks(all))).toEqual(all)));
  });
  it('that cannot be read are told with the part that is wrong', async () => {
    for (const [text, word] of [
      ['6', 'is not of the form'],
      ['300 @ 0 0, 1 0 wide 1: 0 0, 1 0, 1 1', '300 is no class'],
      ['6 of 2, 256 @ 0 0, 1 0 wide 1: 0 0, 1 0, 1 1', '256 is no class'],
      ['6 @ 0 0, 0 0 wide 1: 0 0, 1 0, 1 1', 'no length'],
      ['6 @ 0 0, 1 0 wide 0: 0 0, 1 0, 1 1', 'no width'],
      ['6 @ 0 0, 1 0 wide 1: 0 0, 1 0', 'fewer than three'],
      ['6 @ 0 0, 1 0 wide 1: 0 0, 1 x, 1 1', '"1 x"'],
      [`6 of 1${' '.repeat(200_000)}`, 'is not of the form'],
    ] as const)
      expect((await refusalOf(Promise.resolve().then(() => readMarks(text)))).message)
        .withContext(text.slice(0, 40))
        .toContain(word);
  });
  it('have an inside by the even and odd rule', () => {
    const ring = [
      [0, 0],
      [4, 0],
      [4, 4],
      [2, 1],
      [0, 4],
    ] as const;
    const inside = ([x, z]: readonly [number, number]): boolean => inOutline(ring, x, z);
    expect(inside([0.5, 2])).toBeTrue();
    expect(inside([2, 2])).toBeFalse();
    expect(inside([2, 0.5])).toBeTrue();
    expect(inside([5, 1])).toBeFalse();
  });
});

describe('cloud.mark', () => {
  const { cloud } = smallScene(20_000);
  const run = (text: string) => runMethod(methodOf('cloud.mark'), { cloud: [cloud] }, { marks: text });

  it('gives a class to points of a strip within an outline and leaves all others, the cloud itself too', async () => {
    const was = classesOf(cloud).slice();
    const [x0, y0] = [400_000, 6_459_900];
    // A strip to the north, 4 m wide; of what lies 5 to 25 m along it, all above 22 m of the classes 2 and 5.
    const made = await run(
      `6 of 2, 5 @ ${x0 + 20} ${y0}, ${x0 + 20} ${y0 + 60} wide 4: 5 22, 25 22, 25 60, 5 60; 7 @ ${x0} ${y0}, ${x0 + 9} ${y0} wide 2: 0 0, 9 0, 9 99, 0 99`,
    );
    const out = made.outputs[0]!.data;
    if (out.kind !== 'cloud') throw new Error('a cloud');
    const now = classesOf(out);
    const at = placesOf(cloud);
    let first = 0;
    let second = 0;
    for (let i = 0; i < was.length; i++) {
      const [x, y, z] = [at.x[i]! - x0, at.y[i]! - y0, at.z[i]!];
      const a = Math.abs(x - 20) <= 2 && y >= 5 && y <= 25 && z > 22 && (was[i] === 2 || was[i] === 5);
      const b = x >= 0 && x <= 9 && Math.abs(y) <= 1;
      if (b) second++;
      else if (a) first++;
      expect(now[i]).toBe(b ? 7 : a ? 6 : was[i]!);
    }
    expect(first).toBeGreaterThan(20);
    expect(second).toBeGreaterThan(20);
    expect(made.figures).toEqual({ marks: 2, marked: first + second, changed: first + second });
    expect(classesOf(cloud)).toEqual(was);
  });
  it('says of marks without a point that they have none, and refuses no marks', async () => {
    const made = await run('6 @ 0 0, 1 0 wide 1: 0 0, 1 0, 1 1');
    expect(made.notes.map((n) => n.code)).toContain('marks.empty');
    expect(made.figures).toEqual({ marks: 1, marked: 0, changed: 0 });
    expect((await refusalOf(run(' ; '))).message).toContain('nothing marked');
  });
});
