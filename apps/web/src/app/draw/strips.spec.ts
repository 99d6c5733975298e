import { inGrey, greyOf } from './grey';
import { painted, partsOf } from './paint';
import { pngOf, tiffOf, worldFile, type Placed } from './strips';
import { Recorder } from './recorder';
import { keep, unkept } from './kept';
import { DrawingShape } from '@helk/core/sheet/drawing';
import type { DisplayList } from './display';

/** Six rows of four pixels, in strips of two rows. */
const pixel = (x: number, y: number): number[] => [40 * x, 40 * y, 200 - 10 * x * y];
async function* strips(): AsyncGenerator<Uint8Array<ArrayBuffer>> {
  for (const y of [0, 2, 4]) {
    await Promise.resolve();
    yield Uint8Array.from([y, y + 1].flatMap((r) => [0, 1, 2, 3].flatMap((x) => pixel(x, r))));
  }
}
const head = { width: 4, height: 6, dpi: 300 };

describe('pictures written as they come', () => {
  it('are read by the browser as they were, and know their resolution', async () => {
    const blob = await pngOf(strips(), head);
    const image = await createImageBitmap(blob, { colorSpaceConversion: 'none' });
    const c = document.createElement('canvas');
    [c.width, c.height] = [image.width, image.height];
    const g = c.getContext('2d')!;
    g.drawImage(image, 0, 0);
    expect([image.width, image.height]).toEqual([4, 6]);
    for (const [x, y] of [
      [0, 0],
      [3, 1],
      [2, 5],
    ] as const)
      expect([...g.getImageData(x, y, 1, 1).data].slice(0, 3)).toEqual(pixel(x, y));
    const bytes = new Uint8Array(await blob.arrayBuffer());
    const text = new TextDecoder('latin1').decode(bytes);
    // 300 to the inch are 11811 to the metre.
    expect(new DataView(bytes.buffer).getUint32(text.indexOf('pHYs') + 4)).toBe(11_811);
  });

  it('stop where their rows stop, and leave nothing half written', async () => {
    async function* broken(): AsyncGenerator<Uint8Array<ArrayBuffer>> {
      yield new Uint8Array(24);
      await Promise.resolve();
      throw new Error('no more');
    }
    await expectAsync(pngOf(broken(), head)).toBeRejectedWithError('no more');
    await expectAsync(tiffOf(broken(), head, null)).toBeRejectedWithError('no more');
  });

  it('tell as TIFF where they lie, in the tags of GeoTIFF', async () => {
    const place: Placed = { a: 10, b: 0, c: 500_000, d: 0, e: -10, f: 6_000_000, code: 32627, geographic: false };
    const bytes = new Uint8Array(await (await tiffOf(strips(), head, place)).arrayBuffer());
    const v = new DataView(bytes.buffer);
    const at = v.getUint32(4, true);
    const tags = new Map<number, { type: number; n: number; at: number }>();
    for (let i = 0; i < v.getUint16(at, true); i++) {
      const o = at + 2 + 12 * i;
      tags.set(v.getUint16(o, true), { type: v.getUint16(o + 2, true), n: v.getUint32(o + 4, true), at: o + 8 });
    }
    // Tags come in order, as the standard wants them.
    expect([...tags.keys()]).toEqual([...tags.keys()].sort((a, b) => a - b));
    const far = (id: number): number => v.getUint32(tags.get(id)!.at, true);
    expect(v.getUint32(far(282), true) / v.getUint32(far(282) + 4, true)).toBe(300);
    expect(tags.get(273)!.n).toBe(3);
    const matrix = Array.from({ length: 16 }, (_, i) => v.getFloat64(far(34264) + 8 * i, true));
    expect(matrix.slice(0, 8)).toEqual([10, 0, 0, 500_000, 0, -10, 0, 6_000_000]);
    const keys = Array.from({ length: tags.get(34735)!.n }, (_, i) => v.getUint16(far(34735) + 2 * i, true));
    expect(keys.slice(-4)).toEqual([3072, 0, 1, 32627]);
    expect(worldFile(place).trim().split('\n').map(Number)).toEqual([10, 0, 0, -10, 500_005, 5_999_995]);
  });
});

describe('a drawing', () => {
  const list: DisplayList = {
    width: 40,
    height: 30,
    items: [
      { kind: 'box', x: 0, y: 0, width: 40, height: 30, fill: '#ff0000' },
      { kind: 'ramp', x: 0, y: 0, width: 10, height: 5, colours: ['#00ff00', '#0000ff'], stepped: false },
      {
        kind: 'made',
        x: 20,
        y: 10,
        width: 10,
        height: 10,
        make: (part, finer) => {
          const c = document.createElement('canvas');
          [c.width, c.height] = [Math.round(part.width * finer), Math.round(part.height * finer)];
          const g = c.getContext('2d')!;
          g.fillStyle = '#00ff00';
          g.fillRect(0, 0, c.width, c.height);
          return Promise.resolve(c);
        },
      },
    ],
  };
  const at = (c: HTMLCanvasElement, x: number, y: number): number[] => [
    ...c.getContext('2d')!.getImageData(x, y, 1, 1).data.slice(0, 3),
  ];

  it('has what is to be made in it, in parts of whole pixels that cover all of it once', async () => {
    const c = await painted(list, 1.7);
    expect(at(c, 40, 25)).toEqual([0, 255, 0]);
    expect(at(c, 60, 40)).toEqual([255, 0, 0]);
    const parts = partsOf({ x: 1.3, y: 2.2, width: 100, height: 50 }, 3.125, [0.4, 0.7], 64);
    const area = parts.reduce((sum, p) => sum + Math.round(p.width * 3.125) * Math.round(p.height * 3.125), 0);
    const xs = parts.map((p) => p.x * 3.125 + 0.4);
    for (const x of xs) expect(x).toBeCloseTo(Math.round(x), 6);
    expect(area).toBeGreaterThanOrEqual(100 * 50 * 3.125 ** 2);
    expect(area).toBeLessThan(315 * 160);
  });

  it('in grey has no colours left, each as light as it was', async () => {
    expect(greyOf('#ff0000')).toBe('rgb(54 54 54)');
    expect(greyOf('rgb(0 255 0 / 0.5)')).toMatch(/^rgb\(18\d 18\d 18\d \/ 0\.50/);
    const c = await painted(inGrey(list), 1);
    for (const [x, y] of [
      [2, 2],
      [25, 15],
      [35, 25],
    ] as const) {
      const [r, g, b] = at(c, x, y);
      expect(Math.max(r!, g!, b!) - Math.min(r!, g!, b!)).toBeLessThan(3);
    }
  });

  it('in grey gives classes greys of their own, in pictures as in areas', async () => {
    const image = document.createElement('canvas');
    image.width = image.height = 4;
    const g = image.getContext('2d')!;
    g.fillStyle = '#ff0000';
    g.fillRect(0, 0, 4, 4);
    const two: DisplayList = {
      width: 20,
      height: 10,
      items: [
        { kind: 'image', image, x: 0, y: 0, width: 10, height: 10 },
        { kind: 'box', x: 10, y: 0, width: 10, height: 10, fill: '#ff0000' },
      ],
    };
    const c = await painted(inGrey(two, new Map([['#ff0000', '#e0e0e0']])), 1);
    expect([at(c, 4, 5), at(c, 15, 5)]).toEqual([
      [224, 224, 224],
      [224, 224, 224],
    ]);
  });

  it('is kept and comes back, without what was only to be made', async () => {
    const image = document.createElement('canvas');
    image.width = image.height = 4;
    image.getContext('2d')!.fillRect(0, 0, 4, 4);
    const text = keep({
      ...list,
      items: [
        ...list.items,
        {
          kind: 'group',
          alpha: 0.5,
          move: { x: 3, y: 4, scale: 2 },
          items: [{ kind: 'image', x: 0, y: 0, width: 4, height: 4, image }],
        },
      ],
    });
    const read = DrawingShape.parse(JSON.parse(text));
    const back = await unkept(read);
    expect(back.items.map((i) => i.kind)).toEqual(['box', 'ramp', 'group']);
    const c = await painted(back, 1);
    // Half black over red.
    expect(at(c, 7, 8)[0]).toBeGreaterThan(110);
    expect(at(c, 7, 8)[0]).toBeLessThan(145);
  });
});

describe('what a canvas is told', () => {
  it('becomes lines and letters where it would have drawn them', async () => {
    const canvas = document.createElement('canvas');
    canvas.width = canvas.height = 100;
    const real = document.createElement('canvas');
    real.width = real.height = 100;
    const r = new Recorder(canvas);
    for (const g of [r as unknown as CanvasRenderingContext2D, real.getContext('2d')!]) {
      g.save();
      g.translate(10, 20);
      g.rotate(0.3);
      g.fillStyle = '#3060c0';
      g.fillRect(5, 5, 30, 12);
      g.strokeStyle = '#c03020';
      g.lineWidth = 3;
      g.beginPath();
      g.moveTo(0, 40);
      g.bezierCurveTo(20, 0, 40, 80, 60, 40);
      g.stroke();
      g.restore();
      g.beginPath();
      g.rect(50, 50, 20, 20);
      g.clip();
      g.beginPath();
      g.arc(60, 60, 18, 0, 2 * Math.PI);
      g.fillStyle = '#208040';
      g.fill();
    }
    const c = await painted({ width: 100, height: 100, items: r.items }, 1);
    const [p, q] = [c, real].map((x) => x.getContext('2d')!.getImageData(0, 0, 100, 100).data) as [
      Uint8ClampedArray,
      Uint8ClampedArray,
    ];
    let far = 0;
    for (let i = 3; i < p.length; i += 4) if (Math.abs(p[i]! - q[i]!) > 80) far++;
    expect(far).toBeLessThan(40);
  });
});
