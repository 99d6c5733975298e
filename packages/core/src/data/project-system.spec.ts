import { setupNode } from '@helk/node';
import { crsOfCode, searchCrs, systemText, wgs84, type Crs } from './crs';
import { FeaturesBuilder } from './features';
import { infoOf, type DatasetInfo } from './kinds';
import { suggestSystems } from './project-system';
import { numberColumn } from './table';

beforeAll(setupNode);

const at = (places: [number, number][], crs: Crs | null): DatasetInfo => {
  const b = new FeaturesBuilder();
  for (const [x, y] of places) b.point(x, y);
  return infoOf(
    b.build('point', crs, [
      numberColumn(
        'n',
        places.map((_, i) => i),
      ),
    ]),
  );
};
const names = (infos: DatasetInfo[]): string[] => suggestSystems(infos).map((s) => systemText(s.crs));

describe('the system of a project', () => {
  it('is suggested as the projected one that most data are in, then the zone of the place, then degrees', () => {
    const utm33 = crsOfCode(32633);
    const laea = crsOfCode(3035);
    const infos = [
      at([[4_600_000, 2_700_000]], laea),
      at([[500_000, 5_300_000]], utm33),
      at([[510_000, 5_310_000]], utm33),
      at([[15, 47.8]], wgs84()),
    ];
    expect(names(infos)).toEqual(['EPSG:32633', 'EPSG:3035', 'EPSG:4326']);
    expect(suggestSystems(infos).map((s) => s.reason)).toEqual([
      '2 datasets are in it',
      'one dataset is in it',
      'longitude and latitude, as in the data',
    ]);
  });

  it('is the UTM zone of data in degrees, north and south', () => {
    const near: [number, number][] = [
      [-70.2, -33.1],
      [-69.8, -32.9],
    ];
    expect(names([at(near, wgs84())])).toEqual(['EPSG:32719', 'EPSG:4326']);
    expect(names([at([[9.2, 48.5]], wgs84())])[0]).toBe('EPSG:32632');
  });

  it('is degrees for a view of the earth', () => {
    const wide: [number, number][] = [
      [-60, -20],
      [80, 40],
    ];
    expect(names([at(wide, wgs84())])).toEqual(['EPSG:4326']);
  });

  it('is none where nothing says where it lies', () => {
    expect(names([])).toEqual([]);
    expect(names([at([[5, 5]], null), infoOf({ kind: 'table', columns: [] })])).toEqual([]);
  });

  it('is not led astray by coordinates that cannot be', () => {
    expect(names([at([[500_000, 6_000_000]], crsOfCode(32632)), at([[1e12, 1e12]], crsOfCode(32631))])[0]).toMatch(
      /^EPSG:3263[12]$/,
    );
  });
});

describe('the search for a system', () => {
  const first = (text: string, place: [number, number] | null = null): string[] =>
    searchCrs(text, place)
      .slice(0, 3)
      .map((h) => h.code);

  it('lists what most people mean first', () => {
    expect(first('UTM 32')).toContain('EPSG:32632');
    expect(first('UTM 32')[0]).toBe('EPSG:32632');
    expect(first('utm zone 27n')[0]).toBe('EPSG:32627');
    expect(first('UTM 32', [9, 48])).toContain('EPSG:32632');
    expect(first('WGS 84')).toContain('EPSG:4326');
  });

  it('keeps to words: a zone is not the beginning of another', () => {
    const zones = searchCrs('utm zone 3n', null).slice(0, 5);
    expect(zones[0]!.name).toMatch(/zone 3N$/);
  });

  it('still finds a system by code and by area', () => {
    expect(first('25832')[0]).toBe('EPSG:25832');
    expect(searchCrs('iceland', null).length).toBeGreaterThan(0);
  });
});
