import { tableRows, type Table } from '../data/table';
import { packBinary, unpackBinary } from './binary';

const texts = (values: string[]): Table => ({
  kind: 'table',
  columns: [{ name: 'n', type: 'text', unit: null, values }],
});

describe('texts in the stored buffer', () => {
  it('come back as they were: empty, long, of letters of several bytes, with marks and zeros in them', () => {
    const odd = ['', 'a', 'žluťoučký kůň', '🏝', '\uFEFFmark', '\u0000', 'x'.repeat(200_000), 'ß'.repeat(70_000), ''];
    const many = Array.from({ length: 40_000 }, (_, i) => (i % 7 ? `name ${i}` : odd[i % odd.length]!.slice(0, 30)));
    for (const values of [[], odd, many])
      expect((unpackBinary(packBinary(texts(values))) as Table).columns[0]!.values).toEqual(values);
  });

  it('that end or begin with half a letter stay apart', () => {
    const back = (unpackBinary(packBinary(texts(['a\ud83c', '\udfdd b', 'c']))) as Table).columns[0]!.values;
    expect(back).toEqual(['a\ufffd', '\ufffd b', 'c']);
  });

  it('stay out of the head, whose length does not grow with them', () => {
    const head = (n: number): number =>
      new DataView(packBinary(texts(Array.from({ length: n }, (_, i) => `name of row ${i}`))).buffer).getUint32(
        8,
        true,
      );
    expect(head(200_000) - head(10)).toBeLessThan(64);
  });

  it('are read as the first version had them', () => {
    const header = new TextEncoder().encode(
      JSON.stringify({
        kind: 'table',
        arrays: {},
        columns: [{ name: 'n', type: 'text', unit: null, values: ['a', 'ž'] }],
      }),
    );
    const bytes = new Uint8Array(12 + Math.ceil((12 + header.length) / 8) * 8);
    const view = new DataView(bytes.buffer);
    view.setUint32(0, 0x464b4c48, true);
    view.setUint32(4, 1, true);
    view.setUint32(8, header.length, true);
    bytes.set(header, 12);
    const t = unpackBinary(bytes) as Table;
    expect([tableRows(t), t.columns[0]!.values]).toEqual([2, ['a', 'ž']]);
  });

  it('whose ends run backwards or beyond the bytes are refused', () => {
    const good = packBinary(texts(['abc', 'def', 'ghi']));
    const at = good.length - 16;
    for (const [k, v] of [
      [0, 7],
      [1, 99],
      [2, 4],
    ] as const) {
      const bad = good.slice();
      new DataView(bad.buffer).setUint32(at + 4 * k, v, true);
      expect(() => unpackBinary(bad))
        .withContext(`end ${k} is ${v}`)
        .toThrowError(/damaged/);
    }
  });
});
