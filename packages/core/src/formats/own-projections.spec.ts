import { setupNode } from '../../../node/src/index';
import reference from '../../../../reference/fixtures/own-projections.json';
import { crsFromProj4, crsOfCode, metresPerUnit, transformer, wgs84, type Crs } from '../data/crs';
import { FeaturesBuilder, type Features, type FeaturesInfo } from '../data/features';
import { measureRaster, type Raster } from '../data/raster';
import { numberColumn } from '../data/table';
import { readFile } from '.';
import { crsOfGeoKeys } from './geokeys';
import { writeGeoTiff } from './geotiff-write';
import { crsOfVariable } from './netcdf/grid-mapping';
import type { NcFile, NcVariable } from './netcdf/container';
import { crsFromWkt } from './wkt';
import { writeDataset } from './write';
import { infoOf, lossesOf } from '../data/kinds';
import type { Note } from '../data/check';

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

    it(`${c.name}: written as GeoTIFF keys and read again`, async () => {
      const crs = crsFromProj4(c.proj, 'own system');
      const back = (await readFile('back.tif', await writeGeoTiff(tiny(crs)))).layers[0]!.data as Raster;
      expect(back.grid.crs?.name).toBe('own system');
      expect(off(back.grid.crs!, c)).withContext(back.grid.crs!.proj4).toBeLessThan(0.01);
      expect(lossesOf(infoOf(tiny(crs)), 'geotiff')).toEqual([]);
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

const tiny = (crs: Crs): Raster =>
  measureRaster({ crs, x: 0, y: 0, dx: 10, dy: 10, columns: 2, rows: 2 }, Float32Array.of(1, 2, 3, 4), {
    name: 'z',
    unit: 'm',
  });

describe('systems of their own in written files', () => {
  const throughTiff = async (definition: string): Promise<Crs | null> => {
    const bytes = await writeGeoTiff(tiny(crsFromProj4(definition, 'own')));
    return ((await readFile('back.tif', bytes)).layers[0]!.data as Raster).grid.crs;
  };

  it('keep a zone, the shift of a datum, and a figure of the earth without a projection', async () => {
    const zone = (await throughTiff('+proj=utm +zone=27 +south +ellps=intl +towgs84=-87,-98,-121,0,0,0,0 +units=m'))!;
    const out = [0, 0];
    transformer(wgs84(), zone)(-20.4, -58.2, out);
    const wanted = [0, 0];
    const original = crsFromProj4('+proj=utm +zone=27 +south +ellps=intl +towgs84=-87,-98,-121 +units=m', 'own');
    transformer(wgs84(), original)(-20.4, -58.2, wanted);
    expect(Math.hypot(out[0]! - wanted[0]!, out[1]! - wanted[1]!)).toBeLessThan(0.001);
    const scaled = (await throughTiff('+proj=merc +lat_ts=41 +lon_0=-20 +x_0=1000 +datum=WGS84 +units=ft'))!;
    transformer(wgs84(), scaled)(-20.4, 40, out);
    transformer(wgs84(), crsFromProj4('+proj=merc +lat_ts=41 +lon_0=-20 +x_0=1000 +datum=WGS84 +units=ft', 'own'))(
      -20.4,
      40,
      wanted,
    );
    expect(Math.hypot(out[0]! - wanted[0]!, out[1]! - wanted[1]!)).toBeLessThan(0.001);
    const sphere = (await throughTiff('+proj=longlat +a=6371000 +b=6371000 +no_defs'))!;
    expect(sphere.geographic).toBeTrue();
    expect(sphere.proj4).toContain('6371000');
  });

  it('that a format cannot tell are said before the file is written', () => {
    const odd = [
      '+proj=moll +lon_0=0 +datum=WGS84 +units=m',
      '+proj=stere +lat_0=52 +lon_0=5 +ellps=bessel +units=m',
      '+proj=lcc +lat_1=49 +lat_0=46 +lon_0=3 +ellps=GRS80 +units=m',
      '+proj=tmerc +lat_0=0 +lon_0=0 +pm=2.337229167 +ellps=clrk80ign +units=m',
      '+proj=utm +zone=99 +datum=WGS84 +units=m',
    ];
    for (const definition of odd) {
      const crs: Crs = { code: null, name: 'odd', proj4: definition, geographic: false, unit: 'm' };
      expect(lossesOf(infoOf(tiny(crs)), 'geotiff').join())
        .withContext(definition)
        .toContain('cannot be written');
    }
    const features = (crs: Crs): FeaturesInfo => ({
      kind: 'features',
      crs,
      geometry: 'point',
      count: 1,
      extent: null,
      columns: [],
    });
    const moll: Crs = { code: null, name: 'odd', proj4: odd[0]!, geographic: false, unit: 'm' };
    expect(lossesOf(features(moll), 'shapefile').join()).toContain('cannot be written');
    expect(lossesOf(features(moll), 'geopackage').join()).toContain('cannot be written');
    expect(lossesOf(features(moll), 'geojson-native')).toEqual([]);
    const text: Crs = { ...moll, proj4: 'PROJCS["odd"]' };
    expect(lossesOf(features(text), 'geojson-native').join()).toContain('cannot be written');
    expect(lossesOf(infoOf(tiny(wgs84())), 'ascii-grid')).toEqual([
      'The coordinate system (EPSG:4326) is not written into the file.',
      'The unit of the values is not written.',
    ]);
  });

  it('stand in GeoJSON by their definition', async () => {
    const crs = crsFromProj4('+proj=laea +lat_0=56 +lon_0=-19 +datum=WGS84 +units=m +no_defs', 'own');
    const b = new FeaturesBuilder();
    b.point(1000.5, 2000.25);
    const f = b.build('point', crs, [numberColumn('v', [1])]);
    const back = (await readFile('x.geojson', await writeDataset(f, 'geojson-native'))).layers[0]!.data as Features;
    expect(back.crs!.proj4).toBe(crs.proj4);
    expect([...back.xy]).toEqual([1000.5, 2000.25]);
  });
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
