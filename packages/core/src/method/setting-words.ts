import { formatArea } from '../data/number-words';
import type { ParamSpec } from './params';

/** Letters of a setting that still says something at a glance. */
const LONGEST = 48;

/** A setting in few words: coordinates that were drawn, and long lists, say nothing to anybody. */
export function settingWords(spec: ParamSpec, value: unknown): string {
  const text = Array.isArray(value) ? value.join(', ') : String(value as string);
  if (spec.widget?.startsWith('drawn-')) return `${text.split(';').filter((s) => s.trim()).length} drawn`;
  if (spec.type === 'moment') return text.replace('T', ' ');
  if (spec.type === 'flag') return text === 'true' ? 'yes' : text === 'false' ? 'no' : text;
  if (spec.choices)
    return text
      .split(',')
      .map((v) => spec.choices!.find((c) => c.value === v.trim())?.label ?? v)
      .join(', ');
  const area = spec.type === 'area' ? /^([\d.e+]+) m2$/.exec(text) : null;
  if (area) return formatArea(Number(area[1]));
  return text.length > LONGEST ? `${text.slice(0, LONGEST)}…` : text;
}
