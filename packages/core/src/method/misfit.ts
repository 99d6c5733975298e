import { kindOf, type DatasetInfo } from '../data/kinds';
import type { InputSpec } from './define';

/** Why a dataset cannot stand in a role, or null when it can. */
export function misfit(spec: InputSpec, info: DatasetInfo): string | null {
  if (info.kind !== spec.kind && info.kind !== spec.or)
    return `a ${kindOf(spec).words.one} is wanted, this is a ${kindOf(info).words.one}.`;
  return kindOf(info).misfit(info, spec) ?? spec.refuses?.(info) ?? null;
}
