import { Injectable, signal } from '@angular/core';
import View from 'ol/View';
import { get as getProjection, type Projection } from 'ol/proj';
import { register } from 'ol/proj/proj4';
import proj4 from 'proj4';
import type { Crs, Extent } from '@helk/core';

/** Where the pointer is, in the panes' system; kept out of the store since it changes with every move. */
@Injectable({ providedIn: 'root' })
export class Cursor {
  readonly at = signal<{ x: number; y: number; pane: number } | null>(null);
  /** A part of a line that stands out, in the panes' system: the steepest stretch of the profile that is looked at. */
  readonly stretch = signal<number[][]>([]);
  /** A circle of so many metres about a place of the panes' system: how far the fitted correlation reaches. */
  readonly ring = signal<{ x: number; y: number; radius: number } | null>(null);
}

/** The map projection of a CRS. */
export function projectionOf(crs: Crs): Projection {
  const key = crs.code ?? crs.proj4;
  if (!getProjection(key) || key.startsWith('+')) {
    proj4.defs(key, crs.proj4);
    register(proj4);
  }
  return getProjection(key)!;
}

/** The views of the panes: one for all while they are linked, each its own otherwise. */
@Injectable({ providedIn: 'root' })
export class Views {
  private shared: View | null = null;
  private readonly own = new Map<number, View>();
  private key = '';

  /** The view a pane should use. A change of project or system starts anew from the extent. */
  for(pane: number, linked: boolean, crs: Crs, extent: Extent | null, project: string): View {
    const key = `${project}/${crs.proj4}`;
    if (key !== this.key) {
      this.key = key;
      this.shared = null;
      this.own.clear();
    }
    if (linked) {
      this.shared ??= this.make(crs, extent, this.own.get(pane));
      this.own.clear();
      return this.shared;
    }
    let v = this.own.get(pane);
    if (!v) this.own.set(pane, (v = this.make(crs, extent, this.shared ?? undefined)));
    return v;
  }

  private make(crs: Crs, extent: Extent | null, like?: View): View {
    const projection = projectionOf(crs);
    const degrees = crs.geographic;
    const view = new View({
      projection,
      minResolution: degrees ? 1e-7 : 0.02,
      maxResolution: degrees ? 1 : 100_000,
      constrainResolution: false,
      multiWorld: true,
      enableRotation: false,
      center: [0, 0],
      resolution: degrees ? 0.5 : 1000,
    });
    const r = like?.getResolution();
    if (like && r) {
      view.setCenter(like.getCenter());
      view.setResolution(r);
    } else if (extent) {
      view.fit(extent, { size: [640, 520], padding: [30, 20, 30, 20] });
      view.set('fresh', true);
    }
    return view;
  }
}
