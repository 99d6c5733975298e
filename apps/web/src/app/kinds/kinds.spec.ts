import {
  crsOfCode,
  defaultStyle,
  FeaturesBuilder,
  infoOf,
  KIND_NAMES,
  measureRaster,
  numberColumn,
  PLAIN_VECTOR,
  symbolsOf,
  textColumn,
  type CloudInfo,
  type CloudStyle,
  type Dataset,
  type Features,
  type FeaturesInfo,
  type Raster,
  type RasterInfo,
  type VectorStyle,
} from '@helk/core';
import { smallScene } from '@helk/core/methods/cloud/scene-fixture';
import { datasetOf } from '../testing';
import type { DatasetItem } from '../state/project.store';
import { CLIENT_KINDS } from '.';
import { cloud } from './cloud';
import { drawnOf } from './drawn';
import { features } from './features';
import type { Tools } from './kind';
import { raster } from './raster';
import { table } from './table';

const crs = crsOfCode(32627);
const grid = { crs, x: 0, y: 30, dx: 10, dy: 10, columns: 3, rows: 3 };
const one = (name: string, unit: string | null, cells: number[]) =>
  measureRaster(grid, Float32Array.from(cells), { name, unit }).bands[0]!;
const nine = [1, 2, 3, 4, 5, 6, 7, 8, 9];
const scene: Raster = {
  kind: 'raster',
  grid,
  bands: [
    one('red', '', nine),
    one(
      'heat',
      '°C',
      nine.map((v) => v * 10),
    ),
    one('cover', null, nine),
  ],
};
Object.assign(scene.bands[2]!, {
  kind: 'category',
  cells: Int32Array.of(1, 1, 1, 2, 2, 2, 3, 3, 3),
  classes: [
    { value: 1, label: 'water', colour: '#0000ff' },
    { value: 2, label: 'moor', colour: null },
  ],
});
function squares(): Features {
  const b = new FeaturesBuilder();
  for (const x of [0, 10, 20]) {
    for (const [dx, dy] of [
      [0, 10],
      [0, 0],
      [10, 0],
      [10, 10],
      [0, 10],
    ])
      b.coordinate(x + dx!, dy!);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('polygon', crs, [
    textColumn('class', ['moor', 'arable', 'moor']),
    numberColumn('solar', [1.5, NaN, 4], '%'),
  ]);
}
const item = (data: Dataset, name = 'Scene'): DatasetItem =>
  datasetOf('d000000001', { data }, { name }) as unknown as DatasetItem;

/** What the records work with: a drawing worker that knows the cells, and features at hand. */
const tools = (picked: Uint8Array | null = null): Tools =>
  ({
    project: () => 'p',
    shows: () => null,
    drawing: {
      value: (r: { source: { band: number }; x: number; y: number }) => {
        const [c, row] = [Math.floor(r.x / 10), Math.floor((30 - r.y) / 10)];
        const inside = c >= 0 && row >= 0 && c < 3 && row < 3;
        const v = inside ? scene.bands[r.source.band % 3]!.cells[3 * row + c]! : null;
        return Promise.resolve({ value: v, column: c, row });
      },
    },
    data: { get: () => Promise.resolve(squares()), features: () => squares() },
    picks: {
      range: () => null,
      of: () => picked,
      count: () => picked?.reduce((a, b) => a + b, 0) ?? 0,
      pick: (_: string, rows: Uint8Array) => (last = rows),
    },
  }) as unknown as Tools;
let last: Uint8Array | null = null;

describe('records of kinds', () => {
  it('are there for every kind the core has, each with its own name', () => {
    expect(Object.keys(CLIENT_KINDS).sort()).toEqual([...KIND_NAMES].sort());
    for (const [name, k] of Object.entries(CLIENT_KINDS)) expect(k.kind).toBe(name as never);
  });

  describe('rasters', () => {
    const info = infoOf(scene) as RasterInfo;
    const style = defaultStyle(info);

    it('draw the band that is chosen, and the first where that one is gone', () => {
      expect(drawnOf(info, { ...style, band: 1 }).band.name).toBe('heat');
      expect(drawnOf(info, { ...style, band: 7 }).index).toBe(0);
    });

    it('tell every band at a place, with unit and class, and which is drawn', async () => {
      const read = await raster.readout!(item(scene), { ...style, band: 1 }, { x: 15, y: 15 }, crs, tools());
      expect(read.map((r) => `${r.of} ${r.value} ${r.unit}`.trim())).toEqual(['red 5', 'heat 50 °C', 'cover 2 moor']);
      expect(read.map((r) => r.drawn)).toEqual([false, true, false]);
      const off = await raster.readout!(item(scene), style, { x: 99, y: 15 }, crs, tools());
      expect(off.every((r) => r.value === 'outside' && !r.there)).toBeTrue();
    });

    it('of one band have no need of its name, and of very many tell the one that is drawn', async () => {
      const single: Raster = { ...scene, bands: [scene.bands[0]!] };
      expect((await raster.readout!(item(single), style, { x: 5, y: 25 }, crs, tools()))[0]!.of).toBe('');
      const many: Raster = { ...scene, bands: Array.from({ length: 20 }, () => scene.bands[0]!) };
      const read = await raster.readout!(item(many), { ...style, band: 3 }, { x: 5, y: 25 }, crs, tools());
      expect(read.length).toBe(1);
    });

    it('share a scale by unit, but not with what means something else', () => {
      const group = (b: number, over = {}): string => {
        const r = { ...scene, bands: [{ ...scene.bands[b]!, ...over }] };
        return raster.scale!(infoOf(r) as RasterInfo, style)!.group;
      };
      expect(group(1)).toBe(group(1, { name: 'other' }));
      expect(group(1)).not.toBe(group(0));
      expect(group(1, { role: 'difference' })).not.toBe(group(1));
    });

    it('have a legend with band, unit, classes and what is missing', () => {
      const of = (band: number, look = {}) => {
        const s = { ...style, band, ...look };
        const { scale } = raster.scale!(info, s)!;
        return raster.legend!({ item: item(scene), look: s, scale, shared: false, symbols: null });
      };
      expect(of(1).title).toBe('Scene: heat, °C');
      expect(of(1).ramp!.ticks).toEqual(['10', '50', '90']);
      expect(of(2).entries.map((e) => e.text)).toEqual(['water', 'moor', '3']);
      expect(of(2).entries[0]!.colour).toBe('#0000ff');
      expect(of(1, { classes: 4 }).entries.length).toBe(4);
      expect(of(1, { classes: 9 }).notes).toEqual(['9 classes']);
      expect(of(1, { stretch: { kind: 'percentile', cut: 2 } }).notes).toEqual(['2 to 98 % of the values']);
      const lost = { ...scene, grid: { ...grid, crs: null }, bands: [one('z', null, [1, 2, 3, 4, NaN, 6, 7, 8, 9])] };
      const { scale } = raster.scale!(infoOf(lost) as RasterInfo, style)!;
      const legend = raster.legend!({ item: item(lost, 'Lost'), look: style, scale, shared: true, symbols: null });
      expect(legend.title).toBe('Lost (unit not known)');
      expect(legend.missing).toBe('missing inside: 1 cells');
      expect(legend.warnings.join()).toContain('system not known');
      expect(legend.notes).toEqual(['shared scale']);
    });

    it('are alike when their values mean the same', () => {
      const b = infoOf({ ...scene, bands: [one('other', '', nine)] }) as RasterInfo;
      expect(raster.alike(info, b)).toBeTrue();
      expect(raster.alike(info, infoOf({ ...scene, bands: [scene.bands[1]!] }) as RasterInfo)).toBeFalse();
    });
  });

  describe('features', () => {
    const info = infoOf(squares()) as FeaturesInfo;
    const look = features.look(info, null, '#112233');

    it('of areas with classes are coloured by them, others by one colour', () => {
      expect(look.by).toEqual({ kind: 'category', column: 'class', colours: {} });
      expect(features.colour(look)).toBeNull();
      const plain = features.look({ ...info, columns: [] }, null, '#112233');
      expect(features.colour(plain)).toBe('#112233');
      expect(features.recoloured(plain, '#445566').colour).toBe('#445566');
    });

    it('take of what a method wishes what their columns allow', () => {
      const wish = {
        features: {
          size: { column: 'sol*', largest: 9 },
          emphasis: 'index',
          label: { formula: 'solar', size: 11 },
          by: {
            kind: 'classes' as const,
            column: 'gone',
            rule: 'equal' as const,
            classes: 3,
            own: [],
            ramp: 'ember',
            reversed: false,
          },
        },
      };
      const l = features.look(info, wish, '#112233');
      expect(l.size).toEqual({ column: 'solar', largest: 9 });
      expect([l.emphasis, l.label?.formula, l.by.kind]).toEqual([null, 'solar', 'one']);
    });

    it('tell the area at a place: what it is coloured by, else its first text', async () => {
      const at = (x: number, style: VectorStyle) =>
        features.readout!(item(squares()), style, { x, y: 5 }, crs, tools());
      expect((await at(5, look))[0]!.value).toBe('moor');
      const by = {
        kind: 'classes' as const,
        column: 'solar',
        rule: 'equal' as const,
        classes: 3,
        own: [],
        ramp: 'ember',
        reversed: false,
      };
      expect((await at(25, { ...look, by }))[0]).toEqual(jasmine.objectContaining({ value: '4', unit: '%' }));
      expect((await at(15, { ...look, by }))[0]!.value).toBe('missing');
      expect((await at(99, look))[0]!.there).toBeFalse();
    });

    it('tell what a method says is worth telling beside, and call categories by the names they were given', async () => {
      const t = { ...tools(), shows: () => ({ tells: ['solar', 'none'] }) } as unknown as Tools;
      const named = {
        ...look,
        by: { kind: 'category' as const, column: 'class', colours: {}, labels: { moor: 'heath' } },
      };
      const read = await features.readout!(item(squares()), named, { x: 5, y: 5 }, crs, t);
      expect(read.map((r) => [r.of, r.value, r.unit])).toEqual([
        ['', 'heath', ''],
        ['solar', '1.50', '%'],
      ]);
      const symbols = symbolsOf(named, squares());
      const of = { item: item(squares(), 'Cover'), look: named, scale: null, shared: false, symbols };
      expect(features.legend!(of).entries.map((e) => e.text)).toEqual(['heath', 'arable']);
    });

    it('are not outlined where there are very many of them', () => {
      const info = infoOf(squares()) as FeaturesInfo;
      const shows = { features: { outline: '#ffffff', width: 0.5 } };
      expect(features.look(info, shows, '#112233').outline).toBe('#ffffff');
      expect(features.look({ ...info, count: 5000 }, shows, '#112233').outline).toBeNull();
    });

    it('have a legend whose entries pick what they stand for', () => {
      const symbols = symbolsOf(look, squares());
      const of = { item: item(squares(), 'Cover'), look, scale: null, shared: false, symbols };
      const legend = features.legend!(of);
      expect(legend.title).toBe('Cover: class');
      expect(legend.entries.map((e) => `${e.text} ${e.count}`)).toEqual(['moor 2', 'arable 1']);
      features.pickEntry!(of, 0, tools());
      expect([...last!]).toEqual([1, 0, 1]);
      const plain = features.legend!({ ...of, look: PLAIN_VECTOR, symbols: null });
      expect([plain.title, plain.mark!.shape]).toEqual(['Cover', 'area']);
      expect(
        features.legend!({ ...of, look: { ...PLAIN_VECTOR, size: { column: 'solar', largest: 9 } } }).notes,
      ).toEqual(['width by solar']);
    });

    it('say how much is picked, as area', () => {
      expect(features.told(item(squares()), tools(Uint8Array.of(1, 0, 1)))).toBe('2 of 3 polygons · 0.02 ha');
      expect(features.told(item(squares()), tools())).toBe('');
    });
  });

  describe('clouds', () => {
    const points = smallScene(900).cloud;
    const info = infoOf(points) as CloudInfo;
    const look = cloud.look(info, null, '#112233');
    const of = (over: Partial<CloudStyle> = {}) => ({
      item: item(points, 'Cloud'),
      look: { ...look, ...over },
      scale: null,
      shared: false,
      symbols: null,
    });

    it('have a key of classes with their counts, each switched on and off', () => {
      const legend = cloud.legend!(of());
      expect(legend.title).toBe('Cloud: class');
      expect(legend.switches).toBeTrue();
      expect(legend.entries[0]).toEqual(jasmine.objectContaining({ text: 'ground', off: false }));
      expect(legend.entries.reduce((s, e) => s + e.count!, 0)).toBe(info.count);
      expect(cloud.switched!(of(), 0)).toEqual({ hidden: [2] });
      expect(cloud.switched!(of({ hidden: [2, 6] }), 0)).toEqual({ hidden: [6] });
      expect(cloud.legend!(of({ hidden: [2] })).entries[0]!.off).toBeTrue();
      expect(cloud.legend!(of({ by: 'one', hidden: [2] })).notes).toEqual(['without ground']);
    });

    it('have a ramp with their unit where they are coloured by heights or an attribute', () => {
      const heights = cloud.legend!(of({ by: 'height', stretch: { kind: 'minmax' } }));
      expect(heights.title).toBe('Cloud: height, m');
      expect(heights.ramp!.ticks.length).toBe(3);
      expect(cloud.legend!(of({ by: 'attribute', attribute: 'intensity' })).title).toBe('Cloud: intensity');
      expect(cloud.colour({ ...look, by: 'one' })).toBe('#112233');
    });

    it('tell the highest point near a place, with its class', async () => {
      const z = Float32Array.from(points.z, (v) => v / 100);
      const places = {
        x0: 400_000,
        y0: 6_459_900,
        dx: Float32Array.from(points.x, (v) => v / 100),
        dy: Float32Array.from(points.y, (v) => v / 100),
        z,
      };
      const box = [Math.min(...points.x), Math.min(...points.y), 0, Math.max(...points.x), Math.max(...points.y), 0];
      const clouds = {
        list: () => Promise.resolve({ spacing: 1, chunks: [{ level: 0, count: z.length, box }] }),
        places: () => Promise.resolve(places),
        values: (_p: string, _d: string, _i: unknown, _l: unknown, _k: number, name: string) =>
          Promise.resolve(points.attributes.find((a) => a.name === name)!.values),
      };
      const t = { ...tools(), clouds } as unknown as Tools;
      const at = async (x: number, y: number) => cloud.readout!(item(points), look, { x, y }, crs, t);
      // In the middle of the house of the fixture, whose roof lies above the ground.
      const read = await at(400_009, 6_459_908);
      expect(read.map((r) => r.of)).toEqual(['height', 'class', 'intensity', 'return']);
      expect(read[1]!.value).toBe('6 building');
      expect((await at(500_000, 6_459_908))[0]!.there).toBeFalse();
    });
  });

  it('tables are read, not drawn', () => {
    const data: Dataset = { kind: 'table', columns: [numberColumn('n', [1, 2])] };
    expect([table.goes, table.driver]).toEqual(['evidence', undefined]);
    expect(table.told(item(data), tools(Uint8Array.of(1, 0)))).toBe('1 of 2 rows');
  });
});
