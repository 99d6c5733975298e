import {
  dataOf,
  featureBoxes,
  featureCount,
  kindOf,
  ofKind,
  takeFeatures,
  valueOf,
  type Features,
  type Table,
} from '@helk/core';
import { dayOf } from '@helk/core/data/gtfs-spec';
import { placesOn, spreadOut } from '@helk/core/methods/network/transit-fixture';
import { timetableInfo } from '@helk/core/data/timetable-facts';
import { readFile } from '@helk/core/formats';
import { setupNode } from '@helk/node';
import { run } from '@helk/core/testing';
import {
  COVER,
  makeLandCover,
  makeLandscape,
  makeParishes,
  makePeat,
  makeBuses,
  makeLibraryStops,
  makeSightings,
  makeStreets,
  makeShelters,
  PEAT_CODE,
  PEAT_TRUTH,
  SOLAR_TRUTH,
} from './index';

const column = (f: Features, name: string): (number | string | boolean | null)[] => {
  const c = f.columns.find((x) => x.name === name)!;
  return Array.from({ length: c.values.length }, (_, i) => valueOf(c, i));
};

describe('the sets of the landscape plan', () => {
  const land = makeLandscape();
  beforeAll(setupNode);

  it('two land covers, alike in about four fifths, with slivers where they were drawn apart', async () => {
    const [before, after] = [await makeLandCover(land, 1978), await makeLandCover(land, 2024)];
    expect(new Set(column(before, 'class'))).toEqual(new Set(COVER));
    expect(featureCount(after)).toBeGreaterThan(2 * featureCount(before));
    const m = await run('features.changeMatrix', { before, after });
    expect(m.figures['unchangedShare'] as number).toBeGreaterThan(0.7);
    expect(m.figures['unchangedShare'] as number).toBeLessThan(0.85);
    // Drawn without an invalid polygon.
    expect(m.notes.some((n) => n.code === 'features.repaired')).toBeFalse();
    expect((await run('features.overlay', { a: before, b: after })).figures['slivers']).toBeGreaterThan(0);
    // The same again from the same seed.
    expect([...(await makeLandCover(land, 1978)).xy]).toEqual([...before.xy]);
  });
  it('236 parishes with solar roofs that rise and divide west from east', async () => {
    const p = await makeParishes(land);
    expect(featureCount(p)).toBe(236);
    expect(new Set(column(p, 'name')).size).toBe(236);
    const mean = (name: string): number => (column(p, name) as number[]).reduce((s, v) => s + v, 0) / 236;
    expect(mean('solar_1994')).toBeLessThan(mean('solar_2004'));
    expect(mean('solar_2014')).toBeLessThan(mean('solar_2024'));
  });
  it('parishes whose solar roofs gather more from date to date, high in the west and low in the east', async () => {
    const features = await makeParishes(land);
    const i = async (year: number): Promise<number> =>
      (await run('stats.moran', { features }, { column: `solar_${year}` })).figures['i'] as number;
    expect(await i(1994)).toBeLessThan((await i(2024)) - 0.08);
    const o = await run('stats.localMoran', { features }, { column: 'solar_2024' });
    const f = o.outputs[0]!.data as Features;
    const x = (cluster: string): number => {
      const boxes = featureBoxes(f);
      const all = column(f, 'cluster').flatMap((c, k) => (c === cluster ? [boxes[4 * k]!] : []));
      return all.reduce((s, v) => s + v, 0) / all.length;
    };
    expect(x('high-high')).toBeLessThan(x('low-low') - 8000);
  });
  it('parishes of which the right model is known: an error model finds what they were made by', async () => {
    const features = await makeParishes(land);
    const p = { dependent: 'solar_2024', predictors: 'income,detached' };
    expect((await run('stats.compareModels', { features }, p)).figures['advised']).toBe('error');
    const o = await run('stats.regression', { features }, { ...p, model: 'error' });
    const c = o.outputs.find((r) => r.role === 'coefficients')!.data as Table;
    const at = (row: number, name: string): number => c.columns.find((k) => k.name === name)!.values[row] as number;
    [SOLAR_TRUTH.income, SOLAR_TRUTH.detached, SOLAR_TRUTH.lambda].forEach((truth, k) =>
      expect(Math.abs(at(k + 1, 'coefficient') - truth)).toBeLessThan(2 * at(k + 1, 'standardError')),
    );
    expect(o.figures['sigma2'] as number).toBeCloseTo(SOLAR_TRUTH.sd ** 2, -1);
  });
  it('nine shelters, and sightings that rise in the south', () => {
    expect(featureCount(makeShelters(land))).toBe(9);
    const s = makeSightings(land);
    expect(featureCount(s)).toBe(11_000);
    const middle = land.grid.y - (land.grid.rows * land.grid.dy) / 2 - 1500;
    const months = column(s, 'month') as number[];
    const late = (south: boolean): number => {
      const own = months.filter((_, i) => s.xy[2 * i + 1]! < middle === south);
      return own.filter((m) => m >= 48).length / own.length;
    };
    expect(late(true)).toBeGreaterThan(0.6);
    expect(Math.abs(late(false) - 0.5)).toBeLessThan(0.05);
  });
  it('streets with an island that nothing leads to, a ring that goes one way, a shelter off them all, and buses without a fault', async () => {
    const streets = makeStreets(land).features;
    const feed = (await readFile('buses.zip', await makeBuses(land))).layers[0]!.data;
    const info = timetableInfo(dataOf('timetable', feed)!);
    expect([info.lines, info.faults.count, info.first, info.last]).toEqual([6, 0, '2026-09-01', '2026-12-20']);
    const built = await run('network.build', { streets, timetable: feed });
    expect(built.figures['components']).toBe(2);
    expect(built.figures['largestShare'] as number).toBeGreaterThan(0.95);
    const network = built.outputs[0]!.data;
    expect(ofKind('network', kindOf(network).info(network))!.timetable).toEqual(
      jasmine.objectContaining({ apart: 0, lines: 6 }),
    );
    const reach = await run('network.reach', { network, facilities: makeShelters(land) }, { merge: 'yes' });
    expect([reach.figures['placed'], reach.figures['unplaced']]).toEqual([8, 1]);
    const library = makeLibraryStops(land);
    expect(featureCount(library)).toBe(40);
    const near = await run('network.nearest', { network, places: library, facilities: makeShelters(land) });
    expect(near.figures['assigned'] as number).toBeGreaterThan(35);
  });
  it('by bus from stop to stop of the library van takes as long as a search of all events says', async () => {
    const feed = dataOf('timetable', (await readFile('buses.zip', await makeBuses(land))).layers[0]!.data)!;
    const built = await run('network.build', { streets: makeStreets(land).features, timetable: feed });
    const network = dataOf('network', built.outputs[0]!.data)!;
    const places = takeFeatures(makeLibraryStops(land), [0, 5, 11, 17, 23, 29, 35]);
    const params = { mode: 'transit', departure: '2026-10-28 08:10', change: '1 min' };
    const o = await run('network.matrix', { network, origins: places, destinations: places }, params);
    const got = dataOf('table', o.outputs[0]!.data)!.columns.find((c) => c.name === 'seconds')!.values as Float64Array;
    // The holiday of the calendar's exceptions.
    const want = spreadOut(network, feed, placesOn(network, places), 29_400, dayOf('2026-10-28'), 60).flat();
    expect(got.length).toBe(49);
    want.forEach((v, i) => (v < Infinity ? expect(got[i]).toBeCloseTo(v, 5) : expect(got[i]).toBeNaN()));
    const walk = await run('network.matrix', { network, origins: places, destinations: places });
    const walked = dataOf('table', walk.outputs[0]!.data)!.columns.find((c) => c.name === 'seconds')!.values;
    expect(got.some((v, i) => v < (walked[i] as number) - 300)).toBeTrue();
  });
  it('peat probes with codes, true zeros, and the range they were drawn with', async () => {
    const p = makePeat(land);
    expect(featureCount(p)).toBe(214);
    const depth = column(p, 'depth_cm') as number[];
    expect(depth.filter((d) => d === PEAT_CODE).length).toBeGreaterThan(4);
    expect(depth.filter((d) => d === 0).length).toBeGreaterThan(3);
    const clean = await run(
      'features.subset',
      { features: p },
      { where: `depth_cm != ${PEAT_CODE} && block != "B" && block != "C"` },
    );
    const v = await run(
      'surface.variogram',
      { points: clean.outputs[0]!.data },
      { value: 'depth_cm', model: 'spherical', maxDistance: '3 km', lag: '250 m' },
    );
    expect(v.figures['range'] as number).toBeGreaterThan(0.5 * PEAT_TRUTH.range);
    expect(v.figures['range'] as number).toBeLessThan(2 * PEAT_TRUTH.range);
  });
});
