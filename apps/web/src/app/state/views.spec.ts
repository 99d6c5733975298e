import { crsOfCode, transformer, wgs84, type Extent } from '@helk/core';
import { Views } from './views';

const utm = crsOfCode(32627);
const SIZE = [600, 500];
const box: Extent = [530_000, 6_450_000, 540_000, 6_460_000];
const centre = (v: { getCenter(): number[] | undefined }): number[] => v.getCenter()!;

describe('views of panes', () => {
  let views: Views;
  beforeEach(() => (views = new Views()));

  it('are one for all while they are linked, and each its own, at the same place, once they are not', () => {
    const a = views.for(1, true, utm, 'p');
    expect(views.for(2, true, utm, 'p')).toBe(a);
    Views.arrive(a, [box], SIZE);
    const own = views.for(2, false, utm, 'p');
    expect(own).not.toBe(a);
    expect(centre(own)).toEqual(centre(a));
    expect(own.getResolution()).toBe(a.getResolution()!);
    own.setCenter([0, 0]);
    // Linked again, all look where the one that is looked at first does.
    expect(centre(views.for(1, true, utm, 'p'))).toEqual(centre(a));
  });

  it('go to the first thing that is shown, and not to another place after it', () => {
    const v = views.for(1, true, utm, 'p');
    Views.arrive(v, [box], undefined);
    expect(centre(v)).toEqual([0, 0]);
    Views.arrive(v, [box], SIZE);
    expect(centre(v)[0]).toBeCloseTo(535_000, -2);
    const there = centre(v);
    Views.arrive(v, [[0, 0, 10, 10]], SIZE);
    expect(centre(v)).toEqual(there);
    // Once nothing is shown, what comes next is gone to.
    Views.renew(v);
    Views.arrive(v, [[0, 0, 10, 10]], SIZE);
    expect(centre(v)[0]).toBeCloseTo(5, 0);
  });

  it('step back for what comes beside what they arrived at, not for what lies far off, nor once somebody went elsewhere', () => {
    const v = views.for(1, true, utm, 'p');
    Views.arrive(v, [box], SIZE);
    Views.arrive(v, [box, [540_000, 6_450_000, 550_000, 6_460_000], [0, 0, 10, 10]], SIZE);
    expect(v.calculateExtent(SIZE)[2]).toBeGreaterThan(550_000);
    expect(centre(v)[0]).toBeCloseTo(540_000, -2);
    v.setCenter([535_000, 6_455_000]);
    const near = v.getResolution();
    Views.arrive(v, [box, [550_000, 6_450_000, 560_000, 6_460_000]], SIZE);
    expect([...centre(v), v.getResolution()]).toEqual([535_000, 6_455_000, near]);
  });

  it('show what they arrived at whole while panes find their size, until somebody goes elsewhere', () => {
    const v = views.for(1, true, utm, 'p');
    Views.arrive(v, [box], SIZE);
    const wide = v.getResolution()!;
    Views.resized(v, [600, 250]);
    expect(v.getResolution()!).toBeGreaterThan(1.5 * wide);
    v.setCenter([531_000, 6_451_000]);
    const gone = v.getResolution();
    Views.resized(v, SIZE);
    expect(v.getResolution()).toBe(gone);
    expect(centre(v)).toEqual([531_000, 6_451_000]);
  });

  it('stay at the place, and at its size, when the project is looked at in another system', () => {
    const v = views.for(1, true, utm, 'p');
    Views.arrive(v, [box], SIZE);
    const [x, y] = centre(v) as [number, number];
    const metres = v.getResolution()!;
    const place = [0, 0];
    transformer(utm, wgs84())(x, y, place);

    const degrees = views.for(1, true, wgs84(), 'p');
    expect(centre(degrees)[0]).toBeCloseTo(place[0]!, 9);
    expect(centre(degrees)[1]).toBeCloseTo(place[1]!, 9);
    // A degree of latitude is about 111.4 km at 58° N (Helmert series, to a thousandth).
    expect(degrees.getResolution()! * 111_360).toBeCloseTo(metres, 0);

    const back = views.for(1, true, utm, 'p');
    expect(centre(back)[0]).toBeCloseTo(x, 3);
    expect(centre(back)[1]).toBeCloseTo(y, 3);
    expect(back.getResolution()).toBeCloseTo(metres, 6);
  });

  it('of panes that are not linked all stay', () => {
    const [a, b] = [views.for(1, false, utm, 'p'), views.for(2, false, utm, 'p')];
    Views.arrive(a, [box], SIZE);
    Views.arrive(b, [[500_000, 6_400_000, 501_000, 6_401_000]], SIZE);
    const other = crsOfCode(32628);
    const place = [0, 0];
    const [x, y] = centre(b) as [number, number];
    transformer(utm, other)(x, y, place);
    views.for(1, false, other, 'p');
    expect(centre(views.for(2, false, other, 'p'))[0]).toBeCloseTo(place[0]!, 3);
  });

  it('begin anew with another project, and with a place that cannot be expressed', () => {
    const v = views.for(1, true, utm, 'p');
    Views.arrive(v, [box], SIZE);
    expect(views.for(1, true, utm, 'q')).not.toBe(v);
    const pole = views.for(1, true, wgs84(), 'r');
    Views.arrive(pole, [[-180, 90, 180, 95]], SIZE);
    pole.setCenter([0, 95]);
    const next = views.for(1, true, utm, 'r');
    Views.arrive(next, [box], SIZE);
    expect(centre(next)[0]).toBeCloseTo(535_000, -2);
  });
});
