import { paramSpecs, type Method, type ParamSpec } from '@helk/core';
import { settingWords } from '@helk/core/method/setting-words';

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

/** What was drawn is told with what it is. */
function words(spec: ParamSpec, value: string): string {
  if (!spec.widget?.startsWith('drawn-')) return settingWords(spec, value);
  return `${spec.label.toLowerCase()} (${settingWords(spec, value).replace(' drawn', '')})`;
}
