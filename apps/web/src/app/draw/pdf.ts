import fontkit from '@pdf-lib/fontkit';
import {
  appendBezierCurve,
  beginText,
  clip,
  closePath,
  concatTransformationMatrix,
  drawObject,
  endPath,
  endText,
  lineTo,
  moveTo,
  PDFDocument,
  PDFName,
  PDFOperator,
  PDFOperatorNames,
  popGraphicsState,
  pushGraphicsState,
  rectangle,
  setDashPattern,
  setFillingRgbColor,
  setFontAndSize,
  setGraphicsState,
  setLineCap,
  setLineJoin,
  setLineWidth,
  setStrokingRgbColor,
  setTextMatrix,
  setTextRenderingMode,
  showText,
  stroke,
  type PDFPage,
  type PDFRef,
} from 'pdf-lib';
import { addAll, widthOf, type DisplayItem, type DisplayList, type Rect, type Stroked, type TextItem } from './display';
import { stopsOf } from '@helk/core/render/drawn';
import { paint, partsOf } from './paint';
import { embedImage } from './pdf-images';
import { Fonts } from './pdf-text';

/** Points of a document to a pixel of the screen: 72 and 96 to the inch. */
const POINTS = 72 / 96;
/** Operators that are handed over at once. */
const AT_ONCE = 10_000;
/** How much finer than the screen a text is drawn that no font of ours can spell. */
const FINER = 4;
/** Share of the radius at which the handles of a quarter of a circle stand. */
const ROUND = 0.5522847498;

type RampItem = Extract<DisplayItem, { kind: 'ramp' }>;
type Rgba = readonly [r: number, g: number, b: number, a: number];

let tint: CanvasRenderingContext2D | null = null;
const tints = new Map<string, Rgba>();

/** Any colour of CSS as parts of one, with its opacity. */
function colourOf(css: string): Rgba {
  const known = tints.get(css);
  if (known) return known;
  tint ??= document.createElement('canvas').getContext('2d', { willReadFrequently: true })!;
  tint.clearRect(0, 0, 1, 1);
  tint.fillStyle = css;
  tint.fillRect(0, 0, 1, 1);
  const [r, g, b, a] = tint.getImageData(0, 0, 1, 1).data;
  const out = [r! / 255, g! / 255, b! / 255, a! / 255] as const;
  tints.set(css, out);
  return out;
}

/** A text of letters that no font of ours has, as the screen shows it. */
function textImage(t: TextItem, width: number): HTMLCanvasElement {
  const item: DisplayItem = { ...t, x: 1, y: 1.2 * t.size, anchor: 'start', turn: 0 };
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
    const [from, to] = [colourOf(a[1]), colourOf(b[1])];
    for (const c of [0, 1, 2] as const) samples[3 * i + c] = Math.round(255 * (from[c] + share * (to[c] - from[c])));
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

/** A unit square filled with the colours of a ramp. */
function rampForm(doc: PDFDocument, r: RampItem): PDFRef {
  return doc.context.register(
    doc.context.stream('0 0 1 1 re W n /S sh', {
      Type: 'XObject',
      Subtype: 'Form',
      BBox: [0, 0, 1, 1],
      Resources: { Shading: { S: shading(doc, r) } },
    }),
  );
}

const FILL_EVEN_ODD = (): PDFOperator => PDFOperator.of(PDFOperatorNames.FillEvenOdd);
const FILL_AND_STROKE_EVEN_ODD = (): PDFOperator => PDFOperator.of(PDFOperatorNames.FillEvenOddAndStroke);

/** Begins what stands for no letters (replacement text, ISO 32000-1 14.9.4). */
const HALO = (): PDFOperator =>
  PDFOperator.of(PDFOperatorNames.BeginMarkedContentSequence, [PDFName.of('Span'), '<</ActualText <FEFF>>>']);

/** Writes the items of one page. The page has been turned to pixels that run downwards, so that everything is where the list says. */
class PageWriter {
  private readonly states = new Map<string, PDFName>();
  private readonly fontNames = new Map<string, PDFName>();
  private readonly images = new Map<object, PDFName>();

  constructor(
    private readonly doc: PDFDocument,
    private readonly page: PDFPage,
    private readonly fonts: Fonts,
    /** Of what is made for it. */
    private readonly finer: number,
  ) {}

  private state(fill: number, line: number): PDFOperator[] {
    const key = `${fill.toFixed(3)} ${line.toFixed(3)}`;
    let name = this.states.get(key);
    if (!name) {
      name = this.page.node.newExtGState('G', this.doc.context.obj({ Type: 'ExtGState', ca: fill, CA: line }) as never);
      this.states.set(key, name);
    }
    return [setGraphicsState(name)];
  }

  /** Colours and widths, then what is to be done with the path that stands. */
  private painted(path: PDFOperator[], i: Stroked, cap: 0 | 1): PDFOperator[] {
    const [f, s] = [i.fill, i.stroke].map((c) => (c ? colourOf(c) : null));
    const fills = f && f[3] > 0;
    const strokes = s && s[3] > 0 && (i.line ?? 1) > 0;
    if (!fills && !strokes) return [];
    const out = this.state(f?.[3] ?? 1, s?.[3] ?? 1);
    if (fills) out.push(setFillingRgbColor(f[0], f[1], f[2]));
    if (strokes)
      out.push(
        setStrokingRgbColor(s[0], s[1], s[2]),
        setLineWidth(i.line ?? 1),
        setLineJoin(1),
        setLineCap(cap),
        setDashPattern(i.dash ?? [], 0),
      );
    addAll(out, path);
    out.push(fills ? (strokes ? FILL_AND_STROKE_EVEN_ODD() : FILL_EVEN_ODD()) : stroke());
    return out;
  }

  async write(items: readonly DisplayItem[]): Promise<PDFOperator[]> {
    const out: PDFOperator[] = [];
    for (const i of items) addAll(out, await this.one(i));
    return out;
  }

  private async one(i: DisplayItem): Promise<PDFOperator[]> {
    switch (i.kind) {
      case 'box':
        return this.painted([rectangle(i.x, i.y, i.width, i.height)], i, 0);
      case 'disc':
        return this.painted(circle(i.x, i.y, i.radius), i, 0);
      case 'path':
        return this.painted(ring(i.points, i.closed ?? false), i, 0);
      case 'shape':
        return this.painted(
          i.rings.flatMap((r) => ring(r, i.closed)),
          i,
          1,
        );
      case 'ramp':
        return this.placed(this.page.node.newXObject('R', rampForm(this.doc, i)), i);
      case 'text':
        return this.text(i);
      case 'image': {
        let name = this.images.get(i.image);
        if (!name) {
          name = this.page.node.newXObject('I', await embedImage(this.doc, i.image));
          this.images.set(i.image, name);
        }
        return this.placed(name, i);
      }
      case 'group':
        return this.group(i);
      case 'made': {
        // Part by part: no more than one of them is held unpacked.
        const out: PDFOperator[] = [];
        for (const part of partsOf(i, this.finer)) {
          const name = this.page.node.newXObject('M', await embedImage(this.doc, await i.make(part, this.finer)));
          out.push(...this.placed(name, part));
        }
        return out;
      }
    }
  }

  /** A unit square of the document, the right way up, in a box of the list. */
  private placed(name: PDFName, r: Rect): PDFOperator[] {
    return [
      pushGraphicsState(),
      ...this.state(1, 1),
      concatTransformationMatrix(r.width, 0, 0, -r.height, r.x, r.y + r.height),
      drawObject(name),
      popGraphicsState(),
    ];
  }

  private async group(i: Extract<DisplayItem, { kind: 'group' }>): Promise<PDFOperator[]> {
    const cut = i.clip ? [rectangle(i.clip.x, i.clip.y, i.clip.width, i.clip.height), clip(), endPath()] : [];
    const written = await this.write(i.items);
    if (written.length === 0) return [];
    const { x, y, scale } = i.move ?? { x: 0, y: 0, scale: 1 };
    const inner = i.move ? [concatTransformationMatrix(scale, 0, 0, scale, x, y), ...written] : written;
    if (i.alpha === undefined || i.alpha >= 1) return [pushGraphicsState(), ...cut, ...inner, popGraphicsState()];
    // Seen through as one: a transparency group (ISO 32000-1 11.6.6).
    const { width, height } = this.page.getSize();
    const form = this.doc.context.formXObject(inner, {
      BBox: this.doc.context.obj([0, 0, width / POINTS, height / POINTS]),
      Resources: this.page.node.Resources()!,
      Group: this.doc.context.obj({ S: 'Transparency' }),
    });
    const name = this.page.node.newXObject('F', this.doc.context.register(form));
    return [pushGraphicsState(), ...cut, ...this.state(i.alpha, i.alpha), drawObject(name), popGraphicsState()];
  }

  private async text(i: TextItem): Promise<PDFOperator[]> {
    if (!i.text) return [];
    const parts = await this.fonts.spell(i);
    const width = parts ? parts.reduce((w, p) => w + p.font.widthOfTextAtSize(p.text, i.size), 0) : widthOf(i.text, i);
    const start = i.anchor === 'end' ? -width : i.anchor === 'middle' ? -width / 2 : 0;
    const angle = ((i.turn ?? 0) * Math.PI) / 180;
    const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
    const turned = concatTransformationMatrix(cos, sin, -sin, cos, i.x, i.y);
    if (!parts) {
      const c = textImage(i, width);
      const name = this.page.node.newXObject('T', await embedImage(this.doc, c));
      const box = { x: start - 1, y: -1.2 * i.size, width: c.width / FINER, height: c.height / FINER };
      return [pushGraphicsState(), turned, ...this.placed(name, box), popGraphicsState()];
    }
    const [r, g, b, a] = colourOf(i.fill);
    const halo = i.halo ? colourOf(i.halo.colour) : null;
    const letters = (): PDFOperator[] => {
      let x = start;
      return parts.flatMap((p) => {
        // The page is upside down, letters are not.
        const out = [
          setFontAndSize(this.fontName(p.font.ref, p.font.name), i.size),
          setTextMatrix(1, 0, 0, -1, x, 0),
          showText(p.font.encodeText(p.text)),
        ];
        x += p.font.widthOfTextAtSize(p.text, i.size);
        return out;
      });
    };
    return [
      pushGraphicsState(),
      turned,
      ...this.state(a, halo?.[3] ?? 1),
      ...(halo
        ? [
            // Read aloud, copied or searched, it is no text: that stands on it.
            HALO(),
            setStrokingRgbColor(halo[0], halo[1], halo[2]),
            setLineWidth(i.halo!.width),
            setLineJoin(1),
            setDashPattern([], 0),
            beginText(),
            setTextRenderingMode(1),
            ...letters(),
            endText(),
            PDFOperator.of(PDFOperatorNames.EndMarkedContent),
          ]
        : []),
      setFillingRgbColor(r, g, b),
      beginText(),
      setTextRenderingMode(0),
      ...letters(),
      endText(),
      popGraphicsState(),
    ];
  }

  private fontName(ref: PDFRef, name: string): PDFName {
    let known = this.fontNames.get(ref.toString());
    if (!known) {
      known = this.page.node.newFontDictionary(name.replace(/\W/g, '') || 'F', ref);
      this.fontNames.set(ref.toString(), known);
    }
    return known;
  }
}

function ring(points: readonly [number, number][], closed: boolean): PDFOperator[] {
  const out = points.map(([x, y], k) => (k ? lineTo(x, y) : moveTo(x, y)));
  if (closed) out.push(closePath());
  return out;
}

function circle(x: number, y: number, r: number): PDFOperator[] {
  const k = ROUND * r;
  return [
    moveTo(x + r, y),
    appendBezierCurve(x + r, y + k, x + k, y + r, x, y + r),
    appendBezierCurve(x - k, y + r, x - r, y + k, x - r, y),
    appendBezierCurve(x - r, y - k, x - k, y - r, x, y - r),
    appendBezierCurve(x + k, y - r, x + r, y - k, x + r, y),
    closePath(),
  ];
}

export interface PdfAbout {
  title: string;
  /** How much finer than the screen pictures are that are made for it. */
  finer?: number;
  /** Files that go with it. */
  attached?: { name: string; type: string; about: string; bytes: Uint8Array }[];
  /** Called before each page; may throw to stop. */
  progress?: (page: number) => void | Promise<void>;
}

/**
 * Display lists as the pages of one document: lines, areas and ramps stay what they are, texts are texts in embedded fonts that hold only
 * the letters used (a text in letters that no font of ours has is a picture), images are images. A pixel of the screen is 1/96 inch, so
 * that what was laid out for paper has its size there.
 */
export async function toPdf(
  pages: DisplayList | AsyncIterable<DisplayList> | readonly DisplayList[],
  about: PdfAbout,
): Promise<Uint8Array<ArrayBuffer>> {
  const doc = await PDFDocument.create();
  doc.registerFontkit(fontkit);
  doc.setTitle(about.title, { showInWindowTitleBar: true });
  doc.setProducer('Helk');
  doc.setCreator('Helk');
  const fonts = new Fonts(doc);
  let n = 0;
  for await (const list of 'items' in pages ? [pages] : pages) {
    await about.progress?.(n++);
    const page = doc.addPage([list.width * POINTS, list.height * POINTS]);
    const operators = await new PageWriter(doc, page, fonts, about.finer ?? 2).write(list.items);
    const flipped = concatTransformationMatrix(POINTS, 0, 0, -POINTS, 0, list.height * POINTS);
    const all = [pushGraphicsState(), flipped, ...operators, popGraphicsState()];
    // As arguments a hundred thousand would overflow the stack.
    for (let k = 0; k < all.length; k += AT_ONCE) page.pushOperators(...all.slice(k, k + AT_ONCE));
  }
  for (const f of about.attached ?? []) await doc.attach(f.bytes, f.name, { mimeType: f.type, description: f.about });
  return (await doc.save()) as Uint8Array<ArrayBuffer>;
}
