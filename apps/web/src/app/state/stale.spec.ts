import { crsOfCode, infoOf, type DatasetInfo } from '@helk/core';
import { measureRaster, systemText } from '@helk/core';
import type { ApiRun } from '@helk/core/api/schemas';
import { datasetOf, runOf } from '../testing';
import type { DatasetItem } from './project.store';
import { newest, runsAnew, staleOf, staleWords } from '@helk/core/recipe/stale';

const cells = Float32Array.of(1, 2, 3, 4);
const infoIn = (code: number | null): DatasetInfo =>
  infoOf(
    measureRaster(
      { crs: code === null ? null : crsOfCode(code), x: 400_000, y: 6_000_000, dx: 10, dy: 10, columns: 2, rows: 2 },
      cells,
      { name: 'z', unit: 'm' },
    ),
  );
const item = (id: string, code: number | null, runId: string | null = null): DatasetItem =>
  datasetOf(id, { info: infoIn(code) }, { runId, name: id }) as unknown as DatasetItem;
const run = (id: string, inputs: string[], output: string, code: number | null): ApiRun =>
  runOf(id, 'terrain.slope', {
    inputs: { elevation: inputs },
    outputs: [output],
    systems: Object.fromEntries(
      inputs.map((i) => [i.replace(/#.*/, ''), code === null ? null : systemText(crsOfCode(code))]),
    ),
  });

describe('results that rest on what has a newer one', () => {
  const runs = { r1: run('r1', ['old'], 'filled', 32631), r2: run('r2', ['filled'], 'slope', 32631) };
  const old = { ...item('old', 32631), replacedBy: 'next' };
  const all = [old, item('next', 32631), item('filled', 32631, 'r1'), item('slope', 32631, 'r2')];

  it('are out of date, and so is what was made of them, until they are made again in order', () => {
    const stale = staleOf(all, runs);
    expect([...stale.keys()]).toEqual(['filled', 'slope']);
    expect(staleWords(stale.get('slope')!)).toBe(
      'Out of date: it was made from “old”, and “next” has taken its place.',
    );
    expect(runsAnew(['slope', 'filled'], all, runs, stale).map((r) => r.id)).toEqual(['r1', 'r2']);
    expect(newest('old', Object.fromEntries(all.map((d) => [d.id, d])))).toBe('next');
  });

  it('are in order while the newer one is away', () => {
    const without = all.filter((d) => d.id !== 'next');
    expect(staleOf(without, runs).size).toBe(0);
    expect(newest('old', Object.fromEntries(without.map((d) => [d.id, d])))).toBe('old');
  });

  it('end, even where newer ones go round in a circle', () => {
    const [a, b] = [
      { ...item('a', 32631), replacedBy: 'b' },
      { ...item('b', 32631), replacedBy: 'a' },
    ];
    expect(['a', 'b']).toContain(newest('a', { a, b }));
  });
});

describe('results that rest on a coordinate system that has been put right', () => {
  // source -> filled -> slope, and another one that has nothing to do with it.
  const runs = {
    r1: run('r1', ['source'], 'filled', 32631),
    r2: run('r2', ['filled#1'], 'slope', 32631),
    r3: run('r3', ['apart'], 'shade', 32632),
  };
  const rest = [
    item('filled', 32631, 'r1'),
    item('slope', 32631, 'r2'),
    item('apart', 32632),
    item('shade', 32632, 'r3'),
  ];

  it('are none while nothing was changed', () => {
    expect(staleOf([item('source', 32631), ...rest], runs).size).toBe(0);
  });

  it('are known by what their runs remember, and so is what was made of them in turn', () => {
    const stale = staleOf([item('source', 32633), ...rest], runs);
    expect([...stale.keys()]).toEqual(['filled', 'slope']);
    expect(staleWords(stale.get('slope')!)).toBe(
      'Made when “source” was taken to be in EPSG:32631; it is in EPSG:32633 now.',
    );
  });

  it('are in order again when the old system is given back', () => {
    expect(staleOf([item('source', 32631), ...rest], runs).size).toBe(0);
  });

  it('tell a system that was not known', () => {
    const all = [item('lost', 32631), item('made', null, 'r')];
    const stale = staleOf(all, { r: run('r', ['lost'], 'made', null) });
    expect(staleWords(stale.get('made')!)).toContain('an unknown system; it is in EPSG:32631 now');
  });

  it('say nothing of runs that an older Helk made, which remember nothing', () => {
    const old = { r1: { ...runs.r1, systems: {} }, r2: { ...runs.r2, systems: {} } };
    expect(staleOf([item('source', 32633), ...rest], old).size).toBe(0);
  });

  it('are made again in the order in which they were made, each once', () => {
    const all = [item('source', 32633), ...rest];
    const stale = staleOf(all, runs);
    expect(runsAnew(['slope'], all, runs, stale).map((r) => r.id)).toEqual(['r1', 'r2']);
    expect(runsAnew(['filled'], all, runs, stale).map((r) => r.id)).toEqual(['r1']);
    expect(runsAnew(['shade'], all, runs, stale)).toEqual([]);
  });

  it('of inputs that are gone cannot be told, and do not matter', () => {
    expect(staleOf(rest, runs).size).toBe(0);
  });
});
