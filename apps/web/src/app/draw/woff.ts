import { unzlibSync } from 'fflate';

const HEADER = 44;
const ENTRY = 20;

/**
 * A font taken out of its web wrapping: WOFF 1.0 (W3C Recommendation, 13 December 2012) to the OpenType file within. Font libraries read
 * tables wrongly that are in the wrapping as they are, and those that WOFF 2 transforms.
 *
 * @throws Error for what is no WOFF file
 */
export function unwrapFont(woff: ArrayBuffer): Uint8Array<ArrayBuffer> {
  const from = new DataView(woff);
  if (woff.byteLength < HEADER || from.getUint32(0) !== 0x774f4646) throw new Error('This is no font in WOFF format.');
  const tables = from.getUint16(12);
  const entries = Array.from({ length: tables }, (_, i) => {
    const at = HEADER + i * ENTRY;
    const [tag, offset, packed, length, sum] = [0, 4, 8, 12, 16].map((k) => from.getUint32(at + k)) as [
      number,
      number,
      number,
      number,
      number,
    ];
    const raw = new Uint8Array(woff, offset, packed);
    return { tag, sum, length, bytes: packed < length ? unzlibSync(raw) : raw };
  });
  const padded = (n: number): number => (n + 3) & ~3;
  const start = 12 + 16 * tables;
  const out = new Uint8Array(entries.reduce((n, e) => n + padded(e.length), start));
  const to = new DataView(out.buffer);
  const largest = 2 ** Math.floor(Math.log2(tables));
  to.setUint32(0, from.getUint32(4));
  to.setUint16(4, tables);
  to.setUint16(6, 16 * largest);
  to.setUint16(8, Math.log2(largest));
  to.setUint16(10, 16 * (tables - largest));
  let at = start;
  entries.forEach((e, i) => {
    const row = 12 + 16 * i;
    to.setUint32(row, e.tag);
    to.setUint32(row + 4, e.sum);
    to.setUint32(row + 8, at);
    to.setUint32(row + 12, e.length);
    out.set(e.bytes, at);
    at += padded(e.length);
  });
  return out;
}
