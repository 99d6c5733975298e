import { sameCrs, transformer, wgs84 } from '../data/crs';
import { featureCount, ringArea2, valueOf, type Features } from '../data/features';

/**
 * Features as GeoJSON in longitude and latitude (RFC 7946), right-hand rings, columns in their order.
 *
 * @param native keep the coordinates as they are and name the system in a `crs` member, for exact round trips
 */
export function writeGeoJson(f: Features, native = false): string {
  const source = f.crs;
  const t = source && !native && !sameCrs(source, wgs84()) ? transformer(source, wgs84()) : null;
  const out = [0, 0];
  const at = (i: number): number[] => {
    let x = f.xy[2 * i]!;
    let y = f.xy[2 * i + 1]!;
    if (t) {
      t(x, y, out);
      x = Number(out[0]!.toFixed(9));
      y = Number(out[1]!.toFixed(9));
    }
    const z = f.z?.[i];
    return z === undefined || z !== z ? [x, y] : [x, y, z];
  };
  const ring = (r: number, wantCcw: boolean | null): number[][] => {
    const s = f.ringOffsets[r]!;
    const e = f.ringOffsets[r + 1]!;
    const pts: number[][] = [];
    for (let i = s; i < e; i++) pts.push(at(i));
    if (wantCcw !== null && ringArea2(f.xy, s, e) > 0 !== wantCcw) pts.reverse();
    return pts;
  };
  const lines: string[] = [];
  for (let i = 0; i < featureCount(f); i++) {
    const parts: unknown[] = [];
    for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
      const rings: number[][][] = [];
      for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++)
        rings.push(ring(r, f.geometry === 'polygon' ? rings.length === 0 : null));
      parts.push(f.geometry === 'polygon' ? rings : f.geometry === 'line' ? rings[0] : rings[0]![0]);
    }
    const single = { point: 'Point', line: 'LineString', polygon: 'Polygon' }[f.geometry];
    const geometry =
      parts.length === 0
        ? null
        : parts.length === 1
          ? { type: single, coordinates: parts[0] }
          : { type: `Multi${single}`, coordinates: parts };
    const properties: Record<string, unknown> = {};
    for (const c of f.columns) properties[c.name] = valueOf(c, i);
    lines.push(JSON.stringify({ type: 'Feature', properties, geometry }));
  }
  // Without a code the definition itself names the system; texts of another kind would not be understood.
  const name = source?.code
    ? `urn:ogc:def:crs:EPSG::${source.code.slice(5)}`
    : source?.proj4.startsWith('+proj')
      ? source.proj4
      : null;
  const crs =
    native && name && source?.code !== 'EPSG:4326'
      ? `"crs":{"type":"name","properties":{"name":${JSON.stringify(name)}}},`
      : '';
  return `{"type":"FeatureCollection",${crs}"features":[\n${lines.join(',\n')}\n]}\n`;
}
