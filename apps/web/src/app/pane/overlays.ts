import type OlMap from 'ol/Map';
import Feature from 'ol/Feature';
import { fromExtent } from 'ol/geom/Polygon';
import VectorLayer from 'ol/layer/Vector';
import VectorSource from 'ol/source/Vector';
import { Fill, RegularShape, Stroke, Style } from 'ol/style';
import type { Extent } from '@helk/core';

/** What a map shows above its layers, none of it a dataset: outlines of tiles, lines not computed for good yet. */
export class Overlays {
  private readonly outlines = new VectorSource({ wrapX: false });
  private readonly lines = new VectorSource({ wrapX: false });

  constructor(map: OlMap) {
    map.addLayer(
      new VectorLayer({
        source: this.outlines,
        zIndex: 900,
        style: new Style({ stroke: new Stroke({ color: '#d6246e', width: 1.5, lineDash: [6, 4] }) }),
      }),
    );
    map.addLayer(
      new VectorLayer({
        source: this.lines,
        zIndex: 950,
        style: (f) => {
          const css = getComputedStyle(document.documentElement);
          const width = f.get('width') as number;
          const named = f.get('ink') as string;
          const ink = named.startsWith('#') ? named : css.getPropertyValue(named).trim();
          if (f.getGeometry()?.getType() === 'MultiPoint')
            return new Style({ image: new RegularShape({ points: 4, radius: width, fill: new Fill({ color: ink }) }) });
          return [
            new Style({
              stroke: new Stroke({ color: `${css.getPropertyValue('--leaf').trim()}99`, width: width + 1.2 }),
            }),
            new Style({
              stroke: new Stroke({ color: ink, width }),
              zIndex: 1,
            }),
          ];
        },
      }),
    );
  }

  outline(extents: readonly Extent[]): void {
    this.outlines.clear();
    this.outlines.addFeatures(extents.map((e) => new Feature(fromExtent(e))));
  }

  draw(lines: Feature[]): void {
    this.lines.clear();
    this.lines.addFeatures(lines);
  }
}
