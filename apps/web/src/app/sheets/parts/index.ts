import type { Part } from '@helk/core/sheet/shape';
import { bar } from './bar';
import { finding } from './finding';
import { frame } from './frame';
import { key } from './key';
import { north } from './north';
import type { PartRecord } from './part';
import { picture } from './picture';
import { text } from './text';

/** The kinds of parts there are, in the order in which they are offered. */
export const PARTS: readonly PartRecord[] = [frame, key, bar, north, text, finding, picture] as never;

const BY_KIND = new Map(PARTS.map((p) => [p.kind, p]));
export const recordOf = (part: Pick<Part, 'kind'>): PartRecord => BY_KIND.get(part.kind)!;
