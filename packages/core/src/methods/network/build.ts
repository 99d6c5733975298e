import * as z from 'zod';
import { HelkError } from '../../errors';
import { plural, type Check } from '../../data/check';
import { metresPerUnit } from '../../data/crs';
import { featureCount, featuresIn, takeColumn, type Column, type Features } from '../../data/features';
import { lengthsOf, MODES, type Mode, type Network, type Seconds } from '../../data/network';
import { networkInfo, STOP_REACH, type NetworkInfo } from '../../data/network-facts';
import { percentOf } from '../../data/number-words';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import type { Job } from '../../method/job';
import { choice, column, quantity, text } from '../../method/params';
import { weakComponents } from '../../numeric/graph';
import { joinStreets, type Chains } from '../../numeric/street-net';
import { nodesIn, planeOf } from './common';
import { walkedOver } from './gradient';
import { Rights } from './rights';
import { USUAL_SPEED } from './street-classes';

const of = { of: 'streets' };
const speed = (label: string, help?: string) =>
  quantity('speed', { label, unit: 'km/h', above: 0, max: 400, ...(help ? { help } : {}) });
export const build = defineMethod({
  id: 'network.build',
  version: 1,
  title: 'Network of streets',
  question: 'Which streets join where?',
  about:
    'Joins lines into a network. Ends within the tolerance of each other are one node, and a line is cut where another ends on it; with crossings also where it crosses another or has a corner in common with it. Cars go as fast as a column says, else as their class does, else as given; who may go where is said by columns, else by the class (no cars on paths, nobody on foot on motorways). One-way rules hold for cars and bicycles, not on foot. With an elevation walking takes its slopes into account (Tobler 1993, scaled to the walking speed on level ground). A piece that lies on an earlier one and allows nothing more is left out. With a timetable its stops are come to on foot, from the nearest street within 100 m. Speeds of classes are common practice, without a source; those that were taken are noted.',
  keywords: ['graph', 'topology', 'road network', 'routing', 'one-way', 'junction', 'street network'],
  sources: [
    'Tarjan 1972, doi:10.1137/0201010 (what reaches each other)',
    'Tobler 1993, NCGIA report 93-1 (walking on slopes)',
  ],
  inputs: {
    streets: input.features({ label: 'Streets', geometry: 'line' }),
    timetable: input.timetable({
      label: 'Timetable',
      least: 0,
      eager: true,
      help: 'A GTFS feed: for ways by public transport.',
    }),
    elevation: { ...input.raster({ label: 'Elevation', band: 'measure', unit: 'length' }), least: 0 as const },
  },
  params: z.object({
    speedColumn: column({
      ...of,
      label: 'Column of car speeds',
      numeric: true,
      help: 'In km/h, or the unit of the column.',
    }).optional(),
    classColumn: column({ ...of, label: 'Column of classes' }).optional(),
    onewayColumn: column({ ...of, label: 'Column of one-way rules', help: 'yes, no or reverse.' }).optional(),
    walkColumn: column({
      ...of,
      label: 'Column of who may walk',
      help: 'yes or no; empty: as the class says.',
    }).optional(),
    bicycleColumn: column({ ...of, label: 'Column of who may cycle' }).optional(),
    carColumn: column({ ...of, label: 'Column of who may drive' }).optional(),
    classSpeeds: text({
      label: 'Car speeds by class',
      help: 'Like primary 70; lane 30; path none (km/h); others as usual.',
    }).optional(),
    walkSpeed: speed('Walking').prefault(4.8),
    bicycleSpeed: speed('Cycling').prefault(16),
    carSpeed: speed(
      'Driving elsewhere',
      `Where neither a column nor a class says a speed; ${USUAL_SPEED} km/h.`,
    ).optional(),
    snap: quantity('length', { label: 'Join ends within', unit: 'm', min: 0 }).default(1),
    split: choice(
      { atEnds: 'where a line ends on it', atCrossings: 'and where lines cross' },
      { label: 'Cut lines' },
    ).default('atEnds'),
    idColumn: column({ ...of, label: 'Column that names streets' }).optional(),
  }),
  outputs: { network: output.network('Network') },
  figures: {
    nodes: { label: 'Nodes' },
    edges: { label: 'Pieces of streets' },
    length: { label: 'Length', unit: 'm' },
    components: { label: 'Parts' },
    largestShare: { label: 'In the largest part', unit: 'share' },
    deadEnds: { label: 'Dead ends' },
  },
  checks: ({ streets }): Check[] => [
    ...(streets.crs?.geographic
      ? [
          {
            level: 'look' as const,
            code: 'crs.degrees',
            about: 'streets',
            message:
              'The streets are in degrees: they are joined in a plane about their middle, and lengths are geodesic.',
            mend: {
              label: 'Project them first',
              run: { method: 'features.reproject', role: 'features', input: 'streets' },
            },
          },
        ]
      : []),
    ...(streets.count === 0
      ? [{ level: 'refused' as const, code: 'network.none', about: 'streets', message: 'There is no line among them.' }]
      : []),
  ],
  suggest: ({ streets }) =>
    Object.fromEntries(
      Object.entries(LIKELY).flatMap(([param, names]) => {
        const found = streets.columns.find(
          (c) => names.test(c.name) && (param !== 'speedColumn' || c.type === 'number'),
        );
        return found ? [[param, { value: found.name, reason: 'its name says so' }]] : [];
      }),
    ),
  estimate: ({ streets }) => ({
    cells: streets.count,
    of: 'streets',
    bytes: streets.count * 3000,
    seconds: streets.count / 40_000,
  }),
  run: ({ streets: given, elevation, timetable }, p, job) => {
    const plane = planeOf(given);
    const streets = featuresIn(given, plane);
    const metres = plane ? metresPerUnit(plane) : 1;
    const { chains, rows } = chainsOf(streets);
    if (!rows.length) throw new HelkError('method.input', 'No street has two corners.', 'streets');
    const net = joinStreets(chains, p.snap / metres, p.split === 'atCrossings', (s) =>
      job.progress(0.6 * s, 'joining'),
    );
    job.progress(0.65, 'speeds');
    const rights = new Rights(streets, p, job);
    const street = Uint32Array.from(net.chain, (c) => rows[c]!);
    const flat = linesOf(net, streets);
    const lines = featuresIn(flat, given.crs);
    net.nodes = nodesIn(net.nodes, plane, given.crs);
    net.xy = lines.xy;
    const length = lengthsOf(lines);
    const all: Record<Mode, Seconds> = { walk: empty(length), bicycle: empty(length), car: empty(length) };
    for (let i = 0; i < length.length; i++)
      for (const m of MODES) {
        const { there, back } = rights.speeds(street[i]!, m);
        all[m].there[i] = there > 0 ? length[i]! / there : Infinity;
        all[m].back[i] = back > 0 ? length[i]! / back : Infinity;
      }
    if (elevation) {
      job.progress(0.75, 'slopes');
      const { there, back, lacking } = walkedOver(flat, length, elevation, p.walkSpeed, metres);
      const slowed = (level: Float64Array, v: Float64Array): Float64Array =>
        level.map((s, i) => (s < Infinity ? v[i]! : s));
      all.walk = { there: slowed(all.walk.there, there), back: slowed(all.walk.back, back) };
      if (lacking > 0)
        job.note(
          'look',
          'network.heights',
          `Of ${percentOf(lacking, 2)} % of the length no height is known; it counts as level.`,
        );
    }
    const keep = withoutTwins(net, all);
    if (keep.length < length.length)
      job.note(
        'look',
        'network.doubled',
        `${plural(length.length - keep.length, 'piece')} lay on another that allows as much, and ${length.length - keep.length === 1 ? 'is' : 'are'} left out.`,
      );
    if (net.specks)
      job.note('info', 'network.specks', `${plural(net.specks, 'piece')} shorter than the tolerance came to nothing.`);
    rights.tell(length, street);
    job.progress(0.85, 'describing');
    const network = {
      ...chosen(net, lines, length, all, keep, street, streets, p.idColumn, rights),
      ...(timetable ? { timetable } : {}),
    };
    const info = networkInfo(network);
    if (info.traps.count)
      job.note(
        'look',
        'network.traps',
        `A car cannot come to ${plural(info.traps.count, 'node')}, or cannot leave ${info.traps.count === 1 ? 'it' : 'them'}.`,
      );
    tellOfStops(info, job);
    return {
      network,
      figures: {
        nodes: info.nodes,
        edges: info.pieces,
        length: info.length,
        components: info.components,
        largestShare: info.largestShare,
        deadEnds: info.deadEnds,
      },
    };
  },
});

/** How many stops are come to from the streets, and what of the timetable is not looked at. */
function tellOfStops({ timetable }: NetworkInfo, job: Pick<Job, 'note'>): void {
  if (!timetable) return;
  const { apart, stops } = timetable;
  job.note(
    apart ? 'look' : 'info',
    'network.stops',
    apart === stops
      ? `None of the ${plural(stops, 'stop')} lies within ${STOP_REACH} m of a street: do both lie in the same place?`
      : apart
        ? `${plural(apart, 'stop')} of ${stops} ${apart === 1 ? 'lies' : 'lie'} more than ${STOP_REACH} m from any street one may walk along: nobody gets on or off there.`
        : `All ${plural(stops, 'stop')} lie within ${STOP_REACH} m of a street.`,
  );
}

/** Names that columns of streets usually have. */
const LIKELY: Record<string, RegExp> = {
  speedColumn: /^(max)?_?speed(_?kmh)?$|^tempo$/i,
  classColumn: /^(class|highway|road_?class|street_?class|fclass|kind)$/i,
  onewayColumn: /^one_?way$/i,
  walkColumn: /^(walk|foot)$/i,
  bicycleColumn: /^(bicycle|bike|cycle)$/i,
  carColumn: /^(car|motor|motorcar|motor_?vehicle)$/i,
};

const empty = (length: Float64Array): Seconds => ({
  there: new Float64Array(length.length).fill(Infinity),
  back: new Float64Array(length.length).fill(Infinity),
});

/** Parts of lines one after the other, corners that follow on themselves once; the street of each. */
function chainsOf(f: Features): { chains: Chains; rows: number[] } {
  const xy: number[] = [];
  const offsets = [0];
  const rows: number[] = [];
  for (let i = 0; i < featureCount(f); i++)
    for (let r = f.partOffsets[f.featureOffsets[i]!]!; r < f.partOffsets[f.featureOffsets[i + 1]!]!; r++) {
      const start = xy.length;
      for (let c = f.ringOffsets[r]!; c < f.ringOffsets[r + 1]!; c++) {
        const [x, y] = [f.xy[2 * c]!, f.xy[2 * c + 1]!];
        if (xy.length > start && xy[xy.length - 2] === x && xy[xy.length - 1] === y) continue;
        xy.push(x, y);
      }
      if (xy.length - start < 4) {
        xy.length = start;
        continue;
      }
      offsets.push(xy.length / 2);
      rows.push(i);
    }
  return { chains: { xy: Float64Array.from(xy), offsets: Uint32Array.from(offsets) }, rows };
}

type Joined = ReturnType<typeof joinStreets>;

const linesOf = (net: Joined, streets: Features): Features => {
  const steps = Uint32Array.from({ length: net.from.length + 1 }, (_, i) => i);
  return {
    kind: 'features',
    crs: streets.crs,
    geometry: 'line',
    xy: net.xy,
    ringOffsets: net.offsets,
    partOffsets: steps,
    featureOffsets: steps,
    columns: [],
  };
};

/** Pieces that allow more than an earlier one on which they lie, and those that lie on none. */
function withoutTwins(net: Joined, all: Record<Mode, Seconds>): number[] {
  const keep: number[] = [];
  for (let i = 0; i < net.from.length; i++) {
    const o = net.twin[i]!;
    if (o < 0) {
      keep.push(i);
      continue;
    }
    const same = net.from[o] === net.from[i];
    const adds = MODES.some((m) => {
      const { there, back } = all[m];
      return there[i]! < (same ? there : back)[o]! || back[i]! < (same ? back : there)[o]!;
    });
    if (adds) keep.push(i);
  }
  return keep;
}

function chosen(
  net: Joined,
  lines: Features,
  length: Float64Array,
  all: Record<Mode, Seconds>,
  keep: readonly number[],
  street: Uint32Array,
  streets: Features,
  idColumn: string | undefined,
  rights: Rights,
): Network {
  const ringOffsets = new Uint32Array(keep.length + 1);
  keep.forEach((i, k) => (ringOffsets[k + 1] = ringOffsets[k]! + net.offsets[i + 1]! - net.offsets[i]!));
  const xy = new Float64Array(2 * ringOffsets[keep.length]!);
  keep.forEach((i, k) => xy.set(net.xy.subarray(2 * net.offsets[i]!, 2 * net.offsets[i + 1]!), 2 * ringOffsets[k]!));
  const steps = Uint32Array.from({ length: keep.length + 1 }, (_, i) => i);
  const rows = keep.map((i) => street[i]!);
  const some = (v: Float64Array): Float64Array => Float64Array.from(keep, (i) => v[i]!);
  const [from, to] = [Uint32Array.from(keep, (i) => net.from[i]!), Uint32Array.from(keep, (i) => net.to[i]!)];
  const id = streets.columns.find((c) => c.name === idColumn);
  const columns: Column[] = [
    id
      ? { ...takeColumn(id, rows), name: 'id' }
      : numberColumn(
          'id',
          rows.map((r) => r + 1),
        ),
    ...streets.columns.filter((c) => !TAKEN.has(c.name) && c.name !== idColumn).map((c) => takeColumn(c, rows)),
    numberColumn(
      'drivenAt',
      rows.map((r) => rights.driven(r)),
      'km/h',
    ),
    numberColumn('part', partsBySize(net.nodes.length / 2, from, to, some(length))),
  ];
  return {
    kind: 'network',
    pieces: { ...lines, xy, ringOffsets, partOffsets: steps, featureOffsets: steps, columns },
    nodes: net.nodes,
    from,
    to,
    length: some(length),
    seconds: Object.fromEntries(
      MODES.map((m) => [m, { there: some(all[m].there), back: some(all[m].back) }]),
    ) as Network['seconds'],
  };
}

/** Names that a network writes itself. */
const TAKEN = new Set(['id', 'from', 'to', 'length', 'drivenAt', 'part', ...MODES.flatMap((m) => [m, `${m}Back`])]);

/** The part that each piece is of, 1 for the longest. */
function partsBySize(nodes: number, from: Uint32Array, to: Uint32Array, length: Float64Array): number[] {
  const { of: part, count } = weakComponents(nodes, from, to);
  const sizes = new Float64Array(count);
  for (let i = 0; i < from.length; i++) sizes[part[from[i]!]!]! += length[i]!;
  const rank = new Uint32Array(count);
  [...sizes.keys()].sort((a, b) => sizes[b]! - sizes[a]! || a - b).forEach((c, k) => (rank[c] = k + 1));
  return Array.from(from, (v) => rank[part[v]!]!);
}
