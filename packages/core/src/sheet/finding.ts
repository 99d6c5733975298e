import * as z from 'zod';
import { Id } from '../api/refs';
import { systemText } from '../data/crs-record';
import { newest, type StandingDataset } from '../recipe/stale';
import { columnsOf, ofKind, systemOf, type DatasetInfo } from '../data/kinds';

/** A dataset as it was when something was seen of it. */
export const RestShape = z.object({
  dataset: Id,
  name: z.string().max(2000),
  /** What it was, in short: `standOf`. */
  stand: z.string().max(40),
});

/** Something that was seen and is kept: with what can be shown again, what it rests on, and how it looked. */
export const FindingBody = z.object({
  title: z.string().trim().min(1, 'A title is needed.').max(300),
  note: z.string().max(20_000).default(''),
  /** What was seen: `panes`, `panel` or `figures`. */
  kind: z.string().max(40),
  /** How it is shown again; only who pinned it knows more. */
  seen: z.record(z.string().max(40), z.unknown()),
  rests: z.array(RestShape).max(500),
  /** Numbers that were seen, for texts. */
  figures: z
    .array(z.object({ name: z.string().max(300), value: z.string().max(400) }))
    .max(400)
    .default([]),
  /** The drawing of it: a picture of the project. */
  drawing: Id.nullable(),
});
export const FindingEntry = FindingBody.extend({ id: Id, position: z.number(), createdAt: z.string() });
export type FindingBodyOf = z.infer<typeof FindingBody>;
export type Finding = z.infer<typeof FindingEntry>;

/**
 * A short text that is another one when what a dataset says has become another: its system, its bands and columns with their units, its
 * classes. Values never change by themselves. (FNV-1a, 32 bits, twice with another start.)
 */
export function standOf(info: DatasetInfo): string {
  const system = systemOf(info);
  const bands = ofKind('raster', info)?.bands.map((b) => [b.name, b.unit, b.kind, b.classes ?? null]);
  const columns = columnsOf(info).map((c) => [c.name, c.unit]);
  const told = JSON.stringify([info.kind, system && systemText(system), bands ?? null, columns]);
  return [0x811c9dc5, 0x01234567].map((start) => hash(told, start)).join('');
}

function hash(text: string, start: number): string {
  let h = start;
  for (let i = 0; i < text.length; i++) h = Math.imul(h ^ text.charCodeAt(i), 0x01000193);
  return (h >>> 0).toString(16).padStart(8, '0');
}

/** What a finding rests on that is not so any more, in words; null where all of it is. */
export function outdatedWords(
  finding: Pick<Finding, 'rests'>,
  there: Readonly<Record<string, StandingDataset | undefined>>,
  stale: { has: (id: string) => boolean },
): string | null {
  for (const r of finding.rests) {
    const d = there[r.dataset];
    if (!d) return `“${r.name}” has been removed.`;
    const last = newest(d.id, there);
    if (last !== d.id) return `“${r.name}” has a newer one in its place, “${there[last]!.name}”.`;
    if (standOf(d.info) !== r.stand)
      return `“${d.name}” is not what it was: its system, units or classes have changed.`;
    if (stale.has(d.id)) return `“${d.name}” was made from what is not so any more.`;
  }
  return null;
}
