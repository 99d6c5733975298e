import { decodePDFRawStream, PDFArray, PDFDict, PDFDocument, PDFName, PDFRawStream } from 'pdf-lib';
import type { DisplayItem, DisplayList } from './display';
import { toPdf } from './pdf';

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
    // The box stands 10 pixels under the upper edge: 75 - (10 + 20) x 0.75 points above the lower one.
    expect(drawn).toContain('1 0 0 1 15 52.5 cm');
    expect(drawn).toContain('1 0 0 rg');
    expect(drawn).toContain('0 1 0 RG');
  });

  it('embeds what letters are used, and can be searched', async () => {
    const { fonts, maps, images, bytes } = await read(
      listOf(text('Slope 12.5°'), text('Łąka', { y: 80, weight: 600 }), text('0.5 жм', { face: 'mono' })),
    );
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
    expect(drawn).toContain('60 0 0 6 7.5 61.5 cm');
  });
});
