import { paramSpecs, type Method, type ParamSpec } from '@helk/core';

/** A variant is named after what differs from its sibling: `Slope, percent` or `Filled, depth limit 50 m`. */
export function variantName(
  method: Method,
  label: string,
  before: Record<string, unknown>,
  after: Record<string, unknown>,
): string {
  const changed = Object.keys(after).filter((k) => JSON.stringify(after[k]) !== JSON.stringify(before[k]));
  const specs = paramSpecs(method.params);
  const parts = changed
    .filter((k) => k in specs)
    .map((k) => (typeof after[k] === 'number' ? `${k} ${String(after[k])}` : words(specs[k]!, String(after[k]))));
  return parts.length ? `${label}, ${parts.join(', ')}`.slice(0, 120) : label;
}

/** A setting in few words: coordinates that were drawn say nothing to anybody. */
function words(spec: ParamSpec, value: string): string {
  if (spec.widget?.startsWith('drawn-')) {
    const n = value.split(';').filter((s) => s.trim()).length;
    return `${spec.label.toLowerCase()} (${n})`;
  }
  if (spec.type === 'moment') return value.replace('T', ' ');
  if (spec.type === 'choice') return spec.choices?.find((c) => c.value === value)?.label ?? value;
  return value;
}
