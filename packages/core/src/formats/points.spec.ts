import { attributeOf, type Cloud } from '../data/cloud';
import { readFile } from './index';
import { refusalOf } from '../testing';

const utf8 = (s: string): Uint8Array => new TextEncoder().encode(s);
async function read(name: string, bytes: Uint8Array | string) {
  const [layer] = (await readFile(name, typeof bytes === 'string' ? utf8(bytes) : bytes)).layers;
  return { cloud: layer!.data as Cloud, notes: layer!.notes.map((n) => n.code) };
}
const places = (c: Cloud, i: number): number[] =>
  (['x', 'y', 'z'] as const).map((k, a) => Number((c[k][i]! * c.scale[a]! + c.offset[a]!).toFixed(6)));

describe('points as text', () => {
  it('are read with or without words in front, apart by anything usual, to their last digit', async () => {
    const bare = await read('a.xyz', '400000.123 6400000.45 12.3 77\n400001.000 6400001.5 -0.5 3\n');
    expect(bare.cloud.scale).toEqual([0.001, 0.01, 0.1]);
    expect(places(bare.cloud, 0)).toEqual([400000.123, 6400000.45, 12.3]);
    expect(places(bare.cloud, 1)).toEqual([400001, 6400001.5, -0.5]);
    expect([...attributeOf(bare.cloud, 'intensity')!]).toEqual([77, 3]);
    const named = await read(
      'b.xyz',
      '# measured\r\n//X Y Z R G B Classification width\r\n1;2;3;255;0;10;2;0.5\r\n4;5;6;0;255;20;6;1.5\r\n\r\n',
    );
    expect(named.cloud.attributes.map((a) => `${a.name} ${a.type}`)).toEqual([
      'red uint16',
      'green uint16',
      'blue uint16',
      'classification uint8',
      'width float64',
    ]);
    expect([...attributeOf(named.cloud, 'red')!]).toEqual([65_535, 0]);
    expect([...attributeOf(named.cloud, 'classification')!]).toEqual([2, 6]);
    const e = await read('c.xyz', '1e3,2.5E-1,-7\n+4,.5,6.\n');
    expect(places(e.cloud, 0)[0]).toBe(1000);
    expect(places(e.cloud, 1)).toEqual([4, 0.5, 6]);
  });

  it('say which lines are none, and are refused when no line is', async () => {
    const odd = await read('a.xyz', '1 2 3\n4 5\nx y z\n7 8 9\n');
    expect(odd.cloud.x.length).toBe(2);
    expect(odd.notes).toContain('rows.ragged');
    expect((await refusalOf(read('a.xyz', '1 2\n3 4\n'))).message).toContain('x, y and z');
    expect((await refusalOf(read('a.xyz', 'hello\nthere\n'))).code).toBe('file.content');
    const places0 = await read('a.pts', '3\n1 2 3\n4 5 6\n7 8 9\n');
    expect(places0.cloud.x.length).toBe(3);
  });
});

describe('a PLY file', () => {
  const head = (format: string, count: number, more = ''): string =>
    `ply\nformat ${format} 1.0\ncomment of no weight\nelement vertex ${count}\nproperty double x\nproperty double y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nproperty float quality\n${more}end_header\n`;
  const rows = [
    [400000.25, 6400000.5, 12.5, 255, 0, 1, 0.25],
    [400001.75, 6400002.125, -3.5, 0, 128, 2, 0.75],
  ];

  it('is read as text and as bytes of both orders', async () => {
    const text = utf8(
      head('ascii', 2, 'element face 1\nproperty list uchar int vertex_indices\n') +
        rows.map((r) => r.join(' ')).join('\n') +
        '\n3 0 1 1\n',
    );
    const binary = (little: boolean): Uint8Array => {
      const h = utf8(head(`binary_${little ? 'little' : 'big'}_endian`, 2));
      const out = new Uint8Array(h.length + 2 * 27);
      out.set(h);
      const v = new DataView(out.buffer);
      rows.forEach((r, i) => {
        const at = h.length + 27 * i;
        v.setFloat64(at, r[0]!, little);
        v.setFloat64(at + 8, r[1]!, little);
        v.setFloat32(at + 16, r[2]!, little);
        [3, 4, 5].forEach((k) => v.setUint8(at + 17 + k, r[k]!));
        v.setFloat32(at + 23, r[6]!, little);
      });
      return out;
    };
    for (const bytes of [text, binary(true), binary(false)]) {
      const { cloud } = await read('a.ply', bytes);
      expect(places(cloud, 0)).toEqual([400000.25, 6400000.5, 12.5]);
      expect(places(cloud, 1)).toEqual([400001.75, 6400002.125, -3.5]);
      expect([...attributeOf(cloud, 'green')!]).toEqual([0, 128 * 257]);
      expect([...attributeOf(cloud, 'quality')!]).toEqual([0.25, 0.75]);
    }
    expect((await read('a.ply', text)).notes).toContain('ply.others');
  });

  it('is refused where it promises more than it holds, or has no points', async () => {
    expect((await refusalOf(read('a.ply', head('ascii', 5) + '1 2 3 4 5 6 7\n'))).code).toBe('file.damaged');
    expect((await refusalOf(read('a.ply', head('binary_little_endian', 900_000_000)))).code).toMatch(
      /damaged|tooLarge/,
    );
    expect((await refusalOf(read('a.ply', head('binary_middle_endian', 1)))).code).toBe('file.unsupported');
    expect(
      (await refusalOf(read('a.ply', 'ply\nformat ascii 1.0\nelement vertex 1\nproperty float a\nend_header\n1\n')))
        .code,
    ).toBe('file.content');
    expect((await refusalOf(read('a.ply', 'ply\nformat ascii 1.0\n'))).code).toBe('file.damaged');
  });
});
