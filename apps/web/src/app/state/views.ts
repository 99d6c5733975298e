import { Injectable } from '@angular/core';
import View from 'ol/View';
import { get as getProjection, type Projection } from 'ol/proj';
import { register } from 'ol/proj/proj4';
import proj4 from 'proj4';
import { joined, metresPerDegree, metresPerUnit, systemText, transformer, type Crs, type Extent } from '@helk/core';

/** The map projection of a CRS. */
export function projectionOf(crs: Crs): Projection {
  const key = crs.code ?? crs.proj4;
  if (!getProjection(key) || key.startsWith('+')) {
    proj4.defs(key, crs.proj4);
    register(proj4);
  }
  return getProjection(key)!;
}

/** A view that has not been taken anywhere yet goes to the first thing that is shown in it. */
const FRESH = 'fresh';
/** Where it has been taken by itself: as long as it is there, nobody has gone anywhere. */
const ARRIVED = 'arrived';
interface Arrived {
  extent: Extent;
  state: string;
}
const stateOf = (v: View): string => `${v.getCenter()?.join()} ${v.getResolution()}`;

/** How many times larger than what it shows a view becomes by itself. */
const MOST_BACK = 8;
const across = (e: Extent): number => Math.max(e[2] - e[0], e[3] - e[1]);

const PADDING = [40, 16, 30, 16];

/** Where a view is. */
export interface Place {
  /** 0 for all that are linked. */
  pane: number;
  centre: [number, number];
  resolution: number;
}

/** The views of the panes: one for all while they are linked, each its own otherwise. They stay where somebody went. */
@Injectable({ providedIn: 'root' })
export class Views {
  private shared: View | null = null;
  private readonly own = new Map<number, View>();
  private project = '';
  private crs: Crs | null = null;

  /** The view a pane should use. Another project starts anew; another system of the same one shows the same place. */
  for(pane: number, linked: boolean, crs: Crs, project: string): View {
    if (project !== this.project) {
      this.project = project;
      this.shared = null;
      this.own.clear();
    } else if (this.crs && systemText(this.crs) !== systemText(crs)) {
      const from = this.crs;
      if (this.shared) this.shared = moved(this.shared, from, crs);
      for (const [id, v] of this.own) this.own.set(id, moved(v, from, crs));
    }
    this.crs = crs;
    if (linked) {
      this.shared ??= like(this.own.get(pane), crs);
      this.own.clear();
      return this.shared;
    }
    let v = this.own.get(pane);
    if (!v) this.own.set(pane, (v = like(this.shared, crs)));
    return v;
  }

  /** Forgets where a view was, once nothing is shown through it: what comes next is gone to. */
  static renew(view: View): void {
    view.set(FRESH, true);
  }

  /**
   * Takes a fresh view to an extent, once its pane has a size. One that arrived by itself, and was not taken anywhere since, steps back for
   * what comes beside what it shows, as files of one drop do one after the other; what lies far off does not make the others small.
   */
  static arrive(view: View, extents: readonly Extent[], size: number[] | undefined): void {
    if (!extents.length || !size?.[0] || !size[1]) return;
    let whole: Extent;
    if (view.get(FRESH)) whole = extents.reduce(joined);
    else {
      const arrived = view.get(ARRIVED) as Arrived | undefined;
      if (arrived?.state !== stateOf(view)) return;
      const most = MOST_BACK * across(arrived.extent);
      whole = extents.reduce((all, e) => (across(joined(all, e)) > most ? all : joined(all, e)), arrived.extent);
      if (whole.every((v, i) => v === arrived.extent[i])) return;
    }
    view.unset(FRESH);
    Views.go(view, whole, size);
    view.set(ARRIVED, { extent: whole, state: stateOf(view) } satisfies Arrived);
  }

  /** While panes are still finding their sizes and nobody has gone anywhere, what a view arrived at is shown whole. */
  static resized(view: View, size: number[] | undefined): void {
    const arrived = view.get(ARRIVED) as Arrived | undefined;
    if (arrived?.state !== stateOf(view) || !size?.[0] || !size[1]) return;
    Views.go(view, arrived.extent, size);
    view.set(ARRIVED, { extent: arrived.extent, state: stateOf(view) } satisfies Arrived);
  }

  /** Where everything is looked at, by pane; 0 for all of them while they are linked. */
  places(): Place[] {
    const all: [number, View][] = this.shared ? [[0, this.shared]] : [...this.own];
    return all.flatMap(([pane, v]) => {
      const [centre, resolution] = [v.getCenter(), v.getResolution()];
      return centre && resolution && !v.get(FRESH) ? [{ pane, centre: [centre[0]!, centre[1]!], resolution }] : [];
    });
  }

  /** Looks at places again, of the system that the project has; views that are not there yet begin so. */
  goBack(places: readonly Place[], crs: Crs, project: string): void {
    for (const p of places) {
      const view = this.for(p.pane || 1, p.pane === 0, crs, project);
      view.unset(FRESH);
      view.unset(ARRIVED);
      view.setCenter(p.centre);
      view.setResolution(p.resolution);
    }
  }

  static go(view: View, extent: Extent, size: number[] | undefined, duration = 0): void {
    view.fit(extent, { ...(size ? { size } : {}), padding: PADDING, duration });
  }
}

function make(crs: Crs): View {
  const degrees = crs.geographic;
  return new View({
    projection: projectionOf(crs),
    minResolution: degrees ? 1e-7 : 0.02,
    // Data whose system nobody knows are drawn as if they lay in this one: metres of a zone, taken for degrees, must be seen too.
    maxResolution: degrees ? 4000 : 100_000,
    constrainResolution: false,
    multiWorld: true,
    enableRotation: false,
    center: [0, 0],
    resolution: degrees ? 0.5 : 1000,
  });
}

/** A view of its own at the same place; a fresh one where there is none. */
function like(of: View | null | undefined, crs: Crs): View {
  const view = make(crs);
  const r = of?.getResolution();
  if (of && r && !of.get(FRESH)) {
    view.setCenter(of.getCenter());
    view.setResolution(r);
  } else view.set(FRESH, true);
  return view;
}

/** Metres to one unit of a system at a place of it. */
const metresAt = (crs: Crs, [, y]: number[]): number => (crs.geographic ? metresPerDegree(y!)[1]! : metresPerUnit(crs));

/** The same place at the same size in another system. */
function moved(of: View, from: Crs, to: Crs): View {
  const view = make(to);
  const [centre, r] = [of.getCenter(), of.getResolution()];
  const out = [0, 0];
  if (centre) transformer(from, to)(centre[0]!, centre[1]!, out);
  if (of.get(FRESH) || !centre || !r || out.some((v) => !Number.isFinite(v))) {
    view.set(FRESH, true);
    return view;
  }
  view.setCenter(out);
  view.setResolution((r * metresAt(from, centre)) / metresAt(to, out));
  return view;
}
