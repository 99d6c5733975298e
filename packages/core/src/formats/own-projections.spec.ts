import { setupNode } from '../../../node/src/index';
import reference from '../../../../reference/fixtures/own-projections.json';
import { crsFromProj4, crsOfCode, metresPerUnit, transformer, wgs84, type Crs } from '../data/crs';
import type { Raster } from '../data/raster';
import type { Note } from '../method/job';
import { readFile } from '.';
import { crsOfGeoKeys } from './geokeys';
import { crsOfVariable } from './netcdf/grid-mapping';
import type { NcFile, NcVariable } from './netcdf/container';
import { crsFromWkt } from './wkt';

beforeAll(setupNode);

/** How far a place comes out from where PROJ puts it, metres; longitude and latitude are on the figure of the projection itself. */
function off(crs: Crs, c: { lon: number; lat: number; x: number; y: number }): number {
  const figure = crs.proj4.startsWith('+')
    ? crs.proj4.match(/\+(?:datum|ellps|a|b|rf|R|towgs84)=\S+/g)!.join(' ')
    : null;
  const out = [0, 0];
  // Where the definition is a text, the place is given on the figure that stands in it.
  const from = figure
    ? crsFromProj4(`+proj=longlat ${figure} +no_defs`, 'own')
    : { ...wgs84(), proj4: geographicPart(crs.proj4) };
  transformer(from, crs)(c.lon, c.lat, out);
  return Math.hypot(out[0]! - c.x, out[1]! - c.y) * metresPerUnit(crs);
}

/** The geographic system within a projected one's text. */
function geographicPart(wkt: string): string {
  const at = wkt.search(/(GEOGCS|BASEGEOGCRS)\[/);
  let depth = 0;
  for (let i = at; i < wkt.length; i++) {
    if (wkt[i] === '[') depth++;
    if (wkt[i] === ']' && --depth === 0) {
      const part = wkt.slice(at, i + 1);
      return part.startsWith('BASE')
        ? part
            .replace('BASEGEOGCRS', 'GEOGCRS')
            .replace(/\]$/, ',CS[ellipsoidal,2],ANGLEUNIT["degree",0.0174532925199433]]')
        : part;
    }
  }
  throw new Error('no geographic system');
}

describe('projections without a code', () => {
  for (const c of reference.cases) {
    it(`${c.name}: as GeoTIFF keys`, async () => {
      const bytes = Uint8Array.from(Buffer.from(c.tiff, 'base64'));
      const layer = (await readFile('own.tif', bytes)).layers[0]!;
      const { crs } = (layer.data as Raster).grid;
      expect(crs).withContext(JSON.stringify(layer.notes)).not.toBeNull();
      expect(crs!.geographic).toBeFalse();
      expect(off(crs!, c)).withContext(crs!.proj4).toBeLessThan(0.01);
    });

    for (const [kind, wkt] of Object.entries(c.wkt))
      if (wkt)
        it(`${c.name}: as ${kind}`, () => {
          const crs = crsFromWkt(wkt, 'own.prj');
          expect(crs.geographic).toBeFalse();
          expect(off(crs, c)).withContext(wkt).toBeLessThan(0.01);
        });

    if ('grid_mapping_name' in c.cf)
      it(`${c.name}: as attributes of a grid mapping`, () => {
        const variable = (name: string, attributes: object): NcVariable =>
          ({ name, attributes }) as unknown as NcVariable;
        const v = variable('z', { grid_mapping: 'crs' });
        const notes: Note[] = [];
        const crs = crsOfVariable({ variables: [v, variable('crs', c.cf)] } as unknown as NcFile, v, false, notes);
        expect(crs)
          .withContext(JSON.stringify([notes, c.cf]))
          .not.toBeNull();
        expect(off(crs!, { ...c, x: c.cfx, y: c.cfy }))
          .withContext(`${crs!.proj4} ${JSON.stringify(c.cf)}`)
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
    expect(
      crsOfGeoKeys({ ProjectedCSTypeGeoKey: 32767, ProjCoordTransGeoKey: 1, ProjLinearUnitsGeoKey: 9999 }, notes),
    ).toBeNull();
    expect(notes.map((n) => n.code)).toEqual(['crs.unknown', 'crs.unknown', 'crs.unknown']);
    expect(crsOfGeoKeys({ ProjectedCSTypeGeoKey: 32627 }, notes)!.code).toBe('EPSG:32627');
    expect(crsOfGeoKeys({ GeographicTypeGeoKey: 4326 }, notes)).toEqual(wgs84());
    expect(crsOfGeoKeys({ GeographicTypeGeoKey: 4258 }, notes)!.code).toBe(crsOfCode(4258).code);
  });
});
