import { setupNode } from '../../../node/src/index';
import epsg from '../../data/epsg.json';
import { crsFromProj4, crsOfCode, metresPerUnit, transformer, type Crs } from '../data/crs';
import { crsFromWkt, wktOf } from './wkt';

beforeAll(setupNode);

/** Longitude and latitude on the figure and meridian of a system, without a shift. */
function base(crs: Crs): Crs {
  const figure = crs.proj4.match(/\+(?:datum|ellps|a|b|rf|R|pm)=\S+/g) ?? [];
  return crsFromProj4(
    `+proj=longlat ${figure.join(' ')} ${/\+towgs84=\S+/.exec(crs.proj4)?.[0] ?? ''} +no_defs`,
    'base',
  );
}

describe('written systems', () => {
  it('of the whole list, robbed of code and names, put places where the system itself puts them', () => {
    let written = 0;
    const wrong: string[] = [];
    for (const [code] of epsg as unknown as [number][]) {
      const crs = crsOfCode(code);
      const wkt = crs.geographic ? null : wktOf(crs);
      if (!wkt) continue;
      written++;
      const bare = wkt
        .replace(/,AUTHORITY\["EPSG","\d+"\]\]$/, ']')
        .replace(/^PROJCS\["[^"]*"/, 'PROJCS["x y z"')
        .replace(/GEOGCS\["[^"]*"/, 'GEOGCS["q"');
      const p = new Map([...crs.proj4.matchAll(/\+(\w+)(?:=(\S+))?/g)].map((m) => [m[1]!, Number(m[2])]));
      const zone = p.get('zone');
      const lat0 = p.get('lat_0') ?? p.get('lat_ts') ?? 40;
      const place = [
        (zone ? 6 * zone - 183 : (p.get('lon_0') ?? 0)) + 1.3,
        Math.abs(lat0) === 90 ? 0.8 * lat0 : lat0 + 0.7,
      ] as const;
      const [a, b] = [
        [0, 0],
        [0, 0],
      ];
      try {
        transformer(base(crs), crs)(place[0], place[1], a!);
        const back = crsFromWkt(bare, 'x');
        transformer(base(back), back)(place[0], place[1], b!);
        const off = Math.hypot(a![0]! - b![0]!, a![1]! - b![1]!) * metresPerUnit(crs);
        // Not one system may be off by a hand's breadth.
        if (!(off < 0.05)) wrong.push(`${code} ${off}: ${crs.proj4} | ${back.proj4}`);
      } catch (e) {
        wrong.push(`${code}: ${(e as Error).message}`);
      }
    }
    expect(written).toBeGreaterThan(4000);
    expect(wrong.slice(0, 8)).toEqual([]);
    expect(wrong.length).toBe(0);
  });
});
