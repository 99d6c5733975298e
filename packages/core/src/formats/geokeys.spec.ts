import { setupNode } from '../../../node/src/index';
import reference from '../../../../reference/fixtures/own-projections.json';
import { crsFromProj4, crsOfCode, transformer, wgs84 } from '../data/crs';
import type { Raster } from '../data/raster';
import type { Note } from '../method/job';
import { readFile } from '.';
import { crsOfGeoKeys } from './geokeys';

beforeAll(setupNode);

describe('grids in projections of their own, written by GDAL', () => {
  for (const c of reference.cases) {
    it(`${c.name}: places come out where PROJ puts them`, async () => {
      const bytes = Uint8Array.from(Buffer.from(c.tiff, 'base64'));
      const layer = (await readFile('own.tif', bytes)).layers[0]!;
      const { crs } = (layer.data as Raster).grid;
      expect(crs).withContext(JSON.stringify(layer.notes)).not.toBeNull();
      expect(crs!.geographic).toBeFalse();
      // Longitude and latitude on the figure of the projection itself.
      const figure = crs!.proj4.match(/\+(?:datum|ellps|a|b|rf|R|towgs84)=\S+/g)!.join(' ');
      const out = [0, 0];
      transformer(crsFromProj4(`+proj=longlat ${figure} +no_defs`, 'own'), crs!)(c.lon, c.lat, out);
      const unit = crs!.unit === 'm' ? 1 : 0.3048;
      expect(Math.hypot(out[0]! - c.x, out[1]! - c.y) * unit)
        .withContext(`${out.join(', ')} and ${c.x}, ${c.y}; ${crs!.proj4}`)
        .toBeLessThan(0.01);
    });
  }
});

describe('keys that do not say enough', () => {
  it('give nothing rather than something wrong, and say why', () => {
    const notes: Note[] = [];
    expect(crsOfGeoKeys(null, notes)).toBeNull();
    expect(crsOfGeoKeys({}, notes)).toBeNull();
    expect(notes).toEqual([]);
    expect(crsOfGeoKeys({ ProjectedCSTypeGeoKey: 1234 }, notes)).toBeNull();
    expect(crsOfGeoKeys({ ProjectedCSTypeGeoKey: 32767, ProjCoordTransGeoKey: 99 }, notes)).toBeNull();
    expect(notes.map((n) => n.code)).toEqual(['crs.unknown', 'crs.unknown']);
    expect(crsOfGeoKeys({ ProjectedCSTypeGeoKey: 32627 }, notes)!.code).toBe('EPSG:32627');
    expect(crsOfGeoKeys({ GeographicTypeGeoKey: 4326 }, notes)).toEqual(wgs84());
    expect(crsOfGeoKeys({ GeographicTypeGeoKey: 4258 }, notes)!.code).toBe(crsOfCode(4258).code);
  });
});
