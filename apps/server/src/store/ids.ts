import { randomBytes } from 'node:crypto';

/** A short random id: 10 characters of 36, about 51 bits. */
export function newId(): string {
  const b = randomBytes(10);
  return Array.from(b, (x) => (x % 36).toString(36)).join('');
}

export const now = (): string => new Date().toISOString();
