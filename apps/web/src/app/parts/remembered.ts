import type { ZodType } from 'zod';

/** What this browser remembers under a name, held to a shape; the plain value where there is nothing, or nothing of use. */
export function remembered<T>(name: string, shape: ZodType<T>, plain: T, store: Storage = localStorage): T {
  try {
    const read = shape.safeParse(JSON.parse(store.getItem(name) ?? 'null'));
    return read.success ? read.data : plain;
  } catch {
    return plain;
  }
}

/** Remembers a value; a store that is full or forbidden only means that it is forgotten. */
export function remember(name: string, value: unknown, store: Storage = localStorage): void {
  try {
    store.setItem(name, JSON.stringify(value));
  } catch {
    // Nothing depends on it.
  }
}
