import { infoOf } from '../data/kinds';
import type { CloudInfo } from '../data/cloud';
import { smallScene } from '../methods/cloud/scene-fixture';
import {
  paintPoints,
  pointColours,
  pointPicture,
  shadeEdges,
  wantedChunks,
  neededAttributes,
  type DrawnPoints,
} from './cloud-paint';
import { defaultCloudStyle, cloudRange, classColour } from './cloud-style';

const { cloud } = smallScene(3600);
const info = infoOf(cloud) as CloudInfo;
const style = defaultCloudStyle(info, '#123456');
const z = Float32Array.from(cloud.z, (v) => v / 100);
const values = new Map(cloud.attributes.map((a) => [a.name, a.values]));
const bytes = (v: number): number[] => [v & 255, (v >> 8) & 255, (v >> 16) & 255, v >>> 24];

describe('colours of points', () => {
  it('are those of their classes, of a ramp over their heights, or one; hidden classes have none', () => {
    expect(style.by).toBe('class');
    const byClass = pointColours(style, info, z, values);
    const hex = (v: number): string =>
      `#${bytes(v)
        .slice(0, 3)
        .map((b) => b.toString(16).padStart(2, '0'))
        .join('')}`;
    expect(hex(byClass[0]!)).toBe(classColour(style, cloud.attributes[0]!.values[0]!));
    const hidden = pointColours({ ...style, hidden: [2] }, info, z, values);
    hidden.forEach((c, i) => expect(c === 0).toBe(cloud.attributes[0]!.values[i] === 2));
    expect(hex(pointColours({ ...style, by: 'one' }, info, z, values)[7]!)).toBe('#123456');
    const height = { ...style, by: 'height' as const, stretch: { kind: 'minmax' as const } };
    const [low, high] = cloudRange(height, info)!;
    const ramped = pointColours(height, info, Float32Array.from([low - 1, low, high, high + 9, NaN]), new Map());
    expect(ramped[0]).toBe(ramped[1]!);
    expect(ramped[2]).toBe(ramped[3]!);
    expect(ramped[4]).toBe(0);
    expect(neededAttributes(style, info)).toEqual(['classification']);
    expect(neededAttributes({ ...style, by: 'attribute', attribute: 'nothing' }, info)).toEqual([]);
  });
});

describe('points seen from above', () => {
  const at = (points: [number, number, number][]): DrawnPoints => ({
    x0: 100,
    y0: 200,
    dx: Float32Array.from(points, (p) => p[0]),
    dy: Float32Array.from(points, (p) => p[1]),
    z: Float32Array.from(points, (p) => p[2]),
  });

  it('fall into their pixels, the highest on top, whatever their order; none beyond the picture', () => {
    const picture = pointPicture(4, 3);
    const points = at([
      [0.5, -0.5, 5],
      [0.6, -0.4, 3],
      [3.5, -2.5, 1],
      [40, 0, 9],
      [-9, 9, 9],
    ]);
    paintPoints(picture, points, Uint32Array.from([11, 22, 33, 44, 55]), 100, 200, 1, 1);
    expect([...picture.pixels]).toEqual([11, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 33]);
    expect(picture.depth[0]).toBe(5);
    paintPoints(picture, at([[3.5, -2.5, 2]]), Uint32Array.from([77]), 100, 200, 1, 3);
    expect([...picture.pixels].filter((v) => v === 77).length).toBe(4);
  });

  it('are darker beside what stands higher', () => {
    const picture = pointPicture(2, 1);
    paintPoints(
      picture,
      at([
        [0.5, -0.5, 0],
        [1.5, -0.5, 4],
      ]),
      Uint32Array.from([0xffc8c8c8, 0xffc8c8c8]),
      100,
      200,
      1,
      1,
    );
    shadeEdges(picture, 2);
    expect(bytes(picture.pixels[0]!)[0]).toBeLessThan(200);
    expect(picture.pixels[1]).toBe(0xffc8c8c8);
  });
});

describe('chunks for a view', () => {
  const chunks = [0, 0, 1, 1, 2, 2].map((level) => ({
    level,
    count: 100,
    box: [0, 0, 0, 1, 1, 1] as [number, number, number, number, number, number],
  }));
  it('go down to the level that pixels can tell, within the budget, where they are in view', () => {
    const all = (): boolean => true;
    expect(wantedChunks(chunks, 8, () => 10, all)).toEqual([0, 1]);
    expect(wantedChunks(chunks, 8, () => 5, all)).toEqual([0, 1, 2, 3]);
    expect(wantedChunks(chunks, 8, () => 0.1, all)).toEqual([0, 1, 2, 3, 4, 5]);
    expect(wantedChunks(chunks, 8, () => 0.1, all, 250)).toEqual([0, 1]);
    expect(
      wantedChunks(
        chunks,
        8,
        () => 0.1,
        (k) => k !== 1,
      ),
    ).toEqual([0, 2, 3, 4, 5]);
    expect(wantedChunks(chunks, 8, () => 0.1, all, 10)).toEqual([0]);
  });
});
