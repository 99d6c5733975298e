/** The bytes of a file, which need not all be in memory. */
export interface ByteSource {
  readonly size: number;
  /** Bytes `from` up to `to`, fewer at the end of the file. */
  range(from: number, to: number): Promise<Uint8Array>;
  /** All of them. */
  whole(): Promise<Uint8Array>;
}

export const memorySource = (bytes: Uint8Array): ByteSource => ({
  size: bytes.length,
  range: (from, to) => Promise.resolve(bytes.subarray(from, to)),
  whole: () => Promise.resolve(bytes),
});

/** Where the bytes of a file go that is being written. */
export interface ByteSink {
  write(bytes: Uint8Array): Promise<void>;
  /** Puts other bytes where some have been written. */
  patch(at: number, bytes: Uint8Array): Promise<void>;
}

/** A sink in memory. */
export class MemorySink implements ByteSink {
  private parts: Uint8Array[] = [];
  size = 0;

  write(bytes: Uint8Array): Promise<void> {
    this.parts.push(bytes);
    this.size += bytes.length;
    return Promise.resolve();
  }

  patch(at: number, bytes: Uint8Array): Promise<void> {
    const all = this.bytes();
    all.set(bytes, at);
    return Promise.resolve();
  }

  /** What has been written, in one piece. */
  bytes(): Uint8Array {
    if (this.parts.length !== 1) {
      const all = new Uint8Array(this.size);
      let at = 0;
      for (const p of this.parts) {
        all.set(p, at);
        at += p.length;
      }
      this.parts = [all];
    }
    return this.parts[0]!;
  }
}
