import library from 'geographiclib-geodesic';

export interface PolygonObject {
  AddPoint(lat: number, lon: number): void;
  Compute(reverse: boolean, sign: boolean): { number: number; perimeter: number; area?: number };
}

interface Ellipsoid {
  DISTANCE: number;
  Inverse(lat1: number, lon1: number, lat2: number, lon2: number, mask?: number): { s12?: number; azi1?: number };
  Polygon(polyline: boolean): PolygonObject;
}

const { Geodesic: G } = library as unknown as {
  Geodesic: { WGS84: Omit<Ellipsoid, 'DISTANCE'>; DISTANCE: number };
};

/** Geodesics on the WGS 84 ellipsoid, taken for every geographic system: others differ by less than their datum shifts. */
export const Geodesic: Ellipsoid = {
  DISTANCE: G.DISTANCE,
  Inverse: (a, b, c, d, mask) => G.WGS84.Inverse(a, b, c, d, mask),
  Polygon: (polyline) => G.WGS84.Polygon(polyline),
};
