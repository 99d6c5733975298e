import { HelkError } from '../errors';

/**
 * TIFF LZW (TIFF 6.0, section 13): codes of 9 to 12 bits, most significant bit first, 256 clears, 257 ends, the width
 * grows one code early. Strings are kept as (prefix, last byte, length) and written backwards into place. O(output).
 *
 * @param expected bytes there should be
 * @param most bytes there may be
 * @throws HelkError `file.damaged` on a code that no table can hold, and when there are more than `most`
 */
export function lzwDecode(input: Uint8Array, expected: number, most = Infinity): Uint8Array {
  let out = new Uint8Array(Math.max(expected, 1024));
  const prefix = new Uint16Array(4097);
  const suffix = new Uint8Array(4097);
  const length = new Uint16Array(4097);
  for (let i = 0; i < 256; i++) {
    suffix[i] = i;
    length[i] = 1;
  }
  let at = 0;
  let next = 258;
  let width = 9;
  let previous = -1;
  let bits = 0;
  let held = 0;
  const damaged = (): never => {
    throw new HelkError('file.damaged', 'An LZW block is damaged.');
  };
  for (let i = 0; ;) {
    while (held < width) {
      if (i >= input.length) return out.subarray(0, at);
      bits = ((bits << 8) | input[i++]!) & 0xffffff;
      held += 8;
    }
    held -= width;
    const code = (bits >> held) & ((1 << width) - 1);
    if (code === 257) return out.subarray(0, at);
    if (code === 256) {
      next = 258;
      width = 9;
      previous = -1;
      continue;
    }
    if (previous < 0) {
      if (code > 255) damaged();
    } else if (code > next || next > 4096) damaged();
    const known = previous < 0 || code < next;
    const size = known ? length[code]! : length[previous]! + 1;
    if (at + size > out.length) {
      if (at + size > most) throw new HelkError('file.damaged', 'An LZW block is longer than its place.');
      const bigger = new Uint8Array(Math.max(out.length * 2, at + size));
      bigger.set(out);
      out = bigger;
    }
    let p = at + size - 1;
    let c = known ? code : previous;
    if (!known) p--;
    for (let k = known ? size : size - 1; k > 0; k--) {
      out[p--] = suffix[c]!;
      c = prefix[c]!;
    }
    const firstByte = out[at]!;
    if (!known) out[at + size - 1] = firstByte;
    at += size;
    if (previous >= 0 && next < 4096) {
      prefix[next] = previous;
      suffix[next] = firstByte;
      length[next] = length[previous]! + 1;
      next++;
      if (next + 1 >= 1 << width && width < 12) width++;
    }
    previous = code;
  }
}
