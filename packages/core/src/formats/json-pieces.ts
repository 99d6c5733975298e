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
  const space = (at: number): number => {
    while (at < n && (bytes[at] === 32 || bytes[at] === 10 || bytes[at] === 13 || bytes[at] === 9)) at++;
    return at;
  };
  /** Behind the closing quote of the string that opens at `at`. */
  const pastString = (at: number): number => {
    for (let i = at + 1; i < n; i++) {
      const c = bytes[i];
      if (c === BACKSLASH) i++;
      else if (c === QUOTE) return i + 1;
    }
    return cutOff(n);
  };
  /** Behind the value that begins at `at`. Brackets are counted, not matched: parsing does that. */
  const pastValue = (at: number): number => {
    let depth = 0;
    for (let i = at; i < n; i++) {
      const c = bytes[i]!;
      if (c === QUOTE) {
        i = pastString(i) - 1;
        if (depth === 0) return i + 1;
      } else if (c === 0x5b || c === 0x7b) {
        if (++depth > DEEPEST)
          throw new HelkError(
            'file.unsupported',
            `"${name}" nests values more than ${DEEPEST} deep (at byte ${i}); no data are like that.`,
            name,
          );
      } else if (c === 0x5d || c === 0x7d) {
        if (depth === 0) return i;
        if (--depth === 0) return i + 1;
      } else if (depth === 0 && (c === COMMA || c <= 32)) return i;
    }
    return depth ? cutOff(n) : n;
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
