import { crsOfCode, FeaturesBuilder, numberColumn, textColumn, type Column, type Features } from '@helk/core';
import { runOf } from '../testing';
import { figure, madeColumn, namesOf, QUARTERS, quartersOf } from './quarters';

function points(columns: Column[]): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < 5; i++) b.point(i, i);
  return b.build('point', crsOfCode(32627), columns);
}

describe('value and neighbours in quarters', () => {
  const f = points([
    textColumn('name', ['Ada', '', 'Cor', 'Dun', 'Eld']),
    numberColumn('v', [1, 2, 3, 4, NaN], 'm'),
    numberColumn('lag', [9, 9, 9, 9, 9]),
    numberColumn('lag_2', [1.5, 2, 3, 3.5, 2]),
  ]);

  it('takes the column that the run added, where the name was taken too', () => {
    expect(madeColumn(f, 'lag')?.name).toBe('lag_2');
    expect(madeColumn(f, 'la')).toBeUndefined();
  });

  it('has the slope of neighbours over values, of those that have both', () => {
    const q = quartersOf(f, runOf('r', 'stats.localMoran', { params: { column: 'v' } }))!;
    expect(q.count).toBe(4);
    expect([q.mean, q.unit, q.of]).toEqual([2.5, 'm', 'v']);
    // Σ (v - 2.5)(lag - 2.5) / Σ (v - 2.5)²: (1.5 + 0.25 + 0.25 + 1.5) / 5.
    expect(q.slope).toBeCloseTo(3.5 / 5, 12);
    expect(q.x[4]).toBeNaN();
    expect(QUARTERS.map((k) => Array.from(q.x).filter((x, i) => k.has(x, q.y[i]!)).length)).toEqual([0, 2, 2, 0]);
  });

  it('works a formula out where none of the columns is meant', () => {
    const q = quartersOf(f, runOf('r', 'stats.localMoran', { params: { column: 'v * 10' } }))!;
    expect(q.mean).toBe(25);
    expect(
      quartersOf(points([numberColumn('v', [1, 2, 3, 4, 5])]), runOf('r', 'stats.moran', { params: {} })),
    ).toBeNull();
  });

  it('calls rows by their names, else by their numbers, and tells figures with three places', () => {
    const name = namesOf(f);
    expect([name(0), name(1)]).toEqual(['Ada', 'no. 2']);
    expect([0.62913, -0.004255, 18.94].map(figure)).toEqual(['0.629', '−0.00426', '18.9']);
  });
});
