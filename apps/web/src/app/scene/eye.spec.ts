import { sideOf } from '@helk/core';
import { distanceFor, dragged, eyeOffset, metresPerPixel, START, turned } from './eye';

describe('an eye in a scene', () => {
  it('stands opposite to where it looks, as far away as it is', () => {
    const [x, y, z] = eyeOffset({ z: 0, heading: 90, tilt: 90, distance: 100 });
    expect(x).toBeCloseTo(-100, 6);
    expect(y).toBeCloseTo(0, 6);
    expect(z).toBeCloseTo(0, 6);
    const [, , above] = eyeOffset({ z: 0, heading: 33, tilt: 0, distance: 50 });
    expect(above).toBe(50);
    const o = eyeOffset({ ...START, heading: 217, tilt: 41, distance: 7 });
    expect(Math.hypot(...o)).toBeCloseTo(7, 9);
  });

  it('is as far away as a map of that scale shows', () => {
    expect(metresPerPixel(distanceFor(2.5, 600), 600)).toBeCloseTo(2.5, 9);
  });

  const whole = ([east, north]: [number, number]): number[] => [Math.round(east) + 0, Math.round(north) + 0];

  it('moves with the ground under the pointer: a drag to the right goes left, whichever way it looks', () => {
    const down = { ...START, heading: 0, tilt: 0, distance: distanceFor(1, 500) };
    expect(whole(dragged(down, 10, 0, 500))).toEqual([-10, 0]);
    expect(whole(dragged({ ...down, heading: 90 }, 10, 0, 500))).toEqual([0, 10]);
    expect(whole(dragged(down, 0, 10, 500))).toEqual([0, 10]);
  });

  it('turns round and round, and tilts from straight down to almost flat', () => {
    expect(turned({ ...START, heading: 350 }, 20, 0).heading).toBe(10);
    expect(turned({ ...START, heading: 10 }, -20, 0).heading).toBe(350);
    expect(turned(START, 0, 500).tilt).toBe(86);
    expect(turned(START, 0, -500).tilt).toBe(0);
    expect([sideOf(0), sideOf(50), sideOf(359), sideOf(-90)]).toEqual(['north', 'north-east', 'north', 'west']);
  });
});
