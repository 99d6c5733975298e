import fontkit from '@pdf-lib/fontkit';
import {
  concatTransformationMatrix,
  drawObject,
  PDFDocument,
  popGraphicsState,
  pushGraphicsState,
  rgb,
  type Color,
  type PDFFont,
  type PDFPage,
  type PDFRef,
} from 'pdf-lib';
import { paint, stopsOf, widthOf, type DisplayItem, type DisplayList } from './display';
import { fontFiles } from './pdf-fonts';
import { unwrapFont } from './woff';

/** Points of a document to a pixel of the screen: 72 and 96 to the inch. */
const POINTS = 72 / 96;
/** How much finer than the screen a text is drawn that no font of ours can spell. */
const FINER = 4;

type TextItem = Extract<DisplayItem, { kind: 'text' }>;
type RampItem = Extract<DisplayItem, { kind: 'ramp' }>;

let tint: CanvasRenderingContext2D | null = null;

/** Any colour of CSS as parts of one, with its opacity. */
function colourOf(css: string): { color: Color; opacity: number } {
  tint ??= document.createElement('canvas').getContext('2d', { willReadFrequently: true })!;
  tint.clearRect(0, 0, 1, 1);
  tint.fillStyle = css;
  tint.fillRect(0, 0, 1, 1);
  const [r, g, b, a] = tint.getImageData(0, 0, 1, 1).data;
  return { color: rgb(r! / 255, g! / 255, b! / 255), opacity: a! / 255 };
}

interface FontFile {
  bytes: Uint8Array;
  has: ReadonlySet<number>;
}

const files = new Map<string, Promise<FontFile>>();

function fontFile(file: string): Promise<FontFile> {
  let job = files.get(file);
  if (!job) {
    job = (async () => {
      const answer = await fetch(new URL(file, document.baseURI));
      if (!answer.ok) throw new Error('A font for the document could not be fetched.');
      const bytes = unwrapFont(await answer.arrayBuffer());
      return { bytes, has: new Set(fontkit.create(bytes).characterSet) };
    })();
    // What failed once may be there the next time.
    job.catch(() => files.delete(file));
    files.set(file, job);
  }
  return job;
}

/** Fonts of a document, each embedded when a text first needs it, cut to the letters that are used. */
class Fonts {
  private readonly held = new Map<string, Promise<PDFFont>>();
  constructor(private readonly doc: PDFDocument) {}

  private font(file: string): Promise<PDFFont> {
    let job = this.held.get(file);
    if (!job) {
      job = fontFile(file).then((f) => this.doc.embedFont(f.bytes, { subset: true }));
      this.held.set(file, job);
    }
    return job;
  }

  /** A text in stretches of one font each; null where a letter is in none of them. */
  async spell(t: TextItem): Promise<{ text: string; font: PDFFont }[] | null> {
    const parts: { text: string; file: string }[] = [];
    for (const letter of t.text) {
      let found: string | null = null;
      for (const file of fontFiles(t.face ?? 'sans', t.weight ?? 450)) {
        if (!(await fontFile(file)).has.has(letter.codePointAt(0)!)) continue;
        found = file;
        break;
      }
      if (!found) return null;
      const last = parts.at(-1);
      if (last?.file === found) last.text += letter;
      else parts.push({ text: letter, file: found });
    }
    return Promise.all(parts.map(async (p) => ({ text: p.text, font: await this.font(p.file) })));
  }
}

/** A text of letters that no font of ours has, as the screen shows it. */
function textImage(t: TextItem, width: number): HTMLCanvasElement {
  const item: DisplayItem = { ...t, x: 1, y: 1.2 * t.size, anchor: 'start' };
  return paint({ width: width + 2, height: 1.6 * t.size, items: [item] }, FINER);
}

/** The colours of a ramp as one smooth transition along x (a sampled function, ISO 32000-1 7.10.2, in an axial shading, 8.7.4.5.3). */
function shading(doc: PDFDocument, r: RampItem): PDFRef {
  const stops = stopsOf(r.colours, r.stepped);
  const samples = new Uint8Array(256 * 3);
  for (let i = 0; i < 256; i++) {
    const t = (i + 0.5) / 256;
    const k = Math.max(
      1,
      stops.findIndex(([at]) => at > t),
    );
    const [a, b] = [stops[k - 1]!, stops[Math.min(k, stops.length - 1)]!];
    const share = b[0] > a[0] ? Math.min(1, (t - a[0]) / (b[0] - a[0])) : 0;
    const [from, to] = [colourOf(a[1]).color, colourOf(b[1]).color] as { red: number; green: number; blue: number }[];
    const mixed = (['red', 'green', 'blue'] as const).map((c) => from![c] + share * (to![c] - from![c]));
    samples.set(
      mixed.map((v) => Math.round(255 * v)),
      3 * i,
    );
  }
  const sampled = doc.context.register(
    doc.context.flateStream(samples, {
      FunctionType: 0,
      Domain: [0, 1],
      Range: [0, 1, 0, 1, 0, 1],
      Size: [256],
      BitsPerSample: 8,
    }),
  );
  return doc.context.register(
    doc.context.obj({
      ShadingType: 2,
      ColorSpace: 'DeviceRGB',
      Coords: [0, 0, 1, 0],
      Domain: [0, 1],
      Function: sampled,
    }),
  );
}

async function picture(doc: PDFDocument, page: PDFPage, canvas: HTMLCanvasElement, at: Rect): Promise<void> {
  const blob = await new Promise<Blob | null>((done) => canvas.toBlob(done, 'image/png'));
  if (!blob) throw new Error('The picture could not be made.');
  page.drawImage(await doc.embedPng(await blob.arrayBuffer()), at);
}

interface Rect {
  x: number;
  y: number;
  width: number;
  height: number;
}

/**
 * A display list as a document of one page: lines, boxes and ramps stay what they are, texts are texts in embedded fonts that hold only
 * the letters used (a text in letters that no font of ours has is a picture), images are images. A pixel of the screen is 1/96 inch.
 */
export async function toPdf(list: DisplayList, about: { title: string }): Promise<Uint8Array<ArrayBuffer>> {
  const doc = await PDFDocument.create();
  doc.registerFontkit(fontkit);
  doc.setTitle(about.title, { showInWindowTitleBar: true });
  doc.setProducer('Helk');
  doc.setCreator('Helk');
  const fonts = new Fonts(doc);
  const page = doc.addPage([list.width * POINTS, list.height * POINTS]);
  // The list runs downwards in pixels, a page upwards in points.
  const up = (y: number): number => (list.height - y) * POINTS;
  const rect = (i: Rect): Rect => ({
    x: i.x * POINTS,
    y: up(i.y + i.height),
    width: i.width * POINTS,
    height: i.height * POINTS,
  });
  const look = (i: { fill?: string; stroke?: string; line?: number }) => {
    const [fill, stroke] = [i.fill, i.stroke].map((c) => (c ? colourOf(c) : null));
    return {
      ...(fill && { color: fill.color, opacity: fill.opacity }),
      ...(stroke && {
        borderColor: stroke.color,
        borderOpacity: stroke.opacity,
        borderWidth: (i.line ?? 1) * POINTS,
      }),
    };
  };
  for (const i of list.items) {
    switch (i.kind) {
      case 'box':
        page.drawRectangle({ ...rect(i), ...look(i) });
        break;
      case 'disc':
        page.drawCircle({ x: i.x * POINTS, y: up(i.y), size: i.radius * POINTS, ...look(i) });
        break;
      case 'path': {
        // In pixels, downwards: what drawSvgPath takes.
        const d = `M${i.points.map((p) => p.join(' ')).join('L')}${i.closed ? 'Z' : ''}`;
        const l = look(i);
        page.drawSvgPath(d, { x: 0, y: up(0), scale: POINTS, ...l, ...(i.stroke && { borderWidth: i.line ?? 1 }) });
        break;
      }
      case 'ramp': {
        const r = rect(i);
        const name = page.node.newXObject('Ramp', rampForm(doc, i));
        page.pushOperators(
          pushGraphicsState(),
          concatTransformationMatrix(r.width, 0, 0, r.height, r.x, r.y),
          drawObject(name),
          popGraphicsState(),
        );
        break;
      }
      case 'text': {
        const { color, opacity } = colourOf(i.fill);
        const parts = await fonts.spell(i);
        const size = i.size * POINTS;
        const width = parts
          ? parts.reduce((w, p) => w + p.font.widthOfTextAtSize(p.text, size), 0)
          : widthOf(i.text, i) * POINTS;
        let x = i.x * POINTS - (i.anchor === 'end' ? width : i.anchor === 'middle' ? width / 2 : 0);
        if (!parts) {
          const c = textImage(i, width / POINTS);
          const [w, h] = [(c.width / FINER) * POINTS, (c.height / FINER) * POINTS];
          await picture(doc, page, c, { x: x - POINTS, y: up(i.y - 1.2 * i.size) - h, width: w, height: h });
          break;
        }
        for (const p of parts) {
          page.drawText(p.text, { x, y: up(i.y), size, font: p.font, color, opacity });
          x += p.font.widthOfTextAtSize(p.text, size);
        }
        break;
      }
      case 'image':
        await picture(doc, page, i.image, rect(i));
    }
  }
  return (await doc.save()) as Uint8Array<ArrayBuffer>;
}

/** A unit square filled with the colours of a ramp. */
function rampForm(doc: PDFDocument, r: RampItem): PDFRef {
  const resources = { Shading: { S: shading(doc, r) } };
  return doc.context.register(
    doc.context.stream('0 0 1 1 re W n /S sh', {
      Type: 'XObject',
      Subtype: 'Form',
      BBox: [0, 0, 1, 1],
      Resources: resources,
    }),
  );
}
