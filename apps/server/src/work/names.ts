import type { Method } from '@helk/core';

/** A variant is named after what differs from its sibling: `Slope, percent` or `Filled, depth limit 50 m`. */
export function variantName(
  method: Method,
  label: string,
  before: Record<string, unknown>,
  after: Record<string, unknown>,
): string {
  const changed = Object.keys(after).filter((k) => JSON.stringify(after[k]) !== JSON.stringify(before[k]));
  const shape = method.params.shape as Record<string, unknown>;
  const parts = changed
    .filter((k) => k in shape)
    .map((k) => (typeof after[k] === 'number' ? `${k} ${String(after[k])}` : String(after[k])));
  return parts.length ? `${label}, ${parts.join(', ')}`.slice(0, 120) : label;
}
