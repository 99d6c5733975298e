import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { FeaturesBuilder, featureCount, ringArea2, type Features } from '../../data/features';
import { infoOf } from '../../data/kinds';
import { forecast } from '../../method/resolve';
import { methodOf } from '../../method/registry';
import { Random } from '../../numeric/random';
import { rasterOf, refusalOf, roughCells, run, runRaster, utm27 } from '../../testing';
import { accumulateDivided, dinfAngle, dinfDivision, mfdDivision } from './accumulate';
import { priorityFlood } from './fill';
import { StreamPreview } from './stream-preview';
import { accumulateD8, d8, FLOW_DX, FLOW_DY, NO_DATA, receiver } from './flow';

const LEVEL = [0, 0, 0, 0, 0, 0, 0, 0];
const ten = (): number => 10;

/** Filled rough land with some missing cells, seeded. */
function land(seed: number, w: number, h: number, gaps = 0.04): Float32Array {
  const r = new Random(seed);
  const z = roughCells(w, h, () => r.uniform());
  for (let i = 0; i < z.length; i++) if (r.uniform() < gaps) z[i] = NaN;
  const out = new Float32Array(z.length);
  priorityFlood(z, w, h, out, LEVEL);
  return out;
}

const point = (...xy: number[]): Features => {
  const b = new FeaturesBuilder();
  for (let i = 0; i < xy.length; i += 2) {
    b.point(xy[i]!, xy[i + 1]!);
  }
  return b.build('point', utm27(), []);
};
const at = (column: number, row: number): [number, number] => [
  400000 + (column + 0.5) * 10,
  6460000 - (row + 0.5) * 10,
];

describe('flow over random filled land', () => {
  it('drains every cell out, and the outflow adds up to the number of cells, in every scheme', () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer({ min: 2, max: 24 }), fc.integer({ min: 2, max: 24 }), (seed, w, h) => {
        const z = land(seed, w, h);
        const { direction, pits } = d8(z, w, h, ten, ten);
        expect(pits).toBe(0);
        const cells = direction.filter((d) => d !== NO_DATA).length;
        for (let i = 0; i < z.length; i++) {
          if (direction[i] === NO_DATA) continue;
          let at = i;
          let steps = 0;
          while (at >= 0 && steps++ <= z.length) {
            const t = receiver(direction, at, w, h);
            if (t >= 0) expect(z[t]!).toBeLessThanOrEqual(z[at]!);
            at = t;
          }
          expect(steps).toBeLessThanOrEqual(z.length);
        }
        const acc = accumulateD8(direction, w, h);
        let out = 0;
        for (let i = 0; i < z.length; i++)
          if (direction[i] !== NO_DATA && receiver(direction, i, w, h) < 0) out += acc[i]!;
        expect(out).toBe(cells);
        for (const make of [dinfDivision, mfdDivision]) {
          const division = make(z, w, h, direction, ten, ten);
          const a = accumulateDivided(direction, w, h, division);
          const s = new Float64Array(8);
          let left = 0;
          for (let i = 0; i < z.length; i++) {
            if (direction[i]! < 0) continue;
            division.shares(i, s);
            const x = i % w;
            const y = Math.floor(i / w);
            for (let k = 0; k < 8; k++) {
              const nx = x + FLOW_DX[k]!;
              const ny = y + FLOW_DY[k]!;
              if (nx < 0 || ny < 0 || nx >= w || ny >= h || direction[ny * w + nx] === NO_DATA) left += a[i]! * s[k]!;
            }
          }
          expect(left).toBeCloseTo(cells, 6);
        }
      }),
      { numRuns: 40 },
    );
  });
});

describe('D8', () => {
  it('takes the steepest way with diagonals at their own length', () => {
    // East drops 1.3 over 10, south-east 1.8 over 14.1: east is steeper. Then 1.9: south-east.
    const cell = (se: number): number =>
      d8(Float32Array.from([9, 9, 9, 9, 5, 3.7, 9, 9, se]), 3, 3, ten, ten).direction[4]!;
    expect(cell(3.2)).toBe(2);
    expect(cell(3.1)).toBe(3);
  });
  it('leads water over a flat to its only outlet, away from higher ground', () => {
    // The flat of Garbrecht and Martz 1997, figure 1 in shape: level ground in a rim with one gap.
    const z = Float32Array.from([
      9, 9, 9, 9, 9, 9, 9, 9, 6, 6, 6, 6, 6, 9, 9, 6, 6, 6, 6, 6, 9, 9, 6, 6, 6, 6, 6, 9, 9, 6, 6, 6, 6, 6, 9, 9, 6, 6,
      6, 6, 6, 9, 9, 9, 9, 5, 9, 9, 9,
    ]);
    const { direction, pits } = d8(z, 7, 7, ten, ten);
    expect(pits).toBe(0);
    const acc = accumulateD8(direction, 7, 7);
    // All 25 level cells, and every rim cell that is not on a corner or drains outwards, leave through the gap.
    expect(acc[6 * 7 + 3]!).toBeGreaterThanOrEqual(26);
    // Water converges in the middle column instead of running along the rim.
    expect(direction[2 * 7 + 3]).toBe(4);
  });
  it('counts pits where hollows are not filled, and says so', async () => {
    const pit = rasterOf(5, [9, 9, 9, 9, 9, 9, 5, 5, 5, 9, 9, 5, 1, 5, 9, 9, 5, 5, 5, 9, 9, 9, 9, 9, 9]);
    const { out, outcome } = await runRaster('terrain.flowDirection', { elevation: pit });
    expect(outcome.figures['pits']).toBe(1);
    expect(out.bands[0]!.cells[12]).toBeNaN();
    expect(out.bands[0]!.cells[11]).toBe(90);
    expect(outcome.notes.map((n) => n.code)).toContain('water.pits');
  });
});

describe('D-infinity', () => {
  it('gives the angle of descent of a plane, in any direction', () => {
    for (const angle of [0, 20, 45, 100, 200, 269, 333]) {
      const a = (angle * Math.PI) / 180;
      const z = Float64Array.from(
        { length: 9 },
        (_, i) => 100 - Math.sin(a) * ((i % 3) - 1) * 10 + Math.cos(a) * (Math.floor(i / 3) - 1) * 10,
      );
      expect(dinfAngle(z, 4, 1, 1, 3, 3, 10, 10))
        .withContext(String(angle))
        .toBeCloseTo(angle, 6);
    }
  });
  it('divides water between the two cells beside its angle', () => {
    const a = (30 * Math.PI) / 180;
    const z = Float64Array.from(
      { length: 9 },
      (_, i) => 100 - Math.sin(a) * ((i % 3) - 1) * 10 + Math.cos(a) * (Math.floor(i / 3) - 1) * 10,
    );
    const s = new Float64Array(8);
    dinfDivision(z, 3, 3, new Int8Array(9), ten, ten).shares(4, s);
    expect([s[0]!, s[1]!].map((v) => v.toFixed(6))).toEqual([(1 / 3).toFixed(6), (2 / 3).toFixed(6)]);
  });
});

describe('MFD', () => {
  it('divides by slope to the power 1.1 among all lower neighbours', () => {
    const z = Float64Array.from([9, 8, 9, 9, 10, 6, 10, 10, 10]);
    const s = new Float64Array(8);
    mfdDivision(z, 3, 3, new Int8Array(9), ten, ten).shares(4, s);
    const w = [0.2, 1 / (10 * Math.SQRT2), 0.4, 0, 0, 0, 0.1, 1 / (10 * Math.SQRT2)].map((v) => v ** 1.1 || 0);
    const sum = w.reduce((x, v) => x + v, 0);
    w.forEach((v, k) => expect(s[k]!).toBeCloseTo(v / sum, 9));
  });
});

// A valley falling south with a side valley from the north-west joining it.
const valley = rasterOf(
  30,
  Array.from({ length: 900 }, (_, i) => {
    const x = i % 30;
    const y = Math.floor(i / 30);
    const main = Math.abs(x - 15);
    const side = y < 15 ? Math.abs(x - y) : 99;
    return 100 - 2 * y + 4 * Math.min(main, side);
  }),
);

describe('streams', () => {
  it('are the same in a preview that a slider moves', async () => {
    const z = land(5, 40, 30, 0);
    const r = rasterOf(40, [...z]);
    const preview = new StreamPreview(r);
    for (const threshold of [1000, 4000]) {
      const o = await run('terrain.streams', { elevation: r }, { threshold });
      const lines = o.outputs[0]!.data as Features;
      const seen = preview.lines(threshold);
      expect([...seen.xy]).toEqual([...lines.xy]);
      expect([...seen.value]).toEqual([...lines.columns[0]!.values] as number[]);
    }
  });
  it('of a threshold below a cell are refused with the reason, before the run and in it', async () => {
    const r = rasterOf(40, [...land(5, 40, 30, 0)]);
    // "2" of "2 km2", typed so far.
    const f = forecast(methodOf('terrain.streams'), { elevation: [infoOf(r)] }, { threshold: '2' });
    const no = f.checks.find((c) => c.code === 'threshold.cell')!;
    expect(no.level).toBe('refused');
    expect(no.message).toMatch(
      /^A threshold of 2 m² is no more than one cell \(\d+ m²\): every cell would be a stream\.$/,
    );
    expect(no.mend!.set!['threshold']).toMatch(/^[\d.]+ km2$/);
    await expectAsync(run('terrain.streams', { elevation: r }, { threshold: '2' })).toBeRejectedWithError(/every cell/);
    const links = forecast(
      methodOf('terrain.watersheds'),
      { elevation: [infoOf(r)] },
      { outlets: 'links', threshold: '2' },
    );
    expect(links.checks.map((c) => c.code)).toContain('threshold.cell');
  });
  it('are not shown before the run where that would take longer than to wait', () => {
    const side = 400;
    const preview = new StreamPreview(rasterOf(side, [...land(6, side, side, 0)]));
    expect(() => preview.lines(1)).toThrowError(
      /^Streams of 1 m² would be lines of more than 160.000 corners: too many/,
    );
    expect(preview.lines(preview.greatest / 50).value.length).toBeGreaterThan(0);
  });
  it('join in one point at confluences and carry order, length and area', async () => {
    const o = await run('terrain.streams', { elevation: valley }, { threshold: '3000 m2' });
    const f = o.outputs[0]!.data as Features;
    const order = f.columns[0]!.values as Float64Array;
    expect(o.figures['maxOrder']).toBe(2);
    const ends = new Map<string, number>();
    const starts = new Map<string, number>();
    for (let r = 0; r < f.ringOffsets.length - 1; r++) {
      const s = f.ringOffsets[r]!;
      const e = f.ringOffsets[r + 1]! - 1;
      const key = (i: number): string => `${f.xy[2 * i]},${f.xy[2 * i + 1]}`;
      ends.set(key(e), (ends.get(key(e)) ?? 0) + 1);
      starts.set(key(s), order[r]!);
    }
    // Wherever two links end, a third begins, of the next order when both are equal.
    for (const [place, n] of ends) if (n > 1) expect(starts.has(place)).withContext(place).toBeTrue();
    const length = (f.columns[1]!.values as Float64Array).reduce((a, b) => a + b, 0);
    expect(o.figures['length']).toBeCloseTo(length, 6);
    expect(o.figures['drainageDensity']).toBeCloseTo(length / 1000 / 0.09, 9);
  });
  it('add up their magnitudes by Shreve', async () => {
    const o = await run('terrain.streams', { elevation: valley }, { threshold: '3000 m2', order: 'shreve' });
    const f = o.outputs[0]!.data as Features;
    const order = [...(f.columns[0]!.values as Float64Array)];
    expect(Math.max(...order)).toBe(order.filter((v) => v === 1).length);
  });
  it('refuse a threshold that nothing reaches, naming the greatest area', async () => {
    const e = await refusalOf(run('terrain.streams', { elevation: valley }, { threshold: '5 km2' }));
    expect(e.path).toBe('threshold');
    expect(e.message).toContain('0.0');
  });
});

describe('watersheds', () => {
  const areaOf = (f: Features, i: number): number => {
    let a = 0;
    for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++)
      for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++)
        a += ringArea2(f.xy, f.ringOffsets[r]!, f.ringOffsets[r + 1]!);
    return a / 2;
  };
  it('have the area that is accumulated at their outlet, also when nested', async () => {
    const acc = (await runRaster('terrain.flowAccumulation', { elevation: valley }, { unit: 'area' })).out.bands[0]!
      .cells;
    const o = await run(
      'terrain.watersheds',
      { elevation: valley, outlets: point(...at(15, 28), ...at(15, 20)) },
      { snap: 0 },
    );
    const f = o.outputs[0]!.data as Features;
    const areas = [...(f.columns[1]!.values as Float64Array)];
    expect(areas).toEqual([acc[28 * 30 + 15]!, acc[20 * 30 + 15]!]);
    expect(areas[0]!).toBeGreaterThan(areas[1]!);
    areas.forEach((a, i) => expect(areaOf(f, i)).toBeCloseTo(a, 3));
    expect(o.figures['area']).toBe(areas[0]!);
  });
  it('move outlets to the stream and count them', async () => {
    const o = await run('terrain.watersheds', { elevation: valley, outlets: point(...at(17, 25)) }, { snap: '30 m' });
    expect(o.figures['movedOutlets']).toBe(1);
    expect(o.figures['area'] as number).toBeGreaterThan(40_000);
    // How far, in which direction and to where: from column 17 to the stream in column 15, of ten metres each.
    const f = o.outputs[0]!.data as Features;
    const moved = f.columns.find((c) => c.name === 'moved')!;
    const note = o.notes.find((n) => n.code === 'outlets.moved')!.message;
    const metres = moved.values[0] as number;
    expect(note).toMatch(new RegExp(`^Moved to the stream: outlet 1 by ${metres.toFixed(metres % 1 ? 2 : 0)} m to the (west|south-west), to 4001\\d\\d\\.0, `)); // prettier-ignore
    expect(metres).toBeGreaterThanOrEqual(20);
    expect(metres).toBeLessThanOrEqual(30);
  });
  it('one for each stream link, do not overlap and cover what drains to the network', async () => {
    const o = await run('terrain.watersheds', { elevation: valley }, { outlets: 'links', threshold: '3000 m2' });
    const f = o.outputs[0]!.data as Features;
    const sum = [...(f.columns[1]!.values as Float64Array)].reduce((a, b) => a + b, 0);
    expect(sum).toBeCloseTo(o.figures['area'] as number, 6);
    for (let i = 0; i < featureCount(f); i++)
      expect(areaOf(f, i)).toBeCloseTo((f.columns[1]!.values as Float64Array)[i]!, 3);
  });
  it('ask for outlets, or offer one for each link', async () => {
    expect((await refusalOf(run('terrain.watersheds', { elevation: valley }))).code).toBe('method.refused');
    expect((await refusalOf(run('terrain.watersheds', { elevation: valley, outlets: point(0, 0) }))).code).toBe(
      'method.input',
    );
  });
});

describe('wetness', () => {
  it('is ln(a / tan b) on a plane', async () => {
    const plane = rasterOf(
      9,
      Array.from({ length: 90 }, (_, i) => 100 - 2 * Math.floor(i / 9)),
    );
    const { out } = await runRaster('terrain.wetness', { elevation: plane }, { scheme: 'd8' });
    // Row y holds y + 1 cells of 100 m² above a contour of 10 m; tan b = 0.2.
    expect(out.bands[0]!.cells[4 * 9 + 4]!).toBeCloseTo(Math.log((5 * 100) / 10 / 0.2), 5);
  });
});

describe('D8 on the volcano of R’s datasets', () => {
  it('goes the way that R’s terra package finds, wherever one neighbour is steepest', () => {
    const at = (name: string): string => readFileSync(`reference/fixtures/${name}`, 'utf8');
    const ref = JSON.parse(at('flow-d8.json')) as { columns: number; rows: number; direction: number[] };
    const z = Float32Array.from(at('volcano.csv').trim().split(/[\n,]/).map(Number));
    const { columns: w, rows: h } = ref;
    const { direction } = d8(z, w, h, ten, ten);
    let compared = 0;
    for (let y = 1; y < h - 1; y++) {
      for (let x = 1; x < w - 1; x++) {
        const i = y * w + x;
        const drops = FLOW_DX.map((dx, k) => (z[i]! - z[i + FLOW_DY[k]! * w + dx]!) / (k % 2 ? Math.SQRT2 : 1));
        const best = Math.max(...drops);
        // Ties are broken by each program in its own way.
        if (!(best > 0) || drops.filter((d) => Math.abs(d - best) < 1e-6).length > 1) continue;
        expect(direction[i]).toBe(ref.direction[i]!);
        compared++;
      }
    }
    expect(compared).toBeGreaterThan(2000);
  });
});

describe('specific catchment area on the surfaces that Tarboton 1997 (doi:10.1029/96WR03137, section 5) tests by', () => {
  // Theory: on an outward cone r / 2, on a plane the length of the slope above. D-infinity comes close, D8 does not on the cone.
  const n = 61;
  const mid = 30;
  const cone = Float32Array.from(
    { length: n * n },
    (_, i) => 1000 - 10 * Math.hypot((i % n) - mid, Math.floor(i / n) - mid),
  );
  const relativeError = (acc: Float64Array): number => {
    let sum = 0;
    let m = 0;
    for (let y = 0; y < n; y++) {
      for (let x = 0; x < n; x++) {
        const r = Math.hypot(x - mid, y - mid);
        if (r < 8 || r > 28) continue;
        sum += Math.abs(acc[y * n + x]! - r / 2) / (r / 2);
        m++;
      }
    }
    return sum / m;
  };
  it('an outward cone', () => {
    const { direction } = d8(cone, n, n, ten, ten);
    const dinf = accumulateDivided(direction, n, n, dinfDivision(cone, n, n, direction, ten, ten));
    const single = accumulateD8(direction, n, n);
    expect(relativeError(dinf)).toBeLessThan(0.12);
    expect(relativeError(single)).toBeGreaterThan(0.4);
  });
  it('a plane', () => {
    const plane = Float32Array.from({ length: 20 * 20 }, (_, i) => 1000 - 3 * Math.floor(i / 20));
    const { direction } = d8(plane, 20, 20, ten, ten);
    const acc = accumulateDivided(direction, 20, 20, dinfDivision(plane, 20, 20, direction, ten, ten));
    for (let y = 0; y < 20; y++) expect(acc[y * 20 + 10]!).toBeCloseTo(y + 1, 9);
  });
});

describe('stream agreement', () => {
  const line = (...parts: number[][]): Features => {
    const b = new FeaturesBuilder();
    for (const p of parts) {
      for (let i = 0; i < p.length; i += 2) b.coordinate(400000 + p[i]!, 6450000 + p[i + 1]!);
      b.endRing();
      b.endPart();
      b.endFeature();
    }
    return b.build('line', utm27(), []);
  };
  it('is whole for equal lines and measures a shift', async () => {
    const a = line([0, 0, 1000, 0, 1000, 500]);
    const same = await run('terrain.streamAgreement', { derived: a, mapped: a }, { tolerance: 20 });
    expect(same.figures).toEqual({ derivedWithin: 1, mappedWithin: 1, meanOffset: jasmine.any(Number) as never });
    expect(same.figures['meanOffset'] as number).toBeLessThan(1e-9);
    const shifted = await run(
      'terrain.streamAgreement',
      { derived: line([0, 0, 1000, 0]), mapped: line([0, 15, 1000, 15]) },
      { tolerance: 20 },
    );
    expect(shifted.figures['meanOffset']).toBeCloseTo(15, 6);
  });
  it('finds where they part and how long that is', async () => {
    const o = await run(
      'terrain.streamAgreement',
      { derived: line([0, 0, 1000, 0]), mapped: line([0, 0, 400, 0]) },
      { tolerance: '50 m' },
    );
    expect(o.figures['derivedWithin']).toBeCloseTo(0.45, 2);
    expect(o.figures['mappedWithin']).toBe(1);
    const f = o.outputs[0]!.data as Features;
    expect(f.columns[0]!.values).toEqual(['derived']);
    expect((f.columns[1]!.values as Float64Array)[0]!).toBeCloseTo(550, -1);
  });
});
