/**
 * Packs points of format 0 as LASzip does (Isenburg 2013, "LASzip: lossless compression of LiDAR data", PE&RS 79(2); arithmetic coding after Said
 * 2004, "Introduction to arithmetic coding", HP Labs), written from the descriptions to have files that a decoder of another maker can be held
 * to. For specs only: Helk writes no LAZ.
 */

const MIN_LENGTH = 0x01000000;

class SymbolModel {
  readonly counts: Uint32Array;
  readonly distribution: Uint32Array;
  total = 0;
  cycle: number;
  until = 0;

  constructor(readonly symbols: number) {
    this.counts = new Uint32Array(symbols).fill(1);
    this.distribution = new Uint32Array(symbols);
    this.cycle = symbols;
    this.update();
    this.until = this.cycle = (symbols + 6) >> 1;
  }

  update(): void {
    this.total += this.cycle;
    if (this.total > 32_768) {
      this.total = 0;
      for (let k = 0; k < this.symbols; k++) this.total += this.counts[k] = (this.counts[k]! + 1) >> 1;
    }
    const scale = Math.floor(0x80000000 / this.total);
    let sum = 0;
    for (let k = 0; k < this.symbols; k++) {
      this.distribution[k] = Math.floor((scale * sum) / 65_536);
      sum += this.counts[k]!;
    }
    this.cycle = Math.min((5 * this.cycle) >> 2, (this.symbols + 6) << 3);
    this.until = this.cycle;
  }
}

class BitModel {
  zeros = 1;
  total = 2;
  chance = 1 << 12;
  cycle = 4;
  until = 4;

  update(): void {
    this.total += this.cycle;
    if (this.total > 8192) {
      this.total = (this.total + 1) >> 1;
      this.zeros = (this.zeros + 1) >> 1;
      if (this.zeros === this.total) this.total++;
    }
    const scale = Math.floor(0x80000000 / this.total);
    this.chance = Math.floor((this.zeros * scale) / 2 ** 18);
    this.cycle = Math.min(64, (5 * this.cycle) >> 2);
    this.until = this.cycle;
  }
}

class Encoder {
  readonly bytes: number[] = [];
  private base = 0;
  private length = 0xffffffff;

  private move(x: number, length: number): void {
    const base = this.base + x;
    if (base > 0xffffffff) this.carry();
    this.base = base >>> 0;
    this.length = length;
    while (this.length < MIN_LENGTH) {
      this.bytes.push(this.base >>> 24);
      this.base = (this.base << 8) >>> 0;
      this.length = (this.length << 8) >>> 0;
    }
  }

  private carry(): void {
    let p = this.bytes.length - 1;
    while (this.bytes[p] === 255) this.bytes[p--] = 0;
    this.bytes[p]!++;
  }

  bit(m: BitModel, bit: number): void {
    const x = m.chance * (this.length >>> 13);
    if (bit === 0) {
      m.zeros++;
      this.move(0, x);
    } else this.move(x, this.length - x);
    if (--m.until === 0) m.update();
  }

  symbol(m: SymbolModel, s: number): void {
    const length = this.length >>> 15;
    const x = m.distribution[s]! * length;
    this.move(x, s === m.symbols - 1 ? this.length - x : m.distribution[s + 1]! * length - x);
    m.counts[s]!++;
    if (--m.until === 0) m.update();
  }

  bits(many: number, s: number): void {
    if (many > 19) {
      const short = this.length >>> 16;
      this.move((s & 0xffff) * short, short);
      s >>>= 16;
      many -= 16;
    }
    const length = this.length >>> many;
    this.move(s * length, length);
  }

  done(): number[] {
    const another = this.length > 2 * MIN_LENGTH;
    if (another) this.move(MIN_LENGTH, MIN_LENGTH >>> 1);
    else this.move(MIN_LENGTH >>> 1, MIN_LENGTH >>> 9);
    return [...this.bytes, 0, 0, ...(another ? [0] : [])];
  }
}

class IntegerPacker {
  k = 0;
  private readonly sizes: SymbolModel[];
  private readonly correctors: (SymbolModel | BitModel)[];

  constructor(
    private readonly to: Encoder,
    private readonly width: number,
    contexts: number,
  ) {
    this.sizes = Array.from({ length: contexts }, () => new SymbolModel(width + 1));
    this.correctors = [
      new BitModel(),
      ...Array.from({ length: width }, (_, i) => new SymbolModel(1 << Math.min(8, i + 1))),
    ];
  }

  pack(predicted: number, real: number, context: number): void {
    let c = (real - predicted) | 0;
    if (this.width < 32) {
      const range = 2 ** this.width;
      if (c < -range / 2) c += range;
      else if (c > range / 2 - 1) c -= range;
    }
    let rest = c <= 0 ? -c : c - 1;
    this.k = 0;
    while (rest > 0) {
      rest = Math.floor(rest / 2);
      this.k++;
    }
    const { k, to } = this;
    to.symbol(this.sizes[context]!, k);
    if (k === 0) {
      to.bit(this.correctors[0] as BitModel, c);
      return;
    }
    if (k === 32) return;
    const v = c < 0 ? c + 2 ** k - 1 : c - 1;
    const model = this.correctors[k] as SymbolModel;
    if (k <= 8) to.symbol(model, v);
    else {
      const low = k - 8;
      to.symbol(model, Math.floor(v / 2 ** low));
      to.bits(low, v % 2 ** low);
    }
  }
}

/** The middle of five values that are let go of by turns. */
class Median {
  private v = [0, 0, 0, 0, 0];
  private high = true;

  get middle(): number {
    return this.v[2]!;
  }

  add(x: number): void {
    const v = this.v as [number, number, number, number, number];
    if (this.high) {
      if (x < v[2]) {
        [v[4], v[3]] = [v[3], v[2]];
        if (x < v[0]) [v[2], v[1], v[0]] = [v[1], v[0], x];
        else if (x < v[1]) [v[2], v[1]] = [v[1], x];
        else v[2] = x;
      } else {
        if (x < v[3]) [v[4], v[3]] = [v[3], x];
        else v[4] = x;
        this.high = false;
      }
    } else if (v[2] < x) {
      [v[0], v[1]] = [v[1], v[2]];
      if (v[4] < x) [v[2], v[3], v[4]] = [v[3], v[4], x];
      else if (v[3] < x) [v[2], v[3]] = [v[3], x];
      else v[2] = x;
    } else {
      if (v[1] < x) [v[0], v[1]] = [v[1], x];
      else v[0] = x;
      this.high = true;
    }
  }
}

const RETURN_MAP = [
  [15, 14, 13, 12, 11, 10, 9, 8],
  [14, 0, 1, 3, 6, 10, 10, 9],
  [13, 1, 2, 4, 7, 11, 11, 10],
  [12, 3, 4, 5, 8, 12, 12, 11],
  [11, 6, 7, 8, 9, 13, 13, 12],
  [10, 10, 11, 12, 13, 14, 14, 13],
  [9, 10, 11, 12, 13, 14, 15, 14],
  [8, 9, 10, 11, 12, 13, 14, 15],
];

/** The points of one chunk: the first as it is, the others by what is new in each. */
function packChunk(points: Uint8Array): number[] {
  const to = new Encoder();
  const view = new DataView(points.buffer, points.byteOffset, points.byteLength);
  const models = (): Map<number, SymbolModel> => new Map();
  const of = (all: Map<number, SymbolModel>, k: number): SymbolModel => {
    let m = all.get(k);
    if (!m) all.set(k, (m = new SymbolModel(256)));
    return m;
  };
  const changed = new SymbolModel(64);
  const [bitByte, classes, userData] = [models(), models(), models()];
  const angles = [new SymbolModel(256), new SymbolModel(256)];
  const intensity = new IntegerPacker(to, 16, 4);
  const source = new IntegerPacker(to, 16, 1);
  const [dx, dy, dz] = [new IntegerPacker(to, 32, 2), new IntegerPacker(to, 32, 22), new IntegerPacker(to, 32, 20)];
  const medians = [0, 1].map(() => Array.from({ length: 16 }, () => new Median()));
  const lastIntensity = new Uint16Array(16);
  const lastHeight = new Int32Array(8);
  for (let at = 20; at < points.length; at += 20) {
    const before = at - 20;
    const r = points[at + 14]! & 7;
    const n = (points[at + 14]! >> 3) & 7;
    const m = RETURN_MAP[n]![r]!;
    const l = Math.abs(n - r);
    const unlike = (k: number): number => (points[at + k] === points[before + k] ? 0 : 1);
    const bright = view.getUint16(at + 12, true);
    const flight = view.getUint16(at + 18, true);
    const what =
      (unlike(14) << 5) |
      ((lastIntensity[m] === bright ? 0 : 1) << 4) |
      (unlike(15) << 3) |
      (unlike(16) << 2) |
      (unlike(17) << 1) |
      (view.getUint16(before + 18, true) === flight ? 0 : 1);
    to.symbol(changed, what);
    if (what & 32) to.symbol(of(bitByte, points[before + 14]!), points[at + 14]!);
    if (what & 16) {
      intensity.pack(lastIntensity[m]!, bright, Math.min(3, m));
      lastIntensity[m] = bright;
    }
    if (what & 8) to.symbol(of(classes, points[before + 15]!), points[at + 15]!);
    if (what & 4) to.symbol(angles[(points[at + 14]! >> 6) & 1]!, (points[at + 16]! - points[before + 16]!) & 255);
    if (what & 2) to.symbol(of(userData, points[before + 17]!), points[at + 17]!);
    if (what & 1) source.pack(view.getUint16(before + 18, true), flight, 0);
    const single = n === 1 ? 1 : 0;
    const step = (k: number): number => (view.getInt32(at + k, true) - view.getInt32(before + k, true)) | 0;
    const even = (k: number, most: number): number => (k < most ? k & ~1 : most);
    dx.pack(medians[0]![m]!.middle, step(0), single);
    medians[0]![m]!.add(step(0));
    dy.pack(medians[1]![m]!.middle, step(4), single + even(dx.k, 20));
    medians[1]![m]!.add(step(4));
    dz.pack(lastHeight[l]!, view.getInt32(at + 8, true), single + even((dx.k + dy.k) >> 1, 18));
    lastHeight[l] = view.getInt32(at + 8, true);
  }
  return [...points.subarray(0, 20), ...to.done()];
}

/**
 * A LAS file of point format 0 as LAZ.
 *
 * @param perChunk points of a chunk
 */
export function packedLas(las: Uint8Array, perChunk: number): Uint8Array {
  const v = new DataView(las.buffer, las.byteOffset, las.byteLength);
  const start = v.getUint32(96, true);
  const points = las.subarray(start);
  const record = new Uint8Array(54 + 34 + 6);
  const r = new DataView(record.buffer);
  record.set(new TextEncoder().encode('laszip encoded'), 2);
  r.setUint16(18, 22_204, true);
  r.setUint16(20, 40, true);
  // Chunks of points one by one, arithmetic coder, version 2.2, one item: POINT10 of 20 bytes, version 2.
  r.setUint16(54, 2, true);
  record[58] = 2;
  record[59] = 2;
  r.setUint32(66, perChunk, true);
  r.setBigInt64(70, -1n, true);
  r.setBigInt64(78, -1n, true);
  r.setUint16(86, 1, true);
  [6, 20, 2].forEach((value, k) => r.setUint16(88 + 2 * k, value, true));
  const head = new Uint8Array(start + record.length);
  head.set(las.subarray(0, start));
  head.set(record, start);
  const h = new DataView(head.buffer);
  h.setUint32(96, head.length, true);
  h.setUint32(100, v.getUint32(100, true) + 1, true);
  head[104] = 0x80;
  const chunks: number[][] = [];
  for (let at = 0; at < points.length; at += 20 * perChunk)
    chunks.push(packChunk(points.slice(at, at + 20 * perChunk)));
  const table = new Encoder();
  const sizes = new IntegerPacker(table, 32, 2);
  chunks.forEach((c, k) => sizes.pack(k ? chunks[k - 1]!.length : 0, c.length, 1));
  const tail = [...new Uint8Array(Uint32Array.of(0, chunks.length).buffer), ...table.done()];
  const body = chunks.flat();
  const out = new Uint8Array(head.length + 8 + body.length + tail.length);
  out.set(head);
  new DataView(out.buffer).setBigInt64(head.length, BigInt(head.length + 8 + body.length), true);
  out.set(body, head.length + 8);
  out.set(tail, head.length + 8 + body.length);
  return out;
}
