import { formatNumber, kindOf } from '@helk/core';
import type { DatasetItem } from '../state/project.store';
import type { Tools } from './kind';

/** `12 of 236 polygons`: how many rows are picked; nothing where none is. */
export function rowWords(item: DatasetItem, { picks }: Tools): string {
  const rows = kindOf(item.info).rows?.(item.info);
  if (!rows || !picks.of(item.id)) return '';
  return `${formatNumber(picks.count(item.id))} of ${formatNumber(rows.count)} ${rows.noun}`;
}
