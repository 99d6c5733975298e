import { dataOf, FeaturesBuilder, featuresIn, parseCrs, Random, transformer, type Features } from '@helk/core';
import { timeOfSeconds } from '@helk/core/data/gtfs-spec';

import { methodOf } from '@helk/core/method/registry';
import { runMethod } from '@helk/core/method/run';
import { zipSync } from 'fflate';
import { SEED, type Landscape } from './landscape';
import { names } from './people';
import { makeStreets } from './streets';

/** Metres a second between stops, and what a stop takes, s. */
const SPEED = 26 / 3.6;
const STOP = 20;
/** Between stops, m. */
const APART = 430;
/** Seconds between buses of each line on working days, and at weekends. */
const EVERY = [1200, 1200, 1800, 1800, 2400, 3600];
const WEEKEND = [1800, 1800, 3600, 3600, 4800, 7200];
const MODES = { from: '2026-09-01', to: '2026-12-20' };

interface Stop {
  id: string;
  name: string;
  x: number;
  y: number;
}

/**
 * The timetable of six bus lines from the market to hamlets, as GTFS: working days and weekends, a holiday in October, late buses after midnight, one
 * line that goes at equal intervals, a time to change at the market. Runs along the streets as cars do, so the ways there and back part at the ring.
 */
export async function makeBuses(land: Landscape, seed = SEED): Promise<Uint8Array> {
  const random = new Random(seed + 81);
  const { features, centre, hamlets } = makeStreets(land, seed);
  const o = await runMethod(
    methodOf('network.build'),
    { streets: [features] },
    { speedColumn: 'speed', classColumn: 'class', onewayColumn: 'oneway' },
  );
  const network = dataOf('network', o.outputs[0]!.data)!;
  const between = async (a: [number, number], b: [number, number]): Promise<Features> => {
    const f = new FeaturesBuilder();
    for (const [x, y] of [a, b]) f.point(x, y);
    const stops = f.build('point', land.grid.crs, []);
    const r = await runMethod(methodOf('network.route'), { network: [network], stops: [stops] }, { mode: 'car' });
    return dataOf('features', r.outputs[0]!.data)!;
  };
  const title = names(new Random(seed + 82), 200);
  const stops: Stop[] = [];
  const stopAt = (x: number, y: number, name: string | null): Stop => {
    const near = stops.find((s) => Math.hypot(s.x - x, s.y - y) < 70);
    if (near) return near;
    const s = { id: `S${String(stops.length + 1).padStart(3, '0')}`, name: name ?? title[stops.length]!, x, y };
    stops.push(s);
    return s;
  };
  stopAt(...centre, 'Market');
  const rows = {
    routes: [] as string[],
    trips: [] as string[],
    times: [] as string[],
    shapes: [] as string[],
    frequencies: [] as string[],
  };
  const degrees = parseCrs('EPSG:4326');
  for (let line = 0; line < EVERY.length; line++) {
    // The farthest hamlets have a line each.
    const h = hamlets[line]!;
    const name = String(line + 1);
    rows.routes.push(`L${name},C,${name},Market to ${h.name},3`);
    for (const direction of [0, 1] as const) {
      const way = await between(...(direction === 0 ? ([centre, h.at] as const) : ([h.at, centre] as const)));
      const shape = `P${name}${direction}`;
      const lonLat = featuresIn(way, degrees);
      for (let i = 0; i < lonLat.xy.length / 2; i++)
        rows.shapes.push(`${shape},${lonLat.xy[2 * i + 1]!.toFixed(6)},${lonLat.xy[2 * i]!.toFixed(6)},${i + 1}`);
      const calls = callsAlong(way, (x, y, end) => stopAt(x, y, end ? (direction === 0 ? h.name : 'Market') : null));
      const offsets = calls.map((c, k) => Math.round((c.metres / SPEED + k * STOP) / 10) * 10);
      const head = direction === 0 ? h.name : 'Market';
      const add = (id: string, service: string, start: number): void => {
        rows.trips.push(`L${name},${service},${id},${head},${direction},${shape}`);
        calls.forEach((c, k) => {
          const arrive = start + offsets[k]!;
          const depart = k === 0 || k === calls.length - 1 ? arrive : arrive + STOP;
          rows.times.push(`${id},${timeOfSeconds(arrive)},${timeOfSeconds(depart)},${c.stop.id},${k + 1}`);
        });
      };
      const first = 5.5 * 3600 + 60 * Math.floor(10 * random.uniform()) + direction * 600;
      if (line === 5) {
        // The farthest goes at equal intervals.
        add(`${shape}w`, 'work', first);
        add(`${shape}e`, 'weekend', first + 3600);
        rows.frequencies.push(
          `${shape}w,06:10:00,20:00:00,${EVERY[line]!}`,
          `${shape}e,08:10:00,18:30:00,${WEEKEND[line]!}`,
        );
        continue;
      }
      let n = 0;
      for (let t = first; t < 23 * 3600; t += EVERY[line]!) add(`${shape}w${n++}`, 'work', t);
      // The last leaves after midnight.
      if (line < 2) add(`${shape}w${n++}`, 'work', 24 * 3600 + 900 + 300 * line);
      for (let t = first + 7200; t < 22 * 3600; t += WEEKEND[line]!) add(`${shape}e${n++}`, 'weekend', t);
    }
  }
  const go = transformer(land.grid.crs!, degrees);
  const at = [0, 0];
  const stopRows = stops.map((s) => {
    go(s.x, s.y, at);
    return `${s.id},${s.name},${at[1]!.toFixed(6)},${at[0]!.toFixed(6)}`;
  });
  const day = (d: string): string => d.replaceAll('-', '');
  const files: Record<string, string[]> = {
    agency: [
      'agency_id,agency_name,agency_url,agency_timezone',
      'C,Veyra Council Buses,https://buses.example.org,Etc/UTC',
    ],
    stops: ['stop_id,stop_name,stop_lat,stop_lon', ...stopRows],
    routes: ['route_id,agency_id,route_short_name,route_long_name,route_type', ...rows.routes],
    trips: ['route_id,service_id,trip_id,trip_headsign,direction_id,shape_id', ...rows.trips],
    stop_times: ['trip_id,arrival_time,departure_time,stop_id,stop_sequence', ...rows.times],
    calendar: [
      'service_id,monday,tuesday,wednesday,thursday,friday,saturday,sunday,start_date,end_date',
      `work,1,1,1,1,1,0,0,${day(MODES.from)},${day(MODES.to)}`,
      `weekend,0,0,0,0,0,1,1,${day(MODES.from)},${day(MODES.to)}`,
    ],
    calendar_dates: ['service_id,date,exception_type', 'work,20261028,2', 'weekend,20261028,1'],
    shapes: ['shape_id,shape_pt_lat,shape_pt_lon,shape_pt_sequence', ...rows.shapes],
    frequencies: ['trip_id,start_time,end_time,headway_secs', ...rows.frequencies],
    transfers: ['from_stop_id,to_stop_id,transfer_type,min_transfer_time', `${stops[0]!.id},${stops[0]!.id},2,60`],
  };
  return zipSync(
    Object.fromEntries(
      Object.entries(files).map(([file, all]) => [
        `${file}.txt`,
        [new TextEncoder().encode(`${all.join('\r\n')}\r\n`), { mtime: '1980-01-01' }],
      ]),
    ),
  );
}

/** Where a bus stops along its way: at both ends, and about every so many metres between. */
function callsAlong(
  way: Features,
  stopAt: (x: number, y: number, end: boolean) => Stop,
): { stop: Stop; metres: number }[] {
  const { xy } = way;
  const n = xy.length / 2;
  const before = new Float64Array(n);
  for (let i = 1; i < n; i++)
    before[i] = before[i - 1]! + Math.hypot(xy[2 * i]! - xy[2 * i - 2]!, xy[2 * i + 1]! - xy[2 * i - 1]!);
  const all = before[n - 1]!;
  const parts = Math.max(1, Math.round(all / APART));
  const out: { stop: Stop; metres: number }[] = [];
  for (let k = 0; k <= parts; k++) {
    const m = (all * k) / parts;
    let i = 0;
    while (i < n - 2 && before[i + 1]! < m) i++;
    const t = before[i + 1]! > before[i]! ? (m - before[i]!) / (before[i + 1]! - before[i]!) : 0;
    const [x, y] = [
      xy[2 * i]! + t * (xy[2 * i + 2]! - xy[2 * i]!),
      xy[2 * i + 1]! + t * (xy[2 * i + 3]! - xy[2 * i + 1]!),
    ];
    // At the far end the name is the hamlet's; there may be a stop of another line close by.
    const stop = stopAt(x, y, k === parts && m > 0);
    if (out.at(-1)?.stop !== stop) out.push({ stop, metres: m });
  }
  return out;
}
