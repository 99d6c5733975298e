import Feature from 'ol/Feature';
import LineString from 'ol/geom/LineString';
import MultiPoint from 'ol/geom/MultiPoint';
import { metresPerDegree, metresPerUnit, systemOf, transformer, type Crs } from '@helk/core';
import type { Preview } from '../draw/preview';
import type { Cursor } from '../state/cursor';
import type { Outline } from '../state/outlines';
import type { DatasetItem } from '../state/project.store';

/** Streams or contours of a preview as lines of the panes' system, with the ink and width they are drawn in. */
export function previewLines(shown: NonNullable<ReturnType<Preview['shown']>>, item: DatasetItem, crs: Crs): Feature[] {
  const go = transformer(systemOf(item.info) ?? crs, crs);
  const out = [0, 0];
  const { xy, offsets, value } = shown.lines;
  const streams = shown.what.kind === 'streams';
  return Array.from(value, (v, l) => {
    const points: number[][] = [];
    for (let i = offsets[l]!; i < offsets[l + 1]!; i++) {
      go(xy[2 * i]!, xy[2 * i + 1]!, out);
      points.push([out[0]!, out[1]!]);
    }
    return new Feature({
      geometry: new LineString(points),
      ink: streams ? '--act' : '--ink',
      width: streams ? 0.5 + 0.5 * v : v ? 1.5 : 0.6,
    });
  });
}

/** The steepest stretch of a profile, and the circle within which a variogram says that places are alike. */
export function markLines(
  stretch: ReturnType<Cursor['stretch']>,
  ring: ReturnType<Cursor['ring']>,
  framed: ReturnType<Cursor['framed']>,
  outlines: readonly Outline[],
  crs: Crs,
): Feature[] {
  const out: Feature[] = [];
  if (stretch.length > 1) out.push(new Feature({ geometry: new LineString(stretch), ink: '--pick', width: 4 }));
  if (framed) out.push(new Feature({ geometry: new LineString(framed.ring), ink: '--pick', width: 2 }));
  for (const { ring: corners, ink, dots } of outlines) {
    const places = corners.map((c) => [...c]);
    out.push(new Feature({ geometry: dots ? new MultiPoint(places) : new LineString(places), ink, width: dots ?? 2 }));
  }
  if (ring) {
    const [mx, my] = crs.geographic ? metresPerDegree(ring.y) : [metresPerUnit(crs), metresPerUnit(crs)];
    const t = ((ring.angle ?? 0) * Math.PI) / 180;
    const [sin, cos] = [Math.sin(t), Math.cos(t)];
    const corners = Array.from({ length: 97 }, (_, k) => {
      const a = (k * 2 * Math.PI) / 96;
      const [along, across] = [ring.radius * Math.cos(a), ring.radius * (ring.ratio ?? 1) * Math.sin(a)];
      return [ring.x + (along * sin + across * cos) / mx!, ring.y + (along * cos - across * sin) / my!];
    });
    out.push(new Feature({ geometry: new LineString(corners), ink: '--pick', width: 2 }));
  }
  return out;
}
