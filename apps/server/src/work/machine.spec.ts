import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { crsOfCode, forecast, infoOf, measureRaster, methodOf } from '@helk/core';
import type { ApiRun } from '@helk/core/api/schemas';
import { writeGeoTiff } from '@helk/core/formats';
import { setupNode } from '@helk/node';
import { TestServer } from '../testing';
import { Machine } from './machine';

setupNode();

describe('what a machine takes for its runs', () => {
  let dir: string;
  beforeEach(() => (dir = mkdtempSync(join(tmpdir(), 'helk-machine-'))));
  afterEach(() => rmSync(dir, { recursive: true, force: true }));

  it('corrects the estimates of a method after two of its runs, of all others by all that ran', () => {
    const m = new Machine(dir);
    expect(m.factor('terrain.fill')).toBe(1);
    m.learn('terrain.fill', 2, 6);
    expect(m.factor('terrain.slope')).toBeCloseTo(3, 9);
    m.learn('terrain.fill', 1, 3);
    m.learn('stats.moran', 10, 10);
    expect(m.factor('terrain.fill')).toBeCloseTo(3, 9);
    // The geometric mean of 3, 3 and 1.
    expect(m.factor('terrain.slope')).toBeCloseTo(9 ** (1 / 3), 9);
  });

  it('comes to what is so now, whatever was so once, and believes no single run too much', () => {
    const m = new Machine(dir);
    for (let k = 0; k < 20; k++) m.learn('a.b', 1, 8);
    for (let k = 0; k < 60; k++) m.learn('a.b', 1, 2);
    expect(m.factor('a.b')).toBeCloseTo(2, 1);
    const odd = new Machine(dir);
    odd.learn('c.d', 1, 1e6);
    odd.learn('c.d', 1, 1e6);
    expect(odd.factor('c.d')).toBeLessThanOrEqual(50 + 1e-9);
  });

  it('learns nothing from what is over at once, or was not estimated', () => {
    const m = new Machine(dir);
    m.learn('a.b', 0.01, 0.3);
    m.learn('a.b', 0, 9);
    m.learn('a.b', NaN, 9);
    expect(m.factor('a.b')).toBe(1);
  });

  it('is kept, and a file that is damaged is as if there were none', async () => {
    const m = new Machine(dir);
    m.learn('a.b', 1, 4);
    m.learn('a.b', 1, 4);
    await m.written();
    expect(new Machine(dir).factor('a.b')).toBeCloseTo(4, 9);
    for (const text of ['', '{', '{"all":{"factor":-1,"runs":1},"methods":{}}', '[]']) {
      writeFileSync(join(dir, 'machine.json'), text);
      expect(new Machine(dir).factor('a.b')).withContext(text).toBe(1);
    }
  });

  it('stands in the forecasts of the server', async () => {
    const test = new TestServer();
    writeFileSync(
      join(test.dir, 'machine.json'),
      JSON.stringify({ all: { factor: 4, runs: 9 }, methods: { 'terrain.slope': { factor: 7, runs: 3 } } }),
    );
    await test.up();
    try {
      const p = await test.project();
      const grid = { crs: crsOfCode(32632), x: 500_000, y: 5_300_000, dx: 10, dy: 10, columns: 60, rows: 60 };
      const hill = measureRaster(grid, Float32Array.from({ length: 3600 }, (_, i) => i % 97), { name: 'z', unit: 'm', role: 'elevation' }); // prettier-ignore
      const path = `/api/projects/${p}/imports?name=hill.tif`;
      const [id] = (await test.ended(p, (await test.call<ApiRun>(path, 'POST', await writeGeoTiff(hill))).data.id))
        .outputs;
      for (const [method, factor] of [
        ['terrain.slope', 7],
        ['terrain.aspect', 4],
      ] as const) {
        const body = { method, inputs: { elevation: [id] }, params: {} };
        const f = await test.call<{ estimate: { seconds: number } }>(`/api/projects/${p}/forecast`, 'POST', body);
        const plain = forecast(methodOf(method), { elevation: [infoOf(hill)] }, {}).estimate!.seconds;
        expect(f.data.estimate.seconds / plain)
          .withContext(method)
          .toBeCloseTo(factor, 6);
      }
    } finally {
      await test.remove();
    }
  });
});
