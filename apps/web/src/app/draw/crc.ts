const TABLE = Uint32Array.from({ length: 256 }, (_, n) => {
  let c = n;
  for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
  return c >>> 0;
});

/** The checksum of a chunk of a PNG file (W3C PNG, annex D), over several arrays. */
export function crc32(...arrays: readonly Uint8Array[]): number {
  let c = 0xffffffff;
  for (const a of arrays) for (let i = 0; i < a.length; i++) c = TABLE[(c ^ a[i]!) & 255]! ^ (c >>> 8);
  return (c ^ 0xffffffff) >>> 0;
}
