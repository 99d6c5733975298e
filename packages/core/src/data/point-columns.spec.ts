import { coordinateColumns } from './point-columns';

const pair = (...names: string[]) => coordinateColumns(names.map((name) => ({ name, type: 'number' as const })));

describe('columns of coordinates', () => {
  it('are told by their names, in the languages that files come in', () => {
    for (const [x, y] of [
      ['este', 'norte'],
      ['Rechtswert', 'Hochwert'],
      ['Länge', 'Breite'],
      ['laengengrad', 'breitengrad'],
      ['longitud', 'latitud'],
      ['UTM_E', 'UTM_N'],
      ['coord_x', 'coord_y'],
      ['Easting (m)', 'Northing (m)'],
      ['est', 'nord'],
    ] as const)
      expect(pair('id', y, x))
        .withContext(x)
        .toEqual({ x, y });
  });

  it('are none without the other of the pair, and words that only begin so are none', () => {
    expect(pair('este', 'depth')).toBeNull();
    expect(pair('estimate', 'normal')).toBeNull();
    expect(pair('breitenindex', 'laengste')).toBeNull();
  });
});
