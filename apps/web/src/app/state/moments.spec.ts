import { TestBed } from '@angular/core/testing';
import { crsOfCode, describeMethod, FeaturesBuilder, infoOf, methodOf, textColumn, type Features } from '@helk/core';
import type { TimeStack } from '@helk/core/data/stack';
import type { StackInfo } from '@helk/core/data/stack-facts';
import { shuffled } from '@helk/core/data/cloud-store';
import { stepStart } from '@helk/core/data/time-steps';
import { codec } from '@helk/core/formats';
import { datasetOf, projectOf, runOf } from '../testing';
import { Api } from '../api/api';
import { BenchStore } from './bench.store';
import { Moments } from './moments';
import { emptyPane } from './panes';
import { Picks } from './picks';
import { ProjectStore } from './project.store';
import { SameRows } from './same-rows';
import { StackData, stepsSeen } from './stack-data';
import { NOTHING_WRITTEN } from './written';

function squares(n: number): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < n; i++) {
    for (const [x, y] of [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 0],
    ])
      b.coordinate(i + x!, y!);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  const names = Array.from({ length: n }, (_, i) => `w${i}`);
  return b.build('polygon', crsOfCode(32627), [textColumn('ward', names)]);
}

const places = squares(3);
const history: TimeStack = {
  kind: 'stack',
  places,
  key: 'ward',
  steps: { unit: 'month', every: 1, start: 600, count: 6 },
  variables: [{ name: 'seen', unit: '', values: Float64Array.from({ length: 18 }, (_, k) => (k === 4 ? NaN : k)) }],
  grid: null,
  made: 'by hand',
};
const info = infoOf(history) as StackInfo;

describe('time in panes', () => {
  const begin = async () => {
    const asked: string[] = [];
    const api = {
      project: () =>
        Promise.resolve({
          project: projectOf('p'),
          datasets: [
            datasetOf('wards', { data: places }),
            datasetOf('stack', { info }, { runId: 's', role: 'stack' }),
            datasetOf('trends', { data: places }, { runId: 't', role: 'trends' }),
            datasetOf('others', { data: squares(4) }, { runId: 'o', role: 'trends' }),
          ],
          runs: [
            runOf('s', 'time.stack', { inputs: { locations: ['wards'] } }),
            runOf('t', 'time.trend', { inputs: { stack: ['stack'] } }),
            runOf('o', 'time.trend', { inputs: { stack: ['stack'] } }),
          ],
          ...NOTHING_WRITTEN,
          workbench: null,
        }),
      features: () => Promise.resolve(places),
      piece: (_p: string, _d: string, array: string, key: number) => {
        asked.push(`${array}/${key}`);
        const step = Float32Array.from({ length: 3 }, (_, i) => history.variables[0]!.values[i * 6 + key]!);
        return codec().deflateLater(shuffled('float32', step), 1);
      },
      follow: () => () => undefined,
      saveWorkbench: () => Promise.resolve(),
      projects: () => Promise.resolve([projectOf('p')]),
      methods: () => Promise.resolve(['time.stack', 'time.trend'].map((id) => describeMethod(methodOf(id)))),
    };
    TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: api }] });
    const project = TestBed.inject(ProjectStore);
    await project.start();
    await project.open('p');
    for (let k = 0; k < 5; k++) await Promise.resolve();
    return {
      asked,
      project,
      bench: TestBed.inject(BenchStore),
      moments: TestBed.inject(Moments),
      picks: TestBed.inject(Picks),
      rows: TestBed.inject(SameRows),
      stacks: TestBed.inject(StackData),
    };
  };
  const pane = (id: number, dataset: string) => ({ ...emptyPane(id), layers: [{ dataset, visible: true }] });

  it('stands at the end of what a pane shows, and at the ends of what there is', async () => {
    const { bench, moments } = await begin();
    bench.set({ panes: [pane(1, 'stack'), pane(2, 'wards')] });
    expect(moments.of(bench.panes()[0]!)?.steps.count).toBe(6);
    expect(moments.of(bench.panes()[1]!)).toBeNull();
    expect(stepsSeen(info.steps, null)).toEqual({ from: 5, to: 5 });
    expect(stepsSeen(info.steps, { at: stepStart(info.steps, 2), window: 2 })).toEqual({ from: 1, to: 2 });
    expect(stepsSeen(info.steps, { at: -1e12, window: 3 })).toEqual({ from: 0, to: 0 });
    expect(stepsSeen(info.steps, { at: 1e12, window: 1 })).toEqual({ from: 5, to: 5 });
  });

  it('moves in all panes that have steps, or in one alone', async () => {
    const { bench, moments } = await begin();
    bench.set({ panes: [pane(1, 'stack'), pane(2, 'wards'), pane(3, 'stack')] });
    moments.step(bench.panes()[0]!, 2);
    const at = stepStart(info.steps, 2);
    expect(bench.panes().map((p) => p.time?.at)).toEqual([at, undefined, at]);
    bench.set({ linkedTime: false });
    moments.step(bench.panes()[0]!, 99);
    expect(bench.panes().map((p) => p.time?.at)).toEqual([stepStart(info.steps, 5), undefined, at]);
  });

  it('passes by itself, from the end to the beginning, until it is stopped', async () => {
    const { bench, moments } = await begin();
    bench.set({ panes: [pane(1, 'stack')] });
    moments.toggle(1);
    expect(moments.playing()).toBe(1);
    expect(stepsSeen(info.steps, bench.panes()[0]!.time ?? null).to).toBe(0);
    moments.toggle(1);
    expect(moments.playing()).toBeNull();
  });

  it('has the values of a step, fetched once with the next, and the mean of several', async () => {
    const { asked, stacks } = await begin();
    const time = { at: stepStart(info.steps, 1), window: 1 };
    expect(Array.from(await stacks.seen('stack', info, 0, time))).toEqual([1, 7, 13]);
    expect(Array.from(await stacks.seen('stack', info, 0, time))).toEqual([1, 7, 13]);
    await new Promise((done) => setTimeout(done, 20));
    expect(asked).toEqual(['steps 0/1', 'steps 0/2']);
    const three = await stacks.seen('stack', info, 0, { at: stepStart(info.steps, 4), window: 3 });
    // Of the first place the last of the three is missing.
    expect(Array.from(three)).toEqual([2.5, 9, 15]);
  });

  it('lets be picked together what has the same rows, and only that', async () => {
    const { picks, rows, project } = await begin();
    const d = (id: string) => project.datasetEntityMap()[id]!;
    expect([rows.root('trends'), rows.root('stack'), rows.root('wards'), rows.root('others')]).toEqual([
      'wards',
      'wards',
      'wards',
      'others',
    ]);
    expect(rows.ofKind(d('trends'), 'stack')?.id).toBe('stack');
    expect(rows.ofKind(d('others'), 'stack')).toBeUndefined();
    picks.pick('trends', Uint8Array.of(0, 1, 0), 'replace');
    expect(Array.from(picks.of('stack')!)).toEqual([0, 1, 0]);
    expect(picks.count('wards')).toBe(1);
    expect(picks.of('others')).toBeNull();
    picks.pick('stack', Uint8Array.of(1, 0, 0), 'add');
    expect(picks.count('trends')).toBe(2);
    picks.clear('wards');
    expect(picks.of('trends')).toBeNull();
  });
});
