import { kindOf } from '@helk/core';
import { refOf } from '@helk/core/api/refs';
import type { DatasetItem } from './project.store';

/** An input of a run as a person calls it: `scene, red`. */
export function namedInput(ref: string, there: Record<string, DatasetItem | undefined>): string {
  const { dataset, band } = refOf(ref);
  const d = there[dataset];
  if (!d) return 'removed';
  const name = band === null ? undefined : kindOf(d.info).bands?.(d.info)[band];
  return name === undefined ? d.name : `${d.name}, ${name}`;
}
