import { FeaturesBuilder, wgs84 } from '@helk/core';
import { datasetOf, runOf } from '../testing';
import { stepsFrom, toldApart } from './nearness';
import type { DatasetItem } from './project.store';

const data = new FeaturesBuilder().build('point', wgs84(), []);
const dataset = (id: string, over: object = {}): DatasetItem => datasetOf(id, { data }, over) as unknown as DatasetItem;

describe('how near datasets are to each other', () => {
  const runs = Object.fromEntries(
    [
      runOf('r1', 'terrain.fill', {
        title: 'Fill depressions',
        inputs: { elevation: ['ground'] },
        outputs: ['filled'],
      }),
      runOf('r2', 'terrain.slope', { title: 'Slope', inputs: { elevation: ['filled'] }, outputs: ['slope'] }),
      runOf('r3', 'terrain.slope', { title: 'Slope', inputs: { elevation: ['ground#2'] }, outputs: ['other'] }),
    ].map((r) => [r.id, r]),
  );
  const all = [
    dataset('ground'),
    dataset('filled', { runId: 'r1' }),
    dataset('slope', { runId: 'r2', name: 'Slope', createdAt: '2026-03-04T05:06:07' }),
    dataset('other', { runId: 'r3', name: 'Slope', createdAt: '2026-03-05T07:08:09' }),
    dataset('far'),
  ];

  it('counts steps of making, forwards and backwards; what has no part in it is absent', () => {
    expect([...stepsFrom(['filled'], all, runs)]).toEqual([
      ['filled', 0],
      ['ground', 1],
      ['slope', 1],
      ['other', 2],
    ]);
    expect(stepsFrom(['gone'], all, runs).size).toBe(0);
  });

  it('tells equal names apart by what made them, from what, and when', () => {
    expect([...toldApart(all, runs)]).toEqual([
      ['slope', 'Slope of filled, 2026-03-04 05:06'],
      ['other', 'Slope of ground, 2026-03-05 07:08'],
    ]);
  });
});
