import type { PDFDocument, PDFRef } from 'pdf-lib';
import { canvasOf } from './display';

async function deflated(bytes: Uint8Array<ArrayBuffer>): Promise<Uint8Array> {
  const stream = new Blob([bytes]).stream().pipeThrough(new CompressionStream('deflate'));
  return new Uint8Array(await new Response(stream).arrayBuffer());
}

/** Each row as what it differs by from the row above (the Up filter of PNG, as PDF takes it), which packs pictures of surfaces well. */
function upFiltered(from: Uint8Array, row: number): Uint8Array<ArrayBuffer> {
  const rows = from.length / row;
  const out = new Uint8Array(rows * (row + 1));
  for (let y = 0; y < rows; y++) {
    out[y * (row + 1)] = 2;
    for (let x = 0; x < row; x++)
      out[y * (row + 1) + 1 + x] = from[y * row + x]! - (y > 0 ? from[(y - 1) * row + x]! : 0);
  }
  return out;
}

/** A picture within a document, every pixel as it is, what is seen through it as a mask. */
export async function embedImage(doc: PDFDocument, image: HTMLCanvasElement | ImageBitmap): Promise<PDFRef> {
  const { width, height } = image;
  const { data } = canvasOf(image).getContext('2d')!.getImageData(0, 0, width, height);
  const colours = new Uint8Array(3 * width * height);
  const alpha = new Uint8Array(width * height);
  let clear = false;
  for (let i = 0; i < alpha.length; i++) {
    colours[3 * i] = data[4 * i]!;
    colours[3 * i + 1] = data[4 * i + 1]!;
    colours[3 * i + 2] = data[4 * i + 2]!;
    alpha[i] = data[4 * i + 3]!;
    clear ||= alpha[i] !== 255;
  }
  const stream = async (bytes: Uint8Array, parts: 1 | 3, more: object = {}): Promise<PDFRef> =>
    doc.context.register(
      doc.context.stream(await deflated(upFiltered(bytes, parts * width)), {
        Type: 'XObject',
        Subtype: 'Image',
        Width: width,
        Height: height,
        ColorSpace: parts === 3 ? 'DeviceRGB' : 'DeviceGray',
        BitsPerComponent: 8,
        Filter: 'FlateDecode',
        DecodeParms: { Predictor: 15, Colors: parts, BitsPerComponent: 8, Columns: width },
        Interpolate: false,
        ...more,
      }),
    );
  return stream(colours, 3, clear ? { SMask: await stream(alpha, 1) } : {});
}
