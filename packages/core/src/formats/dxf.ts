import { DxfWriter, point2d, point3d, LWPolylineFlags } from '@tarikjabiri/dxf';
import { featureCount, valueOf, type Features } from '../data/features';

/** What a layer may not be called in the format. */
const layerName = (s: string): string => s.replace(/[<>/\\":;?*|=`,]/g, '_').slice(0, 200) || '0';
/** Signs beyond ASCII are written by their code, as every reader of the format understands; behind a mark at first, as the package drops backslashes. */
const MARK = '@U+';
const ascii = (s: string): string =>
  s.replace(/[^\x20-\x7e]/g, (c) => `${MARK}${c.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}`);

/**
 * Features as a drawing (DXF) in their own coordinates: points, open and closed polylines, with heights as 3D lines. The values of the
 * first text column become layers; other columns and the system have no place in it.
 */
export function writeDxf(f: Features): string {
  const w = new DxfWriter();
  const by = f.columns.find((c) => c.type === 'text');
  const layers = new Set<string>();
  for (let i = 0; i < featureCount(f); i++) {
    const value = by ? valueOf(by, i) : null;
    const layer = ascii(layerName(value === null ? '0' : String(value)));
    if (layer !== '0' && !layers.has(layer)) {
      w.addLayer(layer, 7, 'Continuous');
      layers.add(layer);
    }
    w.setCurrentLayerName(layer);
    for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
      for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++) {
        const start = f.ringOffsets[r]!;
        const end = f.ringOffsets[r + 1]! - (f.geometry === 'polygon' ? 1 : 0);
        const height = (c: number): number => f.z?.[c] ?? 0;
        if (f.geometry === 'point') w.addPoint(f.xy[2 * start]!, f.xy[2 * start + 1]!, height(start) || 0);
        else if (f.z)
          w.addPolyline3D(
            Array.from({ length: end - start }, (_, k) => ({
              point: point3d(f.xy[2 * (start + k)]!, f.xy[2 * (start + k) + 1]!, height(start + k) || 0),
            })),
            f.geometry === 'polygon' ? { flags: 1 } : {},
          );
        else
          w.addLWPolyline(
            Array.from({ length: end - start }, (_, k) => ({
              point: point2d(f.xy[2 * (start + k)]!, f.xy[2 * (start + k) + 1]!),
            })),
            { flags: f.geometry === 'polygon' ? LWPolylineFlags.Closed : LWPolylineFlags.None },
          );
      }
    }
  }
  return w.stringify().replaceAll(MARK, '\\U+');
}
