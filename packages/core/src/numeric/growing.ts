/**
 * A typed array that grows as values are added, by doubling: O(1) a value, and no longer than what the machine can hold in one
 * piece, where adding fails with a RangeError that can be caught. (A plain array past about 113 million entries ends the process.)
 */
export class Growing<T extends Float64Array | Float32Array | Uint32Array | Int32Array | Uint8Array> {
  length = 0;
  private held: T;

  constructor(private readonly type: new (n: number) => T) {
    this.held = new type(64);
  }

  push(v: number): void {
    if (this.length === this.held.length) this.room(this.length + 1);
    this.held[this.length++] = v;
  }

  /** Two values; a coordinate is added a hundred million times. */
  push2(a: number, b: number): void {
    if (this.length + 2 > this.held.length) this.room(this.length + 2);
    this.held[this.length++] = a;
    this.held[this.length++] = b;
  }

  /** The same value until there are `n`. */
  fill(v: number, n: number): void {
    if (n <= this.length) return;
    this.room(n);
    this.held.fill(v, this.length, n);
    this.length = n;
  }

  at(i: number): number {
    return this.held[i]!;
  }

  set(i: number, v: number): void {
    this.held[i] = v;
  }

  /** The values, in an array of just their length. */
  done(): T {
    return this.held.slice(0, this.length) as T;
  }

  private room(n: number): void {
    if (n <= this.held.length) return;
    const more = new this.type(Math.max(2 * this.held.length, n));
    more.set(this.held.subarray(0, this.length) as never);
    this.held = more;
  }
}

export const growingFloats = (): Growing<Float64Array> => new Growing(Float64Array);
export const growingCounts = (): Growing<Uint32Array> => new Growing(Uint32Array);
export const growingBytes = (): Growing<Uint8Array> => new Growing(Uint8Array);
export const growingCells = (): Growing<Int32Array> => new Growing(Int32Array);
export const growingSingles = (): Growing<Float32Array> => new Growing(Float32Array);
