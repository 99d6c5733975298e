import { transformer, type Crs } from '../../data/crs';
import type { FeaturesBuilder } from '../../data/features';
import { clockWords, later, type Moment } from '../../data/moment';
import type { Network } from '../../data/network';
import type { Timetable } from '../../data/timetable';
import { FEED_CRS, hopsOf, metresBetween, shapesOf, type Hop, type Shape } from '../../data/timetable-lines';
import type { Placed } from '../../numeric/placing';
import { ShortestPaths } from '../../numeric/shortest';
import { directions, type Step } from './directions';
import type { WayOfGoing } from './modes';
import { corners, stagesBetween, type Spot, type Stage } from './stages';
import { MOST_AHEAD, Transit, type Leg, type RideLeg, type WalkLeg } from './transit';

/** A part of a way: on foot, or by one vehicle from where one gets on to where one gets off. */
export interface Part {
  mode: WayOfGoing;
  from: string | number;
  to: string | number;
  /** The line that one goes by; empty on foot. */
  line: string;
  /** When it begins and ends, s after setting out. The time that one waits is before it. */
  departs: number;
  arrives: number;
  /** Metres. */
  length: number;
  steps: Step[];
  draw(b: FeaturesBuilder): void;
}

/** Ways by public transport from place to place, with their lengths and pictures. */
export class Journeys {
  readonly transit: Transit;
  private readonly walks: ShortestPaths;
  private readonly shapes: Map<string, Shape>;
  private readonly hops = new Map<number, Hop[]>();
  private readonly lengths = new Map<string, number>();

  constructor(
    private readonly network: Network,
    plane: Crs | null,
    timetable: Timetable,
    change: number,
  ) {
    this.transit = new Transit(network, timetable, 'from', change);
    this.walks = new ShortestPaths(this.transit.ways.graph);
    this.shapes = shapesOf(timetable);
    this.into = plane ? transformer(FEED_CRS(), plane) : (x, y, out) => void ((out[0] = x), (out[1] = y));
  }
  private readonly into: (x: number, y: number, out: number[]) => void;

  /** Looks for ways from a place at a moment. */
  from(spot: Spot, at: Moment): void {
    this.transit.setOut(at);
    this.transit.search([spot], 0, MOST_AHEAD);
  }

  /** Seconds and metres to a place; null where there is no way within a day. */
  to(spot: Spot): { seconds: number; length: number } | null {
    const found = this.transit.legsTo(spot);
    return found && { seconds: found.seconds, length: found.legs.reduce((s, l) => s + this.lengthOf(l), 0) };
  }

  private hopsOf(trip: number): Hop[] {
    let own = this.hops.get(trip);
    if (!own) this.hops.set(trip, (own = hopsOf(this.transit.calls, trip, this.shapes)));
    return own;
  }

  private stages(l: WalkLeg): Stage[] {
    if (!l.a || !l.b || l.given) return [];
    return stagesBetween(this.transit.ways, this.walks, l.a, l.b) ?? [];
  }

  private lengthOf(l: Leg): number {
    if (l.kind === 'ride')
      return this.hopsOf(l.trip)
        .slice(l.on, l.off)
        .reduce((s, h) => s + h.metres, 0);
    if (l.given) return this.straight(l);
    const key = `${l.a?.line} ${l.a?.share} ${l.b?.line} ${l.b?.share}`;
    let length = this.lengths.get(key);
    if (length === undefined)
      this.lengths.set(
        key,
        (length = this.stages(l).reduce((s, x) => s + Math.abs(x.b - x.a) * this.network.length[x.piece]!, 0)),
      );
    return length;
  }

  /** From stop to stop where the feed says how long it takes and no street need be gone along. */
  private straight(l: WalkLeg): number {
    const { stops } = this.transit.calls;
    const [a, b] = [stops[l.from!]!, stops[l.to!]!];
    return metresBetween(a.lon, a.lat, b.lon, b.lat) || 0;
  }

  /** The parts of the way to a place, after `from`; null where there is none. Walks of no length are left out. */
  parts(leg: number, names: [from: string | number, to: string | number], end: Placed, at: Moment): Part[] | null {
    const found = this.transit.legsTo(end);
    if (!found) return null;
    const { stops } = this.transit.calls;
    const nameOf = (stop: number | null, other: string | number): string | number =>
      stop === null ? other : stops[stop]!.name;
    const out: Part[] = [];
    let now = 0;
    found.legs.forEach((l, k) => {
      const [from, to] = [nameOf(l.from, names[0]), nameOf(l.to, names[1])];
      if (l.kind === 'ride') {
        out.push(this.ride(leg, l, from, to, at));
        now = l.arrives;
        return;
      }
      const stages = this.stages(l);
      const { there, back } = this.network.seconds.walk;
      const walk = stages.reduce((s, x) => s + Math.abs(x.b - x.a) * (x.b >= x.a ? there : back)[x.piece]!, 0);
      if (stages.length === 0 && !l.given && found.legs.length > 1) return;
      const next = found.legs[k + 1];
      const arrives = l.given && next?.kind === 'ride' ? next.departs : now + walk;
      const steps = directions(this.network, stages, this.network.seconds.walk, leg, to);
      // The last of them, which says that one is there, comes once, at the very end.
      steps.pop();
      if (l.given) steps.push({ leg, turn: 'change to', street: String(to), seconds: 0, length: this.straight(l) });
      out.push({
        mode: 'walk',
        from,
        to,
        line: '',
        departs: now,
        arrives,
        length: this.lengthOf(l),
        steps,
        draw: (b) => this.drawWalk(stages, l, end, b),
      });
      now = arrives;
    });
    out.at(-1)?.steps.push({ leg, turn: 'arrive', street: String(names[1]), seconds: 0, length: 0 });
    return out;
  }

  private ride(leg: number, l: RideLeg, from: string | number, to: string | number, at: Moment): Part {
    const { trips, lines } = this.transit.calls;
    const trip = trips[l.trip]!;
    const line = lines[trip.line]!.name;
    const length = this.lengthOf(l);
    const clock = (s: number): string => clockWords(later(at, s).seconds);
    return {
      mode: 'transit',
      from,
      to,
      line,
      departs: l.departs,
      arrives: l.arrives,
      length,
      steps: [
        {
          leg,
          turn: `${clock(l.departs)} get on at ${from}`,
          street: trip.headsign ? `${line} towards ${trip.headsign}` : line,
          seconds: l.arrives - l.departs,
          length,
        },
        { leg, turn: `${clock(l.arrives)} get off at ${to}`, street: line, seconds: 0, length: 0 },
      ],
      draw: (b) => {
        const line = this.hopsOf(l.trip)
          .slice(l.on, l.off)
          .flatMap((h) => h.corners);
        this.put(line, b);
      },
    };
  }

  private drawWalk(stages: readonly Stage[], l: WalkLeg, end: Placed, b: FeaturesBuilder): void {
    const { stops } = this.transit.calls;
    if (l.given)
      return this.put(
        [l.from!, l.to!].map((s): [number, number] => [stops[s]!.lon, stops[s]!.lat]),
        b,
      );
    const all = stages.flatMap((s) => corners(this.network, s));
    if (all.length < 2) all.push([end.x, end.y], [end.x, end.y]);
    lineOf(all, b);
  }

  private put(lonLat: readonly [number, number][], b: FeaturesBuilder): void {
    const at = [0, 0];
    lineOf(
      lonLat.map(([x, y]): [number, number] => {
        this.into(x, y, at);
        return [at[0]!, at[1]!];
      }),
      b,
    );
  }
}

/** A feature of one line; corners that follow on themselves once. */
function lineOf(corners: readonly [number, number][], b: FeaturesBuilder): void {
  let n = 0;
  corners.forEach(([x, y], k) => {
    const [u, v] = corners[k - 1] ?? [NaN, NaN];
    if (x === u && y === v && (n > 1 || k < corners.length - 1)) return;
    b.coordinate(x, y);
    n++;
  });
  b.endRing();
  b.endPart();
  b.endFeature();
}
