import { decodePDFRawStream, PDFArray, PDFDict, PDFDocument, PDFName, PDFRawStream } from 'pdf-lib';
import type { DisplayItem, DisplayList } from './display';
import { toPdf } from './pdf';
import { visualRuns } from './pdf-text';

const text = (t: string, over: Partial<Extract<DisplayItem, { kind: 'text' }>> = {}): DisplayItem => ({
  kind: 'text',
  x: 10,
  y: 40,
  text: t,
  size: 12,
  fill: '#102030',
  ...over,
});
const listOf = (...items: DisplayItem[]): DisplayList => ({ width: 200, height: 100, items });

/** What a written document holds, read back: its size, streams by subtype, and what its page draws. */
async function read(list: DisplayList) {
  const bytes = await toPdf(list, { title: 'slope' });
  const doc = await PDFDocument.load(bytes);
  const streams: PDFRawStream[] = [];
  const dicts: PDFDict[] = [];
  for (const [, o] of doc.context.enumerateIndirectObjects()) {
    if (o instanceof PDFRawStream) streams.push(o);
    if (o instanceof PDFDict) dicts.push(o);
  }
  const named = (d: PDFDict, key: string): string => d.get(PDFName.of(key))?.toString() ?? '';
  const contents = doc.getPage(0).node.Contents();
  const parts = contents instanceof PDFArray ? contents.asArray().map((r) => doc.context.lookup(r)) : [contents];
  const drawn = parts
    .filter((p): p is PDFRawStream => p instanceof PDFRawStream)
    .map((p) => new TextDecoder('latin1').decode(decodePDFRawStream(p).decode()))
    .join('\n');
  return {
    bytes,
    doc,
    drawn,
    images: streams.filter(
      (s) => named(s.dict, 'Subtype') === '/Image' && !named(s.dict, 'ColorSpace').includes('Gray'),
    ),
    fonts: dicts.filter((d) => named(d, 'Type') === '/FontDescriptor'),
    shadings: dicts.filter((d) => named(d, 'ShadingType') === '2'),
    maps: streams
      .map((s) => new TextDecoder('latin1').decode(decodePDFRawStream(s).decode()))
      .filter((s) => s.includes('beginbfchar')),
  };
}

describe('a display list as a document', () => {
  it('has the size of the screen at 96 pixels to the inch, and its name', async () => {
    const { doc } = await read(listOf({ kind: 'box', x: 0, y: 0, width: 200, height: 100, fill: 'white' }));
    expect(doc.getPage(0).getSize()).toEqual({ width: 150, height: 75 });
    expect(doc.getTitle()).toBe('slope');
  });

  it('takes as much as a map may have: a line of many corners, and many marks', async () => {
    const points = Array.from({ length: 150_000 }, (_, i): [number, number] => [i % 200, (i / 1500) % 100]);
    const discs = Array.from({ length: 30_000 }, (_, i): DisplayItem => ({
      kind: 'disc',
      x: i % 200,
      y: i % 100,
      radius: 1,
      fill: '#102030',
    }));
    const group: DisplayItem = { kind: 'group', alpha: 0.5, items: discs };
    const { drawn } = await read(listOf({ kind: 'path', points, stroke: '#102030' }, group, ...discs));
    expect(drawn.match(/ l\n/g)!.length).toBe(149_999);
  });

  it('keeps lines and areas as such, upside up, in points', async () => {
    const { drawn, images } = await read(
      listOf(
        { kind: 'box', x: 20, y: 10, width: 40, height: 20, fill: 'rgb(255 0 0 / 0.5)' },
        {
          kind: 'path',
          points: [
            [0, 0],
            [200, 100],
          ],
          stroke: '#00ff00',
          line: 2,
        },
      ),
    );
    expect(images.length).toBe(0);
    // The page is in pixels that run downwards, as the list is.
    expect(drawn).toContain('0.75 0 0 -0.75 0 75 cm');
    expect(drawn).toContain('20 10 40 20 re');
    expect(drawn).toContain('1 0 0 rg');
    expect(drawn).toContain('0 1 0 RG');
  });

  it('embeds what letters are used, and can be searched', async () => {
    const { fonts, maps, images, bytes, drawn, doc } = await read(
      listOf(text('Slope 12.5°'), text('Łąka', { y: 80, weight: 600 }), text('0.5 жм', { face: 'mono' })),
    );
    // What the page calls a font by is what its resources know it by.
    const named = [...drawn.matchAll(/\/(\S+) 12 Tf/g)].map((m) => m[1]!);
    const known = doc.getPage(0).node.Resources()!.lookup(PDFName.of('Font'), PDFDict);
    expect(named.length).toBeGreaterThan(3);
    for (const n of named)
      expect(known.has(PDFName.of(n)))
        .withContext(n)
        .toBeTrue();
    // Two weights, the second of them spelt from two files, and the face of numbers in two alphabets.
    expect(fonts.length).toBe(5);
    for (const f of fonts) expect(f.get(PDFName.of('FontFile2')) ?? f.get(PDFName.of('FontFile3'))).toBeDefined();
    expect(maps.length).toBe(5);
    // S, l, o, p, e … by their code points, so that a reader finds the word.
    for (const c of 'Slope')
      expect(maps.join()).toContain(`<${c.charCodeAt(0).toString(16).padStart(4, '0').toUpperCase()}>`);
    expect(maps.join()).toContain('<0141>');
    expect(images.length).toBe(0);
    expect(bytes.length).toBeLessThan(60_000);
  });

  it('spells every letter of its fonts', async () => {
    // Some are made of others (é, ", :), which is where cutting a font goes wrong.
    const letters = Array.from({ length: 0x17f - 0x20 }, (_, i) => String.fromCodePoint(0x21 + i)).filter((c) =>
      /\p{L}|\p{N}|[!-~]/u.test(c),
    );
    for (const face of ['sans', 'mono'] as const) {
      const { images, maps } = await read(listOf(...letters.map((c) => text(c, { face }))));
      // The few that no file has are pictures.
      expect(images.length).toBeLessThan(40);
      expect(maps.join().match(/<[0-9A-F]{4}> <[0-9A-F]{4}>/g)!.length).toBeGreaterThan(200);
    }
  });

  it('draws letters of no font of ours as a picture, rather than not at all', async () => {
    const { images, fonts } = await read(listOf(text('水位')));
    expect(images.length).toBe(1);
    expect(fonts.length).toBe(0);
  });

  it('writes from the right what is written from the right, joined as it should be', async () => {
    expect(visualRuns('Map of حوض 7')).toEqual([
      { text: 'Map of ', right: false },
      { text: '7', right: false },
      { text: 'حوض ', right: true },
    ]);
    const { images, fonts, maps } = await read(
      listOf(text('حوض النهر'), text('נחל', { y: 60 }), text('Πηγή', { y: 80 })),
    );
    expect([images.length, fonts.length]).toEqual([0, 3]);
    // By the code points of the letters, whatever form they take.
    for (const c of 'حنΠ') expect(maps.join()).toContain(c.charCodeAt(0).toString(16).padStart(4, '0').toUpperCase());
  });

  it('cuts at boxes, sees through groups as one, and turns texts', async () => {
    const box: DisplayItem = { kind: 'box', x: 0, y: 0, width: 90, height: 90, fill: '#0000ff' };
    const { drawn, doc } = await read(
      listOf(
        { kind: 'group', clip: { x: 5, y: 6, width: 7, height: 8 }, items: [box] },
        { kind: 'group', alpha: 0.5, items: [box, box] },
        text('up', { turn: -90 }),
        {
          kind: 'shape',
          closed: true,
          fill: '#00ff00',
          rings: [
            [
              [0, 0],
              [30, 0],
              [30, 30],
            ],
            [
              [10, 5],
              [20, 5],
              [20, 10],
            ],
          ],
        },
      ),
    );
    expect(drawn).toMatch(/5 6 7 8 re\s+W\s+n/);
    expect(drawn).toMatch(/f\*/);
    const forms = doc.context
      .enumerateIndirectObjects()
      .filter(([, o]) => o instanceof PDFRawStream && o.dict.has(PDFName.of('Group')));
    expect(forms.length).toBe(1);
    // A quarter turn to the left: letters run upwards.
    expect(drawn).toMatch(/0(\.0+\d*)? -1 1 (6[\d.e-]+|0) 10 40 cm|[\d.e-]+ -1 1 [\d.e-]+ 10 40 cm/);
  });

  it('has as many pages as lists, each of its own size, and what is attached to it', async () => {
    const bytes = await toPdf([listOf(text('one')), { ...listOf(text('two')), width: 400 }], {
      title: 'two',
      attached: [
        { name: 'r.json', type: 'application/json', about: 'a recipe', bytes: new TextEncoder().encode('{}') },
      ],
    });
    const doc = await PDFDocument.load(bytes);
    expect(doc.getPages().map((p) => p.getWidth())).toEqual([150, 300]);
    expect(doc.catalog.toString()).toContain('Names');
  });

  it('has ramps that are smooth, and images as they are', async () => {
    const image = document.createElement('canvas');
    image.width = image.height = 8;
    const { shadings, images, drawn } = await read(
      listOf(
        {
          kind: 'ramp',
          x: 10,
          y: 10,
          width: 80,
          height: 8,
          colours: ['#000000', '#ff0000', '#ffffff'],
          stepped: false,
        },
        { kind: 'image', x: 0, y: 20, width: 8, height: 8, image },
      ),
    );
    expect(shadings.length).toBe(1);
    expect(images.length).toBe(1);
    expect(drawn).toContain('80 0 0 -8 10 18 cm');
  });
});
