type Typed = Float32Array | Float64Array | Int32Array | Uint32Array | Uint16Array | Int16Array | Uint8Array | Int8Array;

let shared = false;

/**
 * Whether room for large arrays is taken from memory that threads can share. Node's surfaces turn it on where they compute with several
 * threads; a browser has no such memory.
 */
export function useSharedRoom(on: boolean): void {
  shared = on;
}

/** Room for `n` values, all 0. @throws RangeError when there is none */
export function room<T extends Typed>(Type: new (n: number | ArrayBufferLike) => T, n: number): T {
  if (!shared) return new Type(n);
  const size = (Type as unknown as { BYTES_PER_ELEMENT: number }).BYTES_PER_ELEMENT;
  return new Type(new SharedArrayBuffer(n * size));
}

/** Whether threads can use an array where it lies. */
export const isShared = (a: { buffer: ArrayBufferLike }): boolean =>
  typeof SharedArrayBuffer !== 'undefined' && a.buffer instanceof SharedArrayBuffer;
