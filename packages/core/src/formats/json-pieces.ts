import { HelkError } from '../errors';

/** Nesting that no data have; deeper text is made to overflow whoever walks it. */
const DEEPEST = 200;
/** Bytes of features that are parsed at once. */
const BATCH = 2 ** 18;
/** One feature, or the head of a file, may have this many bytes: it becomes one text, and a text has at most 2^29 letters. */
const MOST_VALUE = 2 ** 28;

const QUOTE = 0x22;
const BACKSLASH = 0x5c;
const COMMA = 0x2c;

/** What a byte is to whoever looks for the end of a value: 1 opens a string, 2 opens a bracket, 3 closes one, 4 parts values. */
const MARKS = new Uint8Array(256).fill(4, 0, 33);
MARKS[QUOTE] = 1;
for (const c of '[{') MARKS[c.charCodeAt(0)] = 2;
for (const c of ']}') MARKS[c.charCodeAt(0)] = 3;
MARKS[COMMA] = 4;

const ENDS_EARLY = -1;
const TOO_DEEP = -2;

function pastSpace(bytes: Uint8Array, from: number): number {
  let at = from;
  for (const n = bytes.length; at < n; at++) {
    const c = bytes[at]!;
    if (c !== 32 && c !== 10 && c !== 13 && c !== 9) break;
  }
  return at;
}

/** Behind the closing quote of the string that opens at `at`, or `ENDS_EARLY`. */
function stringEnd(bytes: Uint8Array, at: number): number {
  const n = bytes.length;
  for (let i = at + 1; i < n; i++) {
    const c = bytes[i]!;
    if (c === QUOTE) return i + 1;
    if (c === BACKSLASH) i++;
  }
  return ENDS_EARLY;
}

/** Behind the value that begins at `at`, or `ENDS_EARLY` or `TOO_DEEP`. Brackets are counted, not matched: parsing does that. */
function valueEnd(bytes: Uint8Array, at: number): number {
  const n = bytes.length;
  let depth = 0;
  for (let i = at; i < n; i++) {
    const mark = MARKS[bytes[i]!]!;
    if (mark === 0) continue;
    if (mark === 1) {
      const to = stringEnd(bytes, i);
      if (to < 0 || depth === 0) return to;
      i = to - 1;
    } else if (mark === 2) {
      if (++depth > DEEPEST) return TOO_DEEP;
    } else if (mark === 3) {
      if (depth === 0) return i;
      if (--depth === 0) return i + 1;
    } else if (depth === 0) return i;
  }
  return depth ? ENDS_EARLY : n;
}

/** JSON that holds one long list: everything else of the root, parsed, and the list in batches. */
export interface JsonPieces {
  root: Record<string, unknown>;
  /** Elements of the list, some at a time, with the share of the file that has been passed. */
  batches(): Generator<{ items: unknown[]; share: number }>;
  /** Whether there is such a list. */
  listed: boolean;
}

/**
 * Takes a JSON object apart without ever holding it as one text: walks over its bytes, parses what stands beside the member `list`,
 * and gives the elements of that list in batches. O(bytes).
 *
 * @throws HelkError `file.damaged` where the text is no JSON or is cut off, `file.unsupported` where it is nested too deeply
 */
export function jsonPieces(bytes: Uint8Array, list: string, encoding: string, name: string): JsonPieces {
  const decoder = new TextDecoder(encoding, { ignoreBOM: false });
  const n = bytes.length;
  const cutOff = (at: number): never => {
    throw new HelkError(
      'file.damaged',
      `"${name}" is not whole JSON (it breaks at byte ${Math.min(at, n)} of ${n}); the file may be cut off.`,
      name,
    );
  };
  const tooLong = (what: string): never => {
    throw new HelkError('file.tooLarge', `"${name}": ${what} has more than ${MOST_VALUE / 2 ** 20} MiB.`, name);
  };
  const space = (at: number): number => pastSpace(bytes, at);
  const pastString = (at: number): number => {
    const to = stringEnd(bytes, at);
    return to < 0 ? cutOff(n) : to;
  };
  const pastValue = (at: number): number => {
    const to = valueEnd(bytes, at);
    if (to === TOO_DEEP)
      throw new HelkError(
        'file.unsupported',
        `"${name}" nests values more than ${DEEPEST} deep (behind byte ${at}); no data are like that.`,
        name,
      );
    return to < 0 ? cutOff(n) : to;
  };
  const parse = (text: string, from: number): unknown => {
    try {
      return JSON.parse(text);
    } catch (e) {
      const at = Number(/position (\d+)/.exec((e as Error).message)?.[1] ?? 0);
      return cutOff(from + at);
    }
  };
  const textOf = (from: number, to: number, what: string): string => {
    if (to - from > MOST_VALUE) tooLong(what);
    return decoder.decode(bytes.subarray(from, to));
  };

  let at = space(bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf ? 3 : 0);
  if (bytes[at] !== 0x7b) cutOff(at);
  const members: [string, unknown][] = [];
  let found: { from: number; to: number } | null = null;
  at = space(at + 1);
  while (bytes[at] !== 0x7d) {
    if (bytes[at] !== QUOTE) cutOff(at);
    const end = pastString(at);
    const key = String(parse(textOf(at, end, 'a name'), at));
    at = space(end);
    if (bytes[at] !== 0x3a) cutOff(at);
    at = space(at + 1);
    const to = pastValue(at);
    if (to === at) cutOff(at);
    if (key === list && bytes[at] === 0x5b && !found) found = { from: at, to };
    else members.push([key, parse(textOf(at, to, `"${key.slice(0, 40)}"`), at)]);
    at = space(to);
    if (bytes[at] === COMMA) {
      at = space(at + 1);
      if (bytes[at] === 0x7d) cutOff(at);
    } else if (bytes[at] !== 0x7d) cutOff(at);
  }
  if (space(at + 1) !== n) cutOff(at + 1);

  function* batches(): Generator<{ items: unknown[]; share: number }> {
    if (!found) return;
    const end = found.to - 1;
    let i = space(found.from + 1);
    while (i < end) {
      const from = i;
      let to = i;
      // Whole elements until there are enough of them.
      while (i < end && i - from < BATCH) {
        to = pastValue(i);
        if (to === i) cutOff(i);
        i = space(to);
        if (i < end) {
          if (bytes[i] !== COMMA) cutOff(i);
          i = space(i + 1);
          if (i >= end) cutOff(i);
        }
      }
      const items = parse(`[${textOf(from, to, 'a feature')}]`, from - 1) as unknown[];
      yield { items, share: i / n };
    }
  }
  // A name like __proto__ is a name like any other.
  return { root: Object.fromEntries(members), batches, listed: found !== null };
}
