import Papa from 'papaparse';
import { crsOfCode } from '../data/crs';
import type { Features } from '../data/features';
import type { Table } from '../data/table';
import { Random } from '../numeric/random';
import { delimitedRows } from './delimited-rows';
import { jsonPieces } from './json-pieces';
import { readFile, writeDelimited } from './index';

const utf8 = (s: string): Uint8Array => new TextEncoder().encode(s);

describe('delimited text in pieces', () => {
  it('has the rows that the whole text has: quotes, line ends and letters of several bytes across the cuts', () => {
    const r = new Random(4);
    const words = ['a', '"q, ""x"""', 'žluťoučký', '"two\nlines"', '', '12.5', '🏝'];
    for (const end of ['\n', '\r\n', '\r']) {
      const lines = ['h1,h2,h3'];
      for (let size = 0; size < 3e6;) {
        const row = [0, 1, 2].map(() => words[Math.floor(r.uniform() * words.length)]!).join(',');
        lines.push(row);
        size += row.length;
      }
      const text = lines.join(end);
      const whole = Papa.parse<string[]>(text, { delimiter: ',', skipEmptyLines: 'greedy', newline: end as '\n' }).data;
      const pieces = [...delimitedRows(utf8(text), 'utf-8', 'a.csv').pieces()];
      expect(pieces.length).toBeGreaterThan(2);
      const rows = pieces.flatMap((p) => p.rows);
      expect(rows.length).toBe(whole.length);
      expect(rows.every((x, i) => x.join('|') === whole[i]!.join('|'))).toBeTrue();
    }
  });

  it('keeps a column of texts whole when what looks like a number ends late', async () => {
    const rows = Array.from({ length: 3000 }, (_, i) => (i === 2500 ? 'x,1' : `${i}.50,2`));
    const t = (await readFile('a.csv', utf8(`a,b\n${rows.join('\n')}\n`))).layers[0]!.data as Table;
    expect(t.columns.map((c) => c.type)).toEqual(['text', 'number']);
    expect([t.columns[0]!.values[0], t.columns[0]!.values[2500], t.columns[0]!.values.length]).toEqual([
      '0.50',
      'x',
      3000,
    ]);
    expect(t.columns[1]!.values.length).toBe(3000);
  });
});

describe('points as delimited text', () => {
  it('have their coordinates once, also when they came with columns of those names', async () => {
    const text = 'x,y,v\r\n400000,6460000,1\r\n400010,6460020,2\r\n';
    const f = (await readFile('a.csv', utf8(text), { crs: crsOfCode(32627) })).layers[0]!.data as Features;
    expect(writeDelimited(f)).toBe(text);
    const moved = { ...f, xy: f.xy.map((v) => v + 1) };
    expect(writeDelimited(moved).split('\r\n')[1]).toBe('400001,6460001,400000,6460000,1');
    expect(writeDelimited(moved).split('\r\n')[0]).toBe('x,y,x_own,y_own,v');
  });
});

describe('JSON in pieces', () => {
  const encoded = (v: unknown): Uint8Array => utf8(JSON.stringify(v));

  it('gives every element once and everything beside the list, whatever stands in texts', () => {
    const r = new Random(8);
    const items = Array.from({ length: 20_000 }, (_, k) => ({
      k,
      t: ['[{"', '\\', '"\\"', '}]', 'č🏝'][Math.floor(r.uniform() * 5)],
      deep: [[[k]]],
    }));
    const whole = { before: { a: ['x', 1] }, list: items, after: null, type: 't' };
    const p = jsonPieces(encoded(whole), 'list', 'utf-8', 'a.json');
    const batches = [...p.batches()];
    expect(batches.length).toBeGreaterThan(2);
    expect(batches.flatMap((b) => b.items)).toEqual(items);
    expect(p.root).toEqual({ before: { a: ['x', 1] }, after: null, type: 't' });
  });

  it('is refused wherever plain parsing refuses it, and taken wherever that takes it', () => {
    const good = '{"a": 1, "list": [ {"b": [1, 2]}, "x]", 3 , null ], "c": {"d": "e"} } ';
    const parts = (text: string): unknown => {
      const p = jsonPieces(utf8(text), 'list', 'utf-8', 'a.json');
      return { ...p.root, list: [...p.batches()].flatMap((b) => b.items) };
    };
    expect(parts(good)).toEqual(JSON.parse(good));
    let refused = 0;
    for (let i = 0; i < good.length; i++)
      for (const bad of [
        good.slice(0, i),
        good.slice(0, i) + good.slice(i + 1),
        `${good.slice(0, i)},${good.slice(i)}`,
      ]) {
        let plain: unknown;
        try {
          plain = JSON.parse(bad);
        } catch {
          plain = undefined;
        }
        if (plain === undefined || typeof plain !== 'object') {
          expect(() => parts(bad))
            .withContext(bad)
            .toThrow();
          refused++;
        } else if (Array.isArray((plain as { list?: unknown }).list))
          expect(parts(bad)).withContext(bad).toEqual(plain);
      }
    expect(refused).toBeGreaterThan(100);
  });

  it('makes the same features as one small file does', async () => {
    const features = Array.from({ length: 6000 }, (_, i) => ({
      type: 'Feature',
      properties: i % 3 ? { name: `n${i}`, v: i } : { v: i % 2 ? i : null, late: true },
      geometry: { type: 'Point', coordinates: [i / 100, 50, ...(i > 5000 ? [i] : [])] },
    }));
    const f = (await readFile('a.geojson', encoded({ type: 'FeatureCollection', features }))).layers[0]!
      .data as Features;
    expect(f.columns.map((c) => [c.name, c.type])).toEqual([
      ['v', 'number'],
      ['late', 'boolean'],
      ['name', 'text'],
    ]);
    const [v, late, name] = f.columns;
    for (const i of [0, 1, 2, 3, 5999]) {
      const p = features[i]!.properties as Record<string, unknown>;
      expect(v!.missing?.[i] === 1).toBe(p['v'] === null);
      expect(late!.missing![i] === 1).toBe(!('late' in p));
      expect(name!.values[i]).toBe((p['name'] as string | undefined) ?? '');
    }
    expect([f.z![0], f.z![5500]]).toEqual([NaN, 5500]);
  });
});
