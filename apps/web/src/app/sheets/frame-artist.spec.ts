import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import View from 'ol/View';
import {
  crsOfCode,
  FeaturesBuilder,
  measureRaster,
  PLAIN_VECTOR,
  textColumn,
  type Features,
  type Scale,
  type VectorStyle,
} from '@helk/core';
import type { ApiProjectDetail } from '@helk/core/api/schemas';
import { frameMap } from '@helk/core/sheet/ground';
import type { Frame, SheetLayer } from '@helk/core/sheet/shape';
import { Api } from '../api/api';
import { eachItem } from '../draw/display';
import { Drawing } from '../draw/drawing';
import type { TileRequest } from '../draw/messages';
import { painted } from '../draw/paint';
import { PAPER_THEME } from '../draw/theme';
import { clientKind } from '../kinds';
import { KindTools } from '../kinds/tools';
import { mapImage } from '../pane/picture';
import { ProjectStore } from '../state/project.store';
import { projectionOf } from '../state/views';
import { datasetOf, described, projectOf } from '../testing';
import { FrameArtist } from './frame-artist';
import { MM } from './paper';
import { NOTHING_WRITTEN } from '../state/written';

const crs = crsOfCode(32627);
const [X, Y] = [530_000, 6_460_000];
const hill = measureRaster(
  { crs, x: X, y: Y, dx: 100, dy: 100, columns: 20, rows: 20 },
  Float32Array.from({ length: 400 }, (_, i) => i),
  { name: 'hill', unit: 'm', role: 'elevation' },
);
const square = (x: number, y: number, s: number): [number, number][] => [
  [x, y],
  [x + s, y],
  [x + s, y + s],
  [x, y + s],
  [x, y],
];
/** One part of the given rings. */
function part(b: FeaturesBuilder, rings: [number, number][][]): void {
  for (const ring of rings) {
    for (const [x, y] of ring) b.coordinate(x, y);
    b.endRing();
  }
  b.endPart();
  b.endFeature();
}
function areas(): Features {
  const b = new FeaturesBuilder();
  part(b, [square(X + 200, Y - 1200, 700), square(X + 400, Y - 1000, 200)]);
  part(b, [square(X + 1000, Y - 900, 600)]);
  return b.build('polygon', crs, [textColumn('name', ['Ost', 'A parish with a long name'])]);
}
function ways(): Features {
  const b = new FeaturesBuilder();
  part(b, [
    [
      [X + 100, Y - 1800],
      [X + 900, Y - 1500],
      [X + 1900, Y - 1750],
    ],
  ]);
  return b.build('line', crs, [textColumn('name', ['Long brook'])]);
}
function wells(): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < 5; i++) b.point(X + 300 + 300 * i, Y - 300);
  return b.build('point', crs, [textColumn('name', ['a', 'b', 'c', 'd', 'e'])]);
}
const DATA: Record<string, Features> = { areas00001: areas(), ways000001: ways(), wells00001: wells() };

class FakeApi {
  methods = () => Promise.resolve(described());
  projects = () => Promise.resolve([projectOf('project1')]);
  project = (): Promise<ApiProjectDetail> =>
    Promise.resolve({
      project: projectOf('project1'),
      datasets: [
        datasetOf('hill000001', { data: hill }, { name: 'Hill' }),
        ...Object.entries(DATA).map(([id, data]) => datasetOf(id, { data }, { name: id })),
      ],
      runs: [],
      ...NOTHING_WRITTEN,
      workbench: null,
    });
  follow = () => () => undefined;
  detail = () => Promise.resolve(null);
  saveWorkbench = () => Promise.resolve();
  patchDataset = () => new Promise<never>(() => undefined);
  features = (_: string, id: string) => Promise.resolve(DATA[id]!);
}
/** Paints tiles whose colours tell where on the ground they are, so that a picture that is shifted is another one. */
class GroundDrawing {
  first = Promise.resolve();
  asked: TileRequest[] = [];
  warm = (): void => undefined;
  tile = (r: TileRequest): Promise<ImageBitmap> => {
    this.asked.push(r);
    const image = new ImageData(r.width, r.height);
    for (let j = 0; j < r.height; j++)
      for (let i = 0; i < r.width; i++) {
        const [x, y] = [r.x + (i + 0.5) * r.resolution, r.y - (j + 0.5) * r.resolution];
        const o = 4 * (j * r.width + i);
        image.data[o] = ((x - X) / 10) & 255;
        image.data[o + 1] = ((Y - y) / 10) & 255;
        image.data[o + 2] = 120;
        image.data[o + 3] = x >= X && x < X + 2000 && y <= Y && y > Y - 2000 ? 255 : 0;
      }
    return createImageBitmap(image);
  };
}

/** Share of pixels that differ by more than some of 255 in any colour. */
function differing(a: HTMLCanvasElement, b: HTMLCanvasElement, by: number): number {
  expect([b.width, b.height]).toEqual([a.width, a.height]);
  const [p, q] = [a, b].map((c) => c.getContext('2d')!.getImageData(0, 0, a.width, a.height).data) as [
    Uint8ClampedArray,
    Uint8ClampedArray,
  ];
  let n = 0;
  for (let i = 0; i < p.length; i += 4) if ([0, 1, 2].some((k) => Math.abs(p[i + k]! - q[i + k]!) > by)) n++;
  return n / (p.length / 4);
}

describe('a frame of a sheet', () => {
  let artist: FrameArtist;
  let store: InstanceType<typeof ProjectStore>;
  let drawing: GroundDrawing;

  beforeEach(async () => {
    localStorage.clear();
    drawing = new GroundDrawing();
    TestBed.configureTestingModule({
      providers: [
        provideZonelessChangeDetection(),
        { provide: Api, useValue: new FakeApi() },
        { provide: Drawing, useValue: drawing },
      ],
    });
    store = TestBed.inject(ProjectStore);
    artist = TestBed.inject(FrameArtist);
    await new Promise((r) => setTimeout(r, 60));
  });

  const vector = (over: Partial<VectorStyle> = {}): VectorStyle => ({ ...PLAIN_VECTOR, colour: '#8040a0', ...over });
  const layer = (dataset: string, look?: object): (typeof SheetLayer)['_output'] => {
    const item = store.datasetEntityMap()[dataset]!;
    const kind = clientKind(item.info);
    const drawn = look ?? kind.look(item.info as never, null, '#2d88a6');
    const scale = kind.scale?.(item.info as never, drawn)?.scale ?? null;
    return { dataset, visible: true, look: drawn as Record<string, unknown>, scale: scale as never };
  };
  const frame = (layers: Frame['layers'], over: Partial<Frame> = {}): Frame => ({
    kind: 'frame',
    id: 'map1',
    x: 0,
    y: 0,
    width: 300 / MM,
    height: 240 / MM,
    crs,
    centre: [X + 1000, Y - 1000],
    scale: 40_000,
    turn: 0,
    layers,
    time: null,
    edge: false,
    grid: null,
    linked: null,
    around: null,
    ...over,
  });
  /** The frame as a pane of that size and place shows it, and as it is painted from the list. */
  async function both(f: Frame, finer = 1): Promise<[HTMLCanvasElement, HTMLCanvasElement]> {
    const view = new View({
      projection: projectionOf(crs),
      center: [...f.centre],
      resolution: frameMap(f).perMm / MM,
      rotation: (f.turn * Math.PI) / 180,
      constrainRotation: false,
    });
    const stack = f.layers.map((l) => ({
      layer: { dataset: l.dataset, visible: true },
      item: store.datasetEntityMap()[l.dataset]!,
      look: l.look,
      scale: l.scale as Scale | null,
    }));
    const pane = await mapImage(stack, view, [300, 240], {
      crs,
      theme: { ...PAPER_THEME, ground: '#ffffff' },
      swipe: null,
      tools: TestBed.inject(KindTools),
      finer,
    });
    const { items } = await artist.drawn(f);
    const sheet = await painted(
      {
        width: 300,
        height: 240,
        items: [{ kind: 'box', x: 0, y: 0, width: 300, height: 240, fill: '#ffffff' }, ...items],
      },
      finer,
    );
    return [pane, sheet];
  }

  it('shows a raster as a pane does, also turned, and as finely as it is wanted', async () => {
    expect(differing(...(await both(frame([layer('hill000001')]))), 24)).toBeLessThan(0.01);
    expect(differing(...(await both(frame([layer('hill000001')], { turn: 30 }))), 24)).toBeLessThan(0.02);
    drawing.asked = [];
    expect(differing(...(await both(frame([layer('hill000001')], { scale: 39_000 }), 4)), 24)).toBeLessThan(0.01);
    // Four times as fine asks for cells four times as small, with patterns as large as before.
    const fine = drawing.asked.filter((r) => r.coarse === 4);
    expect(fine.length).toBeGreaterThan(0);
    for (const r of fine) expect(r.resolution).toBeLessThan(frameMap(frame([])).perMm / MM / 3);
  });

  it('shows areas with holes, lines and points as a pane does, as lines and areas', async () => {
    const layers = [
      layer('areas00001', vector({ fill: 0.6, width: 2, outline: '#333333' })),
      layer('ways000001', vector({ colour: '#1060c0', width: 3 })),
      layer('wells00001', vector({ colour: '#c03020' })),
    ];
    for (const turn of [0, 25]) {
      const f = frame(layers, { turn });
      expect(differing(...(await both(f)), 70))
        .withContext(`${turn}`)
        .toBeLessThan(0.01);
      const kinds = [...eachItem((await artist.drawn(f)).items)].map((i) => i.kind);
      expect(kinds).not.toContain('made');
      expect(kinds.filter((k) => k === 'disc').length).toBe(5);
      expect(kinds.filter((k) => k === 'shape').length).toBe(3);
    }
  });

  it('lays labels where a pane lays them, and none over another', async () => {
    const label = { formula: 'name', size: 12 };
    const layers = [
      layer('areas00001', vector({ fill: 0.2, label })),
      layer('ways000001', vector({ colour: '#1060c0', label })),
      layer('wells00001', vector({ label })),
    ];
    const f = frame(layers);
    const [pane, sheet] = await both(f);
    expect(differing(pane, sheet, 90)).toBeLessThan(0.02);
    const texts = [...eachItem((await artist.drawn(f)).items)].flatMap((i) => (i.kind === 'text' ? [i.text] : []));
    expect(texts).toContain('Ost');
    expect(texts.join('')).toContain('Long brook');
    // Too long for its area: a pane leaves it out as well.
    expect(texts).not.toContain('A parish with a long name');
  });

  it('keeps the order of layers, what is seen through, and makes one picture of neighbours that are pictures', async () => {
    const f = frame([
      layer('hill000001'),
      layer('areas00001', vector({ fill: 1, opacity: 0.5 })),
      layer('wells00001', vector()),
    ]);
    const { items, keys, lost } = await artist.drawn(f);
    expect(items.map((i) => i.kind)).toEqual(['made', 'group', 'group']);
    expect(items[1]).toEqual(jasmine.objectContaining({ alpha: 0.5 }));
    expect(keys.map((k) => k.id)).toEqual(['wells00001', 'areas00001', 'hill000001']);
    expect(lost).toBe(0);
    expect(differing(...(await both(f)), 40)).toBeLessThan(0.02);
  });

  it('says what is not there any more, and draws the rest', async () => {
    const gone = { ...layer('wells00001'), dataset: 'nowhere001' };
    const { lost, items } = await artist.drawn(frame([gone, layer('ways000001', vector())]));
    expect([lost, items.length]).toEqual([1, 1]);
  });
});
