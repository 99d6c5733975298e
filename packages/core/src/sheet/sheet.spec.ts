import { setupNode } from '@helk/node';
import fc from 'fast-check';
import reference from '../../../../reference/fixtures/sheet-ground.json';
import { crsOfCode } from '../data/crs';
import { wgs84 } from '../data/crs-record';
import { aligned, around, snapped, spread } from './arrange';
import { scaleBar } from './bar';
import { fileNames, filled, unknownFields } from './fields';
import { angleText, crossings, edgeLabels, gridLines, gridStep, within, readAngle, stepWords } from './graticule';
import {
  frameMap,
  groundBetween,
  groundPerUnit,
  paperFor,
  readScale,
  roundScale,
  scaleSpread,
  scaleText,
  scaleToFit,
  trueNorth,
  unitsPerMm,
  type FrameGeometry,
} from './ground';
import { pageNamed, pageSize } from './pages';
import { followed, framesOf, sheetFrom } from './shape';

beforeAll(setupNode);

const frame = (over: Partial<FrameGeometry> = {}): FrameGeometry => ({
  x: 20,
  y: 30,
  width: 200,
  height: 120,
  crs: crsOfCode(32627),
  centre: [530_000, 6_455_000],
  scale: 25_000,
  turn: 0,
  ...over,
});

describe('ground under a sheet', () => {
  it('is as long as pyproj’s geodesics say, in every system', () => {
    for (const p of reference.places)
      for (const { half, metres } of p.lines) {
        const got = groundBetween(crsOfCode(p.code), [p.x - half, p.y], [p.x + half, p.y]);
        expect(Math.abs(got / metres - 1))
          .withContext(`${p.code} ${half}`)
          .toBeLessThan(2e-6);
      }
  });

  it('lies as far from true north as pyproj’s convergence, and the other way round', () => {
    for (const p of reference.places)
      expect(trueNorth(crsOfCode(p.code), [p.x, p.y]))
        .withContext(`${p.code}`)
        .toBeCloseTo(-p.convergence, 4);
    expect(trueNorth(wgs84(), [10, 50])).toBe(0);
  });

  it('has the scale factors of PROJ in conformal systems of the ellipsoid, whatever the direction', () => {
    const conformal = reference.places.filter((x) => [32627, 32733, 2193, 3413, 3031].includes(x.code));
    expect(conformal.length).toBe(7);
    for (const p of conformal)
      for (const turn of [0, 33, 90])
        expect(1 / groundPerUnit(crsOfCode(p.code), [p.x, p.y], turn))
          .withContext(`${p.code}`)
          .toBeCloseTo(p.parallel, 5);
  });

  it('takes 4 cm for a kilometre at 1:25 000, wherever and however the frame lies', () => {
    for (const p of reference.places)
      for (const turn of [0, 30, -110]) {
        const f = frame({ crs: crsOfCode(p.code), centre: [p.x, p.y], turn });
        expect(paperFor(f, 1000)).withContext(`${p.code}`).toBeCloseTo(40, 2);
        const m = frameMap(f);
        expect(groundBetween(f.crs, m.toGround(100, 90), m.toGround(140, 90))).toBeCloseTo(1000, 0);
      }
  });

  it('comes back from paper', () => {
    fc.assert(
      fc.property(
        fc.double({ min: -360, max: 360, noNaN: true }),
        fc.double({ min: 0, max: 300, noNaN: true }),
        fc.double({ min: 0, max: 300, noNaN: true }),
        (turn, x, y) => {
          const m = frameMap(frame({ turn }));
          const [u, v] = m.toPaper(...m.toGround(x, y));
          expect(u).toBeCloseTo(x, 6);
          expect(v).toBeCloseTo(y, 6);
        },
      ),
    );
    // Turned clockwise, what lay to the north lies to the right.
    const [x, y] = frameMap(frame({ turn: 90 })).toPaper(530_000, 6_456_000);
    expect(x).toBeGreaterThan(150);
    expect(y).toBeCloseTo(90, 6);
  });

  it('is told to differ from the middle where it does', () => {
    const [a, b] = scaleSpread(frame());
    expect(a).toBeGreaterThan(0.9995);
    expect(b).toBeLessThan(1.0005);
    const world = frame({ crs: crsOfCode(3857), centre: [0, 7_000_000], scale: 20_000_000 });
    expect(scaleSpread(world)[1]).toBeGreaterThan(1.2);
  });

  it('fits into a frame at a round scale', () => {
    const box = [520_000, 6_450_000, 540_000, 6_460_000];
    const scale = scaleToFit(frame(), box);
    expect(scale).toBeCloseTo((20_000 / (200 * 0.92)) * 1000, -3);
    expect(roundScale(scale)).toBe(150_000);
    expect([1, 999, 25_000, 26_000, 80_001].map(roundScale)).toEqual([1, 1000, 25_000, 30_000, 100_000]);
    const m = unitsPerMm(frame({ scale: roundScale(scale) }));
    expect((box[2]! - box[0]!) / m).toBeLessThan(200);
    // A quarter turn: its width stands upright.
    expect(scaleToFit(frame({ turn: 90 }), box)).toBeCloseTo((20_000 / (120 * 0.92)) * 1000, -3);
  });
});

describe('scales', () => {
  it('are read as people write them', () => {
    for (const [text, scale] of [
      ['1:25 000', 25_000],
      ['1 : 25.000', 25_000],
      ['25,000', 25_000],
      ["1:1'000'000", 1_000_000],
      ['1/5000', 5000],
      ['2.5m', 2_500_000],
      ['50k', 50_000],
      ['1:12.5', 12.5],
    ] as const)
      expect(readScale(text)).withContext(text).toBe(scale);
    for (const text of ['', 'large', '1:0', '0.5', '1:25 000 000 000', '1:25:5', '-5'])
      expect(readScale(text)).toBeNull();
    expect(scaleText(1_250_000)).toBe('1:1\u00a0250\u00a0000');
    expect(readScale(scaleText(75_000))).toBe(75_000);
  });
});

describe('a scale bar', () => {
  it('is as long as the geodesic along the middle of the frame, at three latitudes of Mercator’s', () => {
    for (const [lon, lat] of [
      [10, 0],
      [10, 45],
      [-70, 70],
    ] as const) {
      const p = reference.places.find((x) => x.code === 3857 && x.lon === lon && x.lat === lat)!;
      const f = frame({ crs: crsOfCode(3857), centre: [p.x, p.y], scale: 200_000 });
      const bar = scaleBar(f, 60, 4, 'metric');
      expect(bar.ground).toBe(10_000);
      // What pyproj measured along the same line tells the length of a unit there.
      const metres = p.lines[1]!.metres / (2 * p.lines[1]!.half);
      expect(bar.width * unitsPerMm(f) * metres).toBeCloseTo(10_000, 0);
      expect(bar.width).toBeCloseTo(50, 2);
    }
  });

  it('has round parts in its unit and stays within its room', () => {
    expect(scaleBar(frame(), 60, 4, 'metric').ticks).toEqual(['0', '250', '500', '750', '1000']);
    expect(scaleBar(frame({ scale: 1_000_000 }), 60, 2, 'metric')).toEqual(
      jasmine.objectContaining({ ticks: ['0', '25', '50'], unit: 'km' }),
    );
    expect(scaleBar(frame({ scale: 63_360 }), 60, 2, 'miles')).toEqual(
      jasmine.objectContaining({ ticks: ['0', '1', '2'], unit: 'mi' }),
    );
    fc.assert(
      fc.property(
        fc.double({ min: 100, max: 1e8, noNaN: true }),
        fc.integer({ min: 1, max: 8 }),
        fc.constantFrom('metric' as const, 'miles' as const, 'nautical' as const),
        (scale, parts, unit) => {
          const bar = scaleBar(frame({ scale }), 60, parts, unit);
          expect(bar.width).toBeLessThanOrEqual(60.0001);
          expect(bar.width).toBeGreaterThan(20);
          expect(new Set(bar.ticks).size).toBe(parts + 1);
        },
      ),
    );
  });
});

describe('a grid over a frame', () => {
  it('has round steps that suit the scale', () => {
    expect(gridStep(frame(), 'system')).toBe(1000);
    expect(gridStep(frame({ scale: 1_000_000 }), 'system')).toBe(50_000);
    expect(gridStep(frame({ scale: 1_000_000 }), 'degrees')).toBe(0.5);
  });

  it('of its own system is straight, cut at the edges and told there', () => {
    const f = frame();
    const lines = gridLines(f, { of: 'system', step: 1000 });
    const x = lines.filter((l) => l.constant === 'x');
    // 200 mm at 1:25 000 are 5 km, times the factor of UTM.
    expect(x.map((l) => l.value)).toEqual([528_000, 529_000, 530_000, 531_000, 532_000]);
    expect(x[2]!.label).toBe('530\u00a0000\u00a0E');
    for (const l of lines)
      for (const piece of l.pieces)
        for (const [px, py] of piece) {
          expect(px).toBeGreaterThanOrEqual(f.x - 1e-6);
          expect(px).toBeLessThanOrEqual(f.x + f.width + 1e-6);
          expect(py).toBeGreaterThanOrEqual(f.y - 1e-6);
          expect(py).toBeLessThanOrEqual(f.y + f.height + 1e-6);
        }
    const labels = edgeLabels(f, lines);
    expect(labels.filter((l) => l.side === 'bottom').length).toBe(5);
    expect(crossings(f, { of: 'system', step: 1000 }).length).toBe(5 * lines.filter((l) => l.constant === 'y').length);
  });

  it('of meridians runs where pyproj has them', () => {
    const p = reference.places.find((x) => x.code === 3035 && x.lat === 66)!;
    const f = frame({ crs: crsOfCode(3035), centre: [p.x, p.y], scale: 2_000_000 });
    const lines = gridLines(f, { of: 'degrees', step: 1 });
    const meridian = lines.find((l) => l.constant === 'x' && l.value === p.lon)!;
    // It passes through the place in the middle, with the slope of its convergence.
    const near = meridian.pieces[0]!.map(([x, y]) => [x - 120, y - 90] as const);
    const k = near.findIndex(([, y], i) => i > 0 && near[i - 1]![1] * y <= 0);
    const [a, b] = [near[k - 1]!, near[k]!];
    expect(a[0] - (a[1] * (b[0] - a[0])) / (b[1] - a[1])).toBeCloseTo(0, 1);
    expect((Math.atan2(b[0] - a[0], a[1] - b[1]) * 180) / Math.PI).toBeCloseTo(-p.convergence, 0);
    expect(meridian.label).toBe('28°\u00a0E');
  });

  it('spells angles as finely as its step', () => {
    expect(angleText(-21.5, 0.5, ['E', 'W'])).toBe('21°30′\u00a0W');
    expect(angleText(64, 1, ['N', 'S'])).toBe('64°\u00a0N');
    expect(angleText(58.2575, 1 / 3600, ['N', 'S'])).toBe('58°15′27″\u00a0N');
    expect(angleText(0, 1, ['N', 'S'])).toBe('0°');
  });

  it('says and reads steps of degrees as people write them', () => {
    expect([1, 0.5, 1 / 12, 1 / 120, 1.5, 0.123456].map(stepWords)).toEqual([
      '1°',
      '30′',
      '5′',
      '30″',
      '1°30′',
      '0.123456°',
    ]);
    for (const step of [30, 1, 1 / 3, 1 / 12, 1 / 3600]) expect(readAngle(stepWords(step))).toBeCloseTo(step, 9);
    expect([readAngle("1°30'"), readAngle('0.25'), readAngle('15 "'), readAngle('a lot'), readAngle('')]).toEqual([
      1.5,
      0.25,
      15 / 3600,
      null,
      null,
    ]);
  });

  it('over the whole Earth, or where there is none, ends', () => {
    const all = frame({ crs: wgs84(), centre: [0, 0], scale: 150_000_000 });
    expect(gridLines(all, { of: 'degrees', step: null }).length).toBeLessThan(60);
    expect(gridLines(frame({ centre: [1e12, 1e12] }), { of: 'degrees', step: 1 })).toBeInstanceOf(Array);
    expect(gridLines(frame(), { of: 'system', step: 0.01 })).toEqual([]);
  });

  it('is cut to its frame and nothing more', () => {
    const box = { x: 0, y: 0, width: 10, height: 10 };
    expect(
      within(
        [
          [-5, 5],
          [15, 5],
        ],
        box,
      ),
    ).toEqual([
      [
        [0, 5],
        [10, 5],
      ],
    ]);
    // Out and in again: two pieces.
    expect(
      within(
        [
          [2, 2],
          [2, -5],
          [8, -5],
          [8, 2],
        ],
        box,
      ).length,
    ).toBe(2);
    expect(
      within(
        [
          [1, 1],
          [NaN, 2],
          [3, 3],
          [4, 4],
        ],
        box,
      ),
    ).toEqual([
      [
        [3, 3],
        [4, 4],
      ],
    ]);
    expect(
      within(
        [
          [-5, -1],
          [20, -1],
        ],
        box,
      ),
    ).toEqual([]);
  });
});

describe('parts on paper', () => {
  const page = { width: 297, height: 210, margin: 12, paper: '#ffffff' };
  const box = (x: number, y: number, width = 40, height = 20) => ({ x, y, width, height });

  it('snap to margins, the middle of the page, and each other', () => {
    expect(snapped(box(13.2, 50), [], page, 2)).toEqual(jasmine.objectContaining({ dx: jasmine.any(Number), dy: 0 }));
    expect(snapped(box(13.2, 50), [], page, 2).dx).toBeCloseTo(-1.2, 9);
    expect(snapped(box(127.5, 50), [], page, 2).dx).toBeCloseTo(1, 9);
    const s = snapped(box(100, 71), [box(200, 70, 30, 20)], page, 2);
    expect(s.dy).toBe(-1);
    expect(s.guides[0]).toEqual({ along: 'y', at: 70, from: 100, to: 230 });
    expect(snapped(box(100, 40), [], page, 0.5)).toEqual({ dx: 0, dy: 0, guides: [] });
  });

  it('snap into equal gaps', () => {
    const s = snapped(box(101, 50), [box(40, 50), box(160, 50)], page, 2);
    expect(s.dx).toBeCloseTo(-1, 9);
    expect(s.guides[0]!.gaps).toEqual([
      [80, 100],
      [140, 160],
    ]);
    // After two of them, as far as they are apart.
    expect(snapped(box(180.5, 50), [box(40, 50), box(110, 50)], page, 2).dx).toBeCloseTo(-0.5, 9);
  });

  it('are resized by the edges that are held', () => {
    const s = snapped(box(100, 50, 41, 20), [box(30, 90, 110, 10)], page, 2, { right: true });
    expect(s).toEqual(jasmine.objectContaining({ dx: -1, dy: 0 }));
  });

  it('are aligned and spread', () => {
    const three = [box(10, 10), box(60, 14, 20, 10), box(150, 12)];
    expect(aligned(three, 'bottom', page).map((b) => b.y + b.height)).toEqual([32, 32, 32]);
    expect(aligned([box(50, 50)], 'right', page)[0]!.x).toBe(297 - 12 - 40);
    expect(spread(three, 'x').map((b) => b.x)).toEqual([10, 90, 150]);
    expect(around(three)).toEqual({ x: 10, y: 10, width: 180, height: 22 });
  });

  it('lie on pages that are known by name', () => {
    expect(pageSize('A4', true)).toEqual({ width: 297, height: 210 });
    expect(pageNamed(297, 210)).toEqual({ name: 'A4', across: true });
    expect(pageNamed(100, 100)).toBeNull();
  });
});

describe('fields of texts', () => {
  const values = new Map([
    ['scale', '1:25 000'],
    ['Name of parish', 'Ost'],
  ]);

  it('are filled in, whatever their case; unknown ones stay to be seen', () => {
    expect(filled('At {Scale}: {name of parish}, {area} {{kept}}', values)).toBe('At 1:25 000: Ost, {area} {kept}');
    expect(unknownFields('At {Scale}: {area} {{kept}}', values)).toEqual(['area']);
    expect(filled('{constructor}{__proto__}', values)).toBe('{constructor}{__proto__}');
  });

  it('make names of files that are whole and apart', () => {
    const each = ['Ost/West', 'ost:west', '..', 'x'.repeat(300)].map((n) => new Map([['name', n]]));
    const names = fileNames('{name}', each);
    expect(names.slice(0, 3)).toEqual(['Ost West', 'ost west (2)', 'sheet 3']);
    expect(names[3]!.length).toBe(120);
  });
});

describe('a sheet', () => {
  const base = {
    format: 'helk-sheet',
    version: 1,
    name: 'Watershed',
    page: { width: 297, height: 210, margin: 12, paper: '#ffffff' },
    many: null,
  };
  const part = (id: string, over: object = {}): object => ({
    kind: 'frame',
    id,
    ...frame(),
    layers: [],
    time: null,
    edge: true,
    grid: null,
    linked: null,
    around: null,
    ...over,
  });

  it('is read as it was written', () => {
    const raw = { ...base, parts: [part('a'), part('b', { linked: 'a', scale: 500, centre: [0, 0] })] };
    const s = sheetFrom(JSON.parse(JSON.stringify(raw)));
    expect(s).toEqual(raw as never);
    const [a, b] = framesOf(s);
    expect(followed(b!, [a!, b!]).scale).toBe(25_000);
    expect(followed(a!, [a!, b!])).toBe(a!);
    // Two that follow each other do so once.
    const round = { ...a!, linked: 'b' };
    expect(followed(round, [round, b!]).id).toBe('a');
  });

  it('is refused in words where its parts do not fit together', () => {
    const refused = (raw: unknown) => expect(() => sheetFrom(raw)).toThrowError(/sheet/i);
    refused({ ...base, parts: [part('a'), part('a')] });
    refused({ ...base, parts: [part('a', { linked: 'z' })] });
    refused({ ...base, parts: [part('a', { scale: 0 })] });
    refused({ ...base, parts: [part('a', { width: NaN })] });
    refused({ ...base, page: { ...base.page, width: 1e9 }, parts: [] });
    refused(null);
    refused({ ...base, parts: [{ ...part('a'), kind: 'frame', layers: [{ dataset: '../etc', visible: true }] }] });
  });
});
