import { setupNode } from '../../../../node/src/index';
import { crsOfCode } from '../../data/crs';
import { tileAddress } from '../../render/background';
import type { HelkError } from '../../errors';
import type { Get } from '../get';
import { knownSet, matrixSet, mercatorQuad } from './matrix-sets';
import { openTiles } from './open';

beforeAll(setupNode);

const UTM33 = (): ReturnType<typeof crsOfCode> => crsOfCode(32633);

/** A service of so many documents; what is not among them is refused. */
const serving =
  (docs: Record<string, unknown>): Get =>
  (url) => {
    const d = docs[url];
    if (d === undefined) return Promise.reject(new Error(`nobody answers at ${url}`));
    return Promise.resolve({ url, text: typeof d === 'string' ? d : JSON.stringify(d), header: () => null });
  };

describe('scales of tiles', () => {
  it('are those of WebMercatorQuad, as its standard prints them', () => {
    // OGC 17-083r4, annex D.1, table D.1: cell size and matrix width of levels 0, 10 and 18; corner of the square.
    const { levels } = mercatorQuad();
    const at = [0, 10, 18].map((k) => [levels[k]!.resolution, levels[k]!.columns]);
    expect(at[0]![0]).toBeCloseTo(156543.033928041, 6);
    expect(at[1]![0]).toBeCloseTo(152.874056570353, 9);
    expect(at[2]![0]).toBeCloseTo(0.597164283559817, 9);
    expect(at.map((a) => a[1])).toEqual([1, 1024, 262144]);
    expect(levels[0]!.x).toBeCloseTo(-20037508.3427892, 6);
  });

  it('are those of WorldCRS84Quad, two tiles wide', () => {
    // The same, annex D.2, table D.3: 0.703125 degrees to a pixel at level 0.
    const { levels, crs } = knownSet('http://www.opengis.net/def/tilematrixset/OGC/1.0/WorldCRS84Quad')!;
    expect([levels[0]!.resolution, levels[0]!.columns, levels[0]!.rows, crs.code]).toEqual([
      0.703125,
      2,
      1,
      'EPSG:4326',
    ]);
  });

  it('follow from denominators, whatever corner they are counted from and whichever axis comes first', () => {
    const one = { id: 'a', tileWidth: 256, tileHeight: 256, matrixWidth: 2, matrixHeight: 4 };
    const m = matrixSet({
      crs: { uri: 'http://www.opengis.net/def/crs/EPSG/0/32633' },
      orderedAxes: ['N', 'E'],
      tileMatrices: [
        { ...one, scaleDenominator: 1e5, pointOfOrigin: [5_200_000, 300_000], cornerOfOrigin: 'bottomLeft' },
      ],
    });
    expect(m.fromBottom).toBeTrue();
    expect(m.levels[0]!.resolution).toBeCloseTo(28, 9);
    expect([m.levels[0]!.x, m.levels[0]!.y]).toEqual([300_000, 5_200_000 + 4 * 256 * 28]);
    const degrees = matrixSet({
      crs: 'http://www.opengis.net/def/crs/EPSG/0/4326',
      tileMatrices: [{ ...one, cellSize: 0.1, pointOfOrigin: [90, -180] }],
    });
    expect([degrees.levels[0]!.x, degrees.levels[0]!.y]).toEqual([-180, 90]);
  });

  it('are refused where they are not whole', () => {
    const broken = { crs: 'http://www.opengis.net/def/crs/EPSG/0/3857', tileMatrices: [{ id: '0', cellSize: 1 }] };
    expect(() => matrixSet(broken)).toThrowMatching((e: HelkError) => e.code === 'service.invalid');
  });
});

describe('an address of tiles', () => {
  it('is taken with level, column and row from either end', async () => {
    const [b] = await openTiles(serving({}), 'tiles.example/osm/{z}/{x}/{-y}.png', null);
    expect(b!.service).toBe('xyz');
    expect(tileAddress(b!, 3, 2, 1)).toBe('https://tiles.example/osm/3/2/6.png');
    expect(tileAddress(b!, 3, 8, 1)).toBeNull();
    expect(tileAddress(b!, 99, 0, 0)).toBeNull();
  });

  it('is refused in words where something lacks or stands for nothing', async () => {
    const said = async (a: string): Promise<string> =>
      openTiles(serving({}), a, null).then(
        () => '',
        (e: Error) => e.message,
      );
    expect(await said('https://tiles.example/{z}/{y}')).toContain('lacks {x}');
    expect(await said('https://tiles.example/{z}/{x}/{y}?key={key}')).toContain('{key}');
    expect(await said('ftp://tiles.example/{z}/{x}/{y}')).toContain('http');
  });
});

describe('a service that speaks OGC API - Tiles', () => {
  const B = 'https://maps.example/ogc';
  const set = (id: string, crs: string) => ({
    title: 'Topographic map',
    dataType: 'map',
    crs,
    tileMatrixSetId: id,
    links: [{ rel: 'self', href: `${B}/map/tiles/${id}`, type: 'application/json' }],
  });
  const alone = (id: string, crs: string) => ({
    ...set(id, crs),
    attribution: 'Survey of the shire',
    boundingBox: { lowerLeft: [10, 46], upperRight: [12, 48], crs: 'http://www.opengis.net/def/crs/OGC/1.3/CRS84' },
    tileMatrixSetLimits: [{ tileMatrix: '1' }],
    links: [
      { rel: 'item', type: 'image/png', templated: true, href: `tiles/${id}/{tileMatrix}/{tileRow}/{tileCol}?f=png` },
      { rel: 'http://www.opengis.net/def/rel/ogc/1.0/tiling-scheme', href: `${B}/scales`, type: 'application/json' },
    ],
  });
  const scales = {
    crs: 'http://www.opengis.net/def/crs/EPSG/0/32633',
    orderedAxes: ['E', 'N'],
    tileMatrices: [0, 1].map((k) => ({
      id: String(k),
      cellSize: 100 / (k + 1),
      pointOfOrigin: [200_000, 5_400_000],
      tileWidth: 512,
      tileHeight: 512,
      matrixWidth: 4 * (k + 1),
      matrixHeight: 4 * (k + 1),
    })),
  };
  const docs = {
    [B]: {
      title: 'Maps',
      links: [{ rel: 'http://www.opengis.net/def/rel/ogc/1.0/tilesets-map', href: `${B}/map/tiles` }],
    },
    [`${B}/map/tiles`]: {
      tilesets: [
        set('WebMercatorQuad', 'http://www.opengis.net/def/crs/EPSG/0/3857'),
        set('shire', 'http://www.opengis.net/def/crs/EPSG/0/32633'),
      ],
    },
    [`${B}/map/tiles/shire`]: alone('shire', 'http://www.opengis.net/def/crs/EPSG/0/32633'),
    [`${B}/map/tiles/WebMercatorQuad`]: alone('WebMercatorQuad', 'http://www.opengis.net/def/crs/EPSG/0/3857'),
    [`${B}/scales`]: scales,
  };

  it('gives tiles in the system of the project where it has them, else those of the web', async () => {
    const [near] = await openTiles(serving(docs), B, UTM33());
    expect([near!.crs.code, near!.credit, near!.name]).toEqual([
      'EPSG:32633',
      'Survey of the shire',
      'Topographic map',
    ]);
    // Only the level that it says it has.
    expect(near!.levels.map((l) => l.name)).toEqual(['1']);
    expect(tileAddress(near!, 0, 2, 3)).toBe('https://maps.example/ogc/map/tiles/tiles/shire/1/3/2?f=png');
    const [web] = await openTiles(serving(docs), B, null);
    expect(web!.crs.code).toBe('EPSG:3857');
  });

  it('asks for nothing where there is nothing', async () => {
    const [b] = await openTiles(serving(docs), `${B}/map/tiles/shire`, UTM33());
    // Degrees 10 to 12 and 46 to 48 lie west of 300 km in zone 33.
    expect(tileAddress(b!, 0, 3, 2)).toBeNull();
  });

  it('that points elsewhere, or has no pictures, is refused', async () => {
    const away = { ...docs, [B]: { links: [{ rel: 'tilesets-map', href: 'https://else.example/tiles' }] } };
    await expectAsync(openTiles(serving(away), B, null)).toBeRejectedWithError(/else\.example/);
    const none = { [B]: { title: 'Features only', links: [] } };
    await expectAsync(openTiles(serving(none), B, null)).toBeRejectedWithError(/no tiles that are pictures/);
  });
});

describe('a Web Map Service', () => {
  const at = 'https://maps.example/wms?map=shire';
  const capabilities = 'https://maps.example/wms?map=shire&SERVICE=WMS&REQUEST=GetCapabilities';
  /** In the shape of the example of OGC 06-042, annex H. */
  const doc = (version: string, systems: string): string => `<?xml version="1.0"?>
    <${version === '1.3.0' ? 'WMS_Capabilities xmlns="http://www.opengis.net/wms"' : 'WMT_MS_Capabilities'} version="${version}">
      <Service><Name>WMS</Name><Title>Shire &amp; hills</Title></Service>
      <Capability>
        <Request><GetMap><Format>image/jpeg</Format><Format>image/png</Format></GetMap></Request>
        <Layer><Title>All</Title>${systems}
          <EX_GeographicBoundingBox><westBoundLongitude>10</westBoundLongitude><eastBoundLongitude>12</eastBoundLongitude>
            <southBoundLatitude>46</southBoundLatitude><northBoundLatitude>48</northBoundLatitude></EX_GeographicBoundingBox>
          <LatLonBoundingBox minx="10" miny="46" maxx="12" maxy="48"/>
          <Layer><Name>relief</Name><Title>Relief</Title></Layer>
          <Layer><Name>roads</Name><Title>Roads</Title><Attribution><Title>Road office</Title></Attribution></Layer>
        </Layer>
      </Capability>
    </${version === '1.3.0' ? 'WMS_Capabilities' : 'WMT_MS_Capabilities'}>`;
  const box = (address: string | null): number[] =>
    new URL(address!).searchParams
      .get('BBOX')!
      .split(',')
      .map((v) => Math.round(Number(v) * 100) / 100);

  it('gives a background for each layer, asked for with its own parameters kept', async () => {
    const all = await openTiles(
      serving({ [capabilities]: doc('1.3.0', '<CRS>EPSG:3857</CRS>') }),
      `${at}&service=WMS&request=GetMap`,
      null,
    );
    expect(all.map((b) => [b.name, b.credit])).toEqual([
      ['Relief', 'Shire & hills'],
      ['Roads', 'Road office'],
    ]);
    const u = new URL(tileAddress(all[1]!, 0, 0, 0)!);
    expect(['map', 'LAYERS', 'CRS', 'FORMAT', 'VERSION'].map((k) => u.searchParams.get(k))).toEqual([
      'shire',
      'roads',
      'EPSG:3857',
      'image/png',
      '1.3.0',
    ]);
  });

  it('is asked for latitude first where its version wants it so, and for longitude first where not', async () => {
    const open = async (version: string): Promise<number[]> => {
      const tag = version === '1.3.0' ? 'CRS' : 'SRS';
      const docs = serving({ [capabilities]: doc(version, `<${tag}>EPSG:4326</${tag}>`) });
      const [b] = await openTiles(docs, `${at}&SERVICE=WMS`, null);
      return box(tileAddress(b!, 0, 0, 0));
    };
    // OGC 06-042, 6.7.3.3: the axes of EPSG:4326 are latitude, longitude; OGC 01-068r3, 6.5.6: minx is always east.
    expect(await open('1.3.0')).toEqual([46, 10, 48, 12]);
    expect(await open('1.1.1')).toEqual([10, 46, 12, 48]);
  });

  it('is asked in the system of the project where the order of its axes is sure', async () => {
    const docs = serving({ [capabilities]: doc('1.3.0', '<CRS>EPSG:31468</CRS><CRS>EPSG:32633</CRS>') });
    const [b] = await openTiles(docs, `${at}&service=wms&layers=relief`, UTM33());
    expect([b!.crs.code, b!.name]).toEqual(['EPSG:32633', 'Relief']);
    const odd = serving({ [capabilities]: doc('1.3.0', '<CRS>EPSG:31468</CRS>') });
    await expectAsync(openTiles(odd, `${at}&service=wms`, null)).toBeRejectedWithError(/no layer in a system/);
  });

  it('that is none is refused in words', async () => {
    const docs = serving({ [capabilities]: '<html><body>Welcome</body></html>', [at]: '<html></html>' });
    await expectAsync(openTiles(docs, at, null)).toBeRejectedWithError(/does not describe itself/);
  });
});
