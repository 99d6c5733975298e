import { joinBytes } from '../formats/bytes';
import type { Handle, PieceStore, Progress } from './handle';

/** Array of a dataset that is stored as one run of bytes, cut into parts. */
export const WHOLE = 'whole';
const PART = 16 * 2 ** 20;

/** A dataset that is always read whole. */
export class StoredWhole<D, I extends { kind: string }> implements Handle<D, I, I['kind']> {
  readonly kind: I['kind'];
  readonly head: I;

  constructor(
    readonly info: I,
    private readonly store: Pick<PieceStore, 'get'>,
    private readonly read: (bytes: Uint8Array) => D,
  ) {
    this.kind = info.kind;
    this.head = info;
  }

  async load(): Promise<D> {
    return this.read(await getWhole(this.store));
  }
}

/** @param array another run of bytes of the same dataset */
export async function getWhole(store: Pick<PieceStore, 'get'>, array = WHOLE): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  for (let k = 0; ; k++) {
    const part = await store.get(array, 0, k);
    if (!part) break;
    parts.push(part);
  }
  return parts.length === 1 ? parts[0]! : joinBytes(parts);
}

export async function putWhole(store: PieceStore, bytes: Uint8Array, progress: Progress, array = WHOLE): Promise<void> {
  for (let k = 0; k * PART < bytes.length; k++) {
    progress((k * PART) / bytes.length, 'storing');
    await store.put(array, 0, k, bytes.subarray(k * PART, (k + 1) * PART));
  }
}
