import * as z from 'zod';
import { HelkError } from '../errors';
import type { Table } from '../data/table';
import type { Timetable } from '../data/timetable';
import { packBinary, unpackBinary } from './binary';
import { joinBytes } from './bytes';

/** "HLKT", version (u32), header length (u32), header (JSON), then the files: tables as `packBinary` has them, others as they are. */
const MAGIC = 0x544b4c48;
const VERSION = 1;

export const faultShape = z.object({
  file: z.string().max(400),
  row: z.number().int().nullable(),
  column: z.string().max(400).nullable(),
  message: z.string().max(2000),
  level: z.enum(['error', 'warning']),
});
const part = z.object({ name: z.string(), size: z.number().int().min(0) });
const Header = z.object({ files: z.array(part), others: z.array(part), faults: z.array(faultShape) });

/** A timetable as one plain buffer, for the store. */
export function packTimetable(t: Timetable): Uint8Array {
  const files = Object.entries(t.files).map(([name, columns]) => ({
    name,
    bytes: packBinary({ kind: 'table', columns }),
  }));
  const others = Object.entries(t.others).map(([name, bytes]) => ({ name, bytes }));
  const sizes = (all: readonly { name: string; bytes: Uint8Array }[]) =>
    all.map((f) => ({ name: f.name, size: f.bytes.length }));
  const header = new TextEncoder().encode(
    JSON.stringify({ files: sizes(files), others: sizes(others), faults: t.faults }),
  );
  const head = new Uint8Array(12);
  const view = new DataView(head.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, VERSION, true);
  view.setUint32(8, header.length, true);
  return joinBytes([head, header, ...[...files, ...others].map((f) => f.bytes)]);
}

/** @throws HelkError `file.damaged` when the buffer is not one of ours or is cut off */
export function unpackTimetable(bytes: Uint8Array): Timetable {
  const damaged = (): never => {
    throw new HelkError('file.damaged', 'The stored timetable is damaged.');
  };
  if (bytes.length < 12) damaged();
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (view.getUint32(0, true) !== MAGIC || view.getUint32(4, true) !== VERSION) damaged();
  const size = view.getUint32(8, true);
  let header: z.infer<typeof Header>;
  try {
    header = Header.parse(JSON.parse(new TextDecoder().decode(bytes.subarray(12, 12 + size))));
  } catch {
    return damaged();
  }
  let at = 12 + size;
  const next = (length: number): Uint8Array => {
    if (at + length > bytes.length) damaged();
    return bytes.subarray(at, (at += length));
  };
  const t: Timetable = { kind: 'timetable', files: {}, others: {}, faults: header.faults };
  // A copy of its own: what is unpacked lies aligned in it.
  for (const f of header.files) t.files[f.name] = (unpackBinary(next(f.size).slice(), 'table') as Table).columns;
  for (const f of header.others) t.others[f.name] = next(f.size).slice();
  return t;
}
