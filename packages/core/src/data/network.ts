import { HelkError } from '../errors';
import { featureLength } from './measure';
import { featureCount, type Column, type Features } from './features';
import { numberColumn } from './table';
import type { Timetable } from './timetable';

/** Ways of going along streets. */
export const MODES = ['walk', 'bicycle', 'car'] as const;
export type Mode = (typeof MODES)[number];

/** Seconds along each piece from its beginning to its end, and back; Infinity where that is not allowed. */
export interface Seconds {
  there: Float64Array;
  back: Float64Array;
}

/**
 * Streets that join: pieces between nodes. A piece is a line from its first node to its last; it keeps the columns of the street it is of.
 */
export interface Network {
  kind: 'network';
  /** Lines of one part, in the order of the numbers below; their system is that of the network. */
  pieces: Features;
  /** x, y of the nodes. */
  nodes: Float64Array;
  from: Uint32Array;
  to: Uint32Array;
  /** Metres. */
  length: Float64Array;
  seconds: Record<Mode, Seconds>;
  /** When and where public transport goes; its stops are come to on foot. */
  timetable?: Timetable;
}

/** Columns of a network that is written as lines, in their order. */
const ENDS = ['from', 'to', 'length'] as const;
const TIMES = MODES.flatMap((m) => [m, `${m}Back`]);
const RESERVED = new Set<string>([...ENDS, ...TIMES]);

export const pieceCount = (n: Pick<Network, 'from'>): number => n.from.length;
export const nodeCount = (n: Pick<Network, 'nodes'>): number => n.nodes.length / 2;

/** Whether columns are those of a network that was written as lines. */
export const isNetwork = (columns: readonly Pick<Column, 'name' | 'type'>[]): boolean =>
  [...RESERVED].every((name) => columns.some((c) => c.name === name && c.type === 'number'));

/**
 * A network as lines with columns: id and what streets had, then `from` and `to` (nodes, numbered from 1), `length` in metres, and seconds each way a
 * mode, missing where it is not allowed.
 */
export function networkLines(n: Network): Features {
  const count = pieceCount(n);
  const [id, ...others] = [...n.pieces.columns].sort((a, b) => Number(b.name === 'id') - Number(a.name === 'id'));
  const seconds = (name: string, values: Float64Array): Column =>
    numberColumn(
      name,
      values.map((v) => (v < Infinity ? v : NaN)),
      's',
    );
  const shifted = (v: Uint32Array): Float64Array => Float64Array.from(v, (k) => k + 1);
  const columns = [
    ...(id?.name === 'id'
      ? [id]
      : [
          numberColumn(
            'id',
            Float64Array.from({ length: count }, (_, i) => i + 1),
          ),
        ]),
    numberColumn('from', shifted(n.from)),
    numberColumn('to', shifted(n.to)),
    numberColumn('length', n.length, 'm'),
    ...MODES.flatMap((m) => [seconds(m, n.seconds[m].there), seconds(`${m}Back`, n.seconds[m].back)]),
    ...(id && id.name !== 'id' ? [id] : []),
    ...others,
  ];
  return { ...n.pieces, columns };
}

/**
 * A network out of lines with its columns. Its nodes lie where its pieces end.
 *
 * @throws HelkError `file.damaged` for lines that are none: without ends, with a negative time, or with two ends of one node apart
 */
export function networkOf(f: Features): Network {
  const count = featureCount(f);
  const wrong = (row: number, what: string): HelkError =>
    new HelkError('file.damaged', `It is written as a network, but ${what} (row ${row + 1}).`);
  const numbers = (name: string): Float64Array => {
    const c = f.columns.find((o) => o.name === name && o.type === 'number');
    if (!c) throw new HelkError('file.damaged', `A network needs the column "${name}".`);
    return c.values as Float64Array;
  };
  if (f.geometry !== 'line') throw new HelkError('file.damaged', 'A network is written as lines.');
  const names = new Map<number, number>();
  const nodes: number[] = [];
  const ends = [numbers('from'), numbers('to')] as const;
  const [from, to] = [new Uint32Array(count), new Uint32Array(count)];
  for (let i = 0; i < count; i++) {
    const part = f.featureOffsets[i]!;
    if (f.featureOffsets[i + 1]! !== part + 1) throw wrong(i, 'a piece is not one line');
    const [a, b] = [f.ringOffsets[f.partOffsets[part]!]!, f.ringOffsets[f.partOffsets[part]! + 1]! - 1];
    if (b <= a) throw wrong(i, 'a piece has no two corners');
    [from, to].forEach((side, k) => {
      const name = ends[k]![i]!;
      if (!Number.isInteger(name)) throw wrong(i, `"${k ? 'to' : 'from'}" names no node`);
      const at = 2 * (k ? b : a);
      const known = names.get(name);
      if (known === undefined) {
        names.set(name, nodes.length / 2);
        side[i] = nodes.length / 2;
        nodes.push(f.xy[at]!, f.xy[at + 1]!);
        return;
      }
      side[i] = known;
      const slack = 1e-6 * Math.max(1, Math.abs(f.xy[at]!), Math.abs(f.xy[at + 1]!));
      if (Math.abs(nodes[2 * known]! - f.xy[at]!) > slack || Math.abs(nodes[2 * known + 1]! - f.xy[at + 1]!) > slack)
        throw wrong(i, `its end does not lie where node ${name} does`);
    });
  }
  const length = numbers('length').slice();
  for (let i = 0; i < count; i++) if (!(length[i]! >= 0)) throw wrong(i, 'a length is none');
  const times = (name: string): Float64Array => {
    const c = f.columns.find((o) => o.name === name)!;
    return Float64Array.from(c.values as Float64Array, (v, i) => {
      if (c.missing?.[i] || v !== v) return Infinity;
      if (!(v >= 0)) throw wrong(i, `"${name}" is below 0`);
      return v;
    });
  };
  for (const name of TIMES) numbers(name);
  return {
    kind: 'network',
    pieces: { ...f, columns: f.columns.filter((c) => !RESERVED.has(c.name)) },
    nodes: Float64Array.from(nodes),
    from,
    to,
    length,
    seconds: Object.fromEntries(
      MODES.map((m) => [m, { there: times(m), back: times(`${m}Back`) }]),
    ) as Network['seconds'],
  };
}

/** First and last coordinate of a piece, by number. */
export function pieceCorners({ pieces }: Pick<Network, 'pieces'>, i: number): [first: number, last: number] {
  const ring = pieces.partOffsets[pieces.featureOffsets[i]!]!;
  return [pieces.ringOffsets[ring]!, pieces.ringOffsets[ring + 1]! - 1];
}

/** Lengths of all lines, m. */
export const lengthsOf = (f: Features): Float64Array =>
  Float64Array.from({ length: featureCount(f) }, (_, i) => featureLength(f, i));
