import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { strToU8, unzipSync, zipSync } from 'fflate';
import { setupNode } from '@helk/node';
import { dataOf, handleOn, kindOf } from '../data/kinds';
import { dayOf, secondsOfTime, weekdayOf } from '../data/gtfs-spec';
import { Clocks, momentOf } from '../data/moment';
import type { Timetable } from '../data/timetable';
import { callsOf, runsOn } from '../data/timetable-calls';
import { timetableInfo } from '../data/timetable-facts';
import { timetableLines } from '../data/timetable-lines';
import { HelkError } from '../errors';
import { Random } from '../numeric/random';
import { refusalOf } from '../testing';
import { packTimetable, unpackTimetable } from './timetable-binary';
import { readFile } from './index';
import { writeDataset } from './write';

setupNode();

/** The example feed of the package sample-gtfs-feed 0.13 (ISC), an invented town whose files are described in its readme. */
const sample = (): Uint8Array =>
  new Uint8Array(readFileSync(createRequire(import.meta.url).resolve('sample-gtfs-feed/gtfs.zip')));

const FILES: Record<string, string> = {
  agency: 'agency_name,agency_url,agency_timezone\nBoats,https://example.org,Etc/UTC',
  stops: 'stop_id,stop_name,stop_lat,stop_lon\na,Quay,58.2,-20.4\nb,Mill,58.21,-20.4\nc,Head,58.22,-20.41',
  routes: 'route_id,route_short_name,route_type\nr,7,3',
  trips: 'route_id,service_id,trip_id\nr,all,t\nr,all,u',
  stop_times:
    'trip_id,arrival_time,departure_time,stop_id,stop_sequence\nt,23:50:00,23:50:00,a,1\nt,,,b,2\nt,24:30:00,24:30:00,c,3\nu,8:00:00,8:00:00,c,1\nu,8:10:00,8:10:00,a,2',
  calendar:
    'service_id,monday,tuesday,wednesday,thursday,friday,saturday,sunday,start_date,end_date\nall,1,1,1,1,1,0,0,20260907,20260918',
};
const zipped = (over: Record<string, string | null> = {}): Uint8Array =>
  zipSync(
    Object.fromEntries(
      Object.entries({ ...FILES, ...over }).flatMap(([k, v]) => (v === null ? [] : [[`${k}.txt`, strToU8(v)]])),
    ),
  );
const read = async (bytes: Uint8Array): Promise<Timetable> =>
  dataOf('timetable', (await readFile('boats.zip', bytes)).layers[0]!.data)!;
const readMangled = (files: Record<string, string>): Promise<Timetable> => read(zipped(files));
const faults = async (over: Record<string, string | null>): Promise<string[]> =>
  (await read(zipped(over))).faults.map((f) => `${f.file} ${f.row} ${f.column}: ${f.message}`);

describe('timetables (GTFS)', () => {
  it('are read from the example feed with what its files hold', async () => {
    const { layers } = await readFile('sample.zip', sample());
    expect(layers.length).toBe(1);
    const t = dataOf('timetable', layers[0]!.data)!;
    const info = timetableInfo(t);
    expect([info.stops, info.lines, info.trips]).toEqual([10, 4, 10]);
    expect(info.agencies).toContain('Full Transit Agency');
    expect([info.first, info.last]).toEqual(['2019-03-01', '2019-08-20']);
    const c = callsOf(t);
    const on = (service: string, date: string): boolean =>
      runsOn(
        c.services.find((s) => s.id === service)!,
        dayOf(date),
      );
    // calendar.txt and calendar_dates.txt of the feed.
    expect(on('on-working-days', '2019-05-01')).toBeFalse();
    expect(on('on-weekends', '2019-06-15')).toBeTrue();
    expect(on('all-day', '2019-07-15')).toBeFalse();
    expect(on('all-day', '2019-07-14')).toBeTrue();
    // b-downtown-on-working-days: 08:00 to 08:59 every 300 s are 12 departures.
    const trip = c.trips.findIndex((x) => x.id === 'b-downtown-on-working-days');
    expect(c.headways.get(trip)).toEqual([{ start: 28_800, end: 32_340, headway: 300 }]);
    // transfers.txt: the one at the airport is timed, so it takes no time.
    const stop = (id: string): number => c.stops.findIndex((s) => s.id === id);
    expect(c.transfers).toContain({ from: stop('airport-1'), to: stop('airport-2'), seconds: 0 });
  });

  it('count times from noon less twelve hours, whatever clocks do', () => {
    expect(secondsOfTime('25:35:00')).toBe(92_100);
    expect(secondsOfTime('8:05:09')).toBe(29_109);
    expect(secondsOfTime('8:5')).toBeNaN();
    const berlin = new Clocks('Europe/Berlin');
    // On 31 March 2019 clocks went from 02:00 to 03:00: noon less twelve hours is 23:00 of the day before.
    const day = dayOf('20190331');
    expect(new Date(berlin.serviceStart(day) * 1000).toISOString()).toBe('2019-03-30T22:00:00.000Z');
    expect(new Date(berlin.instant(momentOf('2019-03-31 08:10')) * 1000).toISOString()).toBe(
      '2019-03-31T06:10:00.000Z',
    );
    expect(weekdayOf(day)).toBe(6);
    expect(Clocks.known('Nowhere/Town')).toBeFalse();
  });

  it('work out times between time points, and trips past midnight', async () => {
    const t = await read(zipped());
    expect(t.faults).toEqual([]);
    const c = callsOf(t);
    expect(Array.from(c.arrive.slice(0, 3))).toEqual([85_800, 87_000, 88_200]);
    const info = timetableInfo(t);
    expect([info.first, info.last, info.perDay.length]).toEqual(['2026-09-07', '2026-09-18', 12]);
    expect(info.perDay.slice(0, 7)).toEqual([2, 2, 2, 2, 2, 0, 0]);
  });

  it('are drawn as stretches from stop to stop, along shapes where there are any', async () => {
    const shaped = {
      trips: 'route_id,service_id,trip_id,shape_id\nr,all,t,s',
      stop_times: `${FILES['stop_times']!.split('\nu,')[0]}`,
      shapes:
        'shape_id,shape_pt_lat,shape_pt_lon,shape_pt_sequence\ns,58.2,-20.4,1\ns,58.205,-20.39,2\ns,58.21,-20.4,5\ns,58.22,-20.41,9',
    };
    const lines = timetableLines(await read(zipped(shaped)));
    expect(lines.columns.find((c) => c.name === 'from')!.values as string[]).toEqual(['Quay', 'Mill']);
    expect(Array.from(lines.xy.slice(0, 6))).toEqual([-20.4, 58.2, -20.39, 58.205, -20.4, 58.21]);
    expect(Array.from(timetableLines(await read(zipped())).ringOffsets)).toEqual([0, 2, 4, 6]);
  });

  it('are written as they were read, other files and columns too', async () => {
    for (const bytes of [sample(), zipped({ notes: 'who,what\nme,"a, b"' })]) {
      const t = await read(bytes);
      const again = await read(await writeDataset(t, 'gtfs'));
      expect(again).toEqual(t);
      expect(unpackTimetable(packTimetable(t))).toEqual(t);
    }
    const out = unzipSync(await writeDataset(await read(zipped()), 'gtfs'));
    expect(new TextDecoder().decode(out['stop_times.txt']).split('\r\n')[4]).toBe('u,08:00:00,08:00:00,c,1');
  });

  it('are refused where files or columns are missing, in words', async () => {
    expect((await refusalOf(read(zipped({ stop_times: null })))).message).toContain('without stop_times.txt');
    expect((await refusalOf(read(zipped({ calendar: null })))).message).toContain('calendar.txt or calendar_dates.txt');
    expect((await refusalOf(read(zipped({ trips: 'route_id,service_id\nr,all' })))).message).toContain(
      'trips.txt has no column trip_id',
    );
  });

  it('tell faults with their file, row and column', async () => {
    expect(await faults({ stop_times: FILES['stop_times']!.replace('8:10:00,8:10:00', '8:61:00,7:50:00') })).toEqual([
      'stop_times 6 arrival_time: "8:61:00" is no time (like 08:10:00)',
      'stop_times 6 arrival_time: times of trip "u" run backwards',
    ]);
    expect(
      await faults({ stop_times: FILES['stop_times']!.replace('8:10:00,8:10:00,a', '8:10:00,8:10:00,z') }),
    ).toEqual(['stop_times 6 stop_id: there is no "z" in stops.txt']);
    expect(await faults({ stop_times: FILES['stop_times']!.replace('a,2', 'a,1') })).toEqual([
      'stop_times 6 stop_sequence: trip "u" has the sequence 1 twice',
    ]);
    expect(await faults({ stops: FILES['stops']!.replace('58.21,', '158.21,') })).toEqual([
      'stops 3 stop_lat: stop "b" lies at 158.21, -20.4, which is nowhere on Earth',
    ]);
    expect(await faults({ routes: 'route_id,route_short_name,route_type\nr,7,3\nr,8,3' })).toEqual([
      'routes 3 route_id: it is there twice: r',
    ]);
    expect(await faults({ calendar: FILES['calendar']!.replace('1,1,1,1,1,0,0', '0,0,0,0,0,0,0') })).toEqual([
      'calendar null service_id: service "all" never runs',
    ]);
    expect(await faults({ trips: `${FILES['trips']}\nr,none,v` })).toEqual([
      'trips 4 service_id: trip "v" runs by service "none", which no calendar has',
    ]);
    expect(await faults({ trips: `${FILES['trips']}\nr,all,v` })).toEqual([
      'trips 4 trip_id: trip "v" calls at no stop',
    ]);
    expect(await faults({ frequencies: 'trip_id,start_time,end_time,headway_secs\nu,08:00:00,09:00:00,0' })).toEqual([
      'frequencies 2 headway_secs: headway_secs has to be more than 0',
    ]);
  });

  it('tell of long names in short, and are refused where they have hundreds of files', async () => {
    const t = await read(zipped({ trips: `${FILES['trips']}\nr,${'n'.repeat(5000)},v` }));
    expect(t.faults[0]!.message.length).toBe(300);
    // What there is to know of it fits into a project file.
    expect(kindOf(t).shape.safeParse(timetableInfo(t)).success).toBeTrue();
    const many = Object.fromEntries(Array.from({ length: 300 }, (_, k) => [`more${k}`, 'a\n1']));
    expect((await refusalOf(read(zipped(many)))).message).toContain('more than 200');
  });

  it('whose letters are mangled are refused in a sentence, or read with what is left', async () => {
    const r = new Random(7);
    const all: Record<string, string> = {
      ...FILES,
      frequencies: 'trip_id,start_time,end_time,headway_secs\nu,08:00:00,09:00:00,600',
      transfers: 'from_stop_id,to_stop_id,transfer_type,min_transfer_time\na,b,2,60',
      shapes: 'shape_id,shape_pt_lat,shape_pt_lon,shape_pt_sequence\ns,58.2,-20.4,1\ns,58.21,-20.4,2',
      calendar_dates: 'service_id,date,exception_type\nall,20260909,2',
    };
    const names = Object.keys(all);
    const letters = ',"\n0179:-.;xé ';
    let read = 0;
    for (let k = 0; k < 120; k++) {
      const files = { ...all };
      for (let n = 1 + Math.floor(3 * r.uniform()); n > 0; n--) {
        const name = names[Math.floor(names.length * r.uniform())]!;
        const at = Math.floor(files[name]!.length * r.uniform());
        const letter = letters[Math.floor(letters.length * r.uniform())]!;
        files[name] = files[name]!.slice(0, at) + letter + files[name]!.slice(at + Math.floor(2 * r.uniform()));
      }
      try {
        const t = await readMangled(files);
        read++;
        timetableInfo(t);
        expect(kindOf(t).flaw(t)).toBeNull();
        expect(await readMangled(files)).toEqual(t);
      } catch (e) {
        expect(e).withContext(JSON.stringify(files)).toBeInstanceOf(HelkError);
      }
    }
    expect(read).toBeGreaterThan(60);
  });

  it('say on arrival what is wrong, and that nothing ever runs', async () => {
    const t = await read(zipped({ calendar: FILES['calendar']!.replace('1,1,1,1,1,0,0', '0,0,0,0,0,0,0') }));
    const handle = handleOn(t);
    const codes = kindOf(t)
      .checks(handle.info)
      .map((c) => c.code);
    expect(codes).toEqual(['timetable.never', 'timetable.faults']);
  });
});
