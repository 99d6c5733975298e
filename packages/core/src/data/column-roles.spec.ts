import { likelyValue, onlyNames } from './column-roles';

const number = (name: string, unit: string | null = null) => ({ name, type: 'number', unit });

describe('which column is worked on when nobody says', () => {
  it('is no id, code or coordinate', () => {
    for (const name of [
      'id',
      'FID',
      'station_id',
      'ID_PLOT',
      'no',
      'Nr',
      'plz',
      'lon',
      'Latitude',
      'x',
      'Easting',
      'land_code',
      'Rechtswert',
    ])
      expect(onlyNames({ name })).withContext(name).toBeTrue();
    for (const name of [
      'depth',
      'pm25',
      'z',
      'elevation',
      'income',
      'nitrate',
      'width',
      'valid',
      'idle',
      'noise',
      'exposure',
      'codeine',
    ])
      expect(onlyNames({ name })).withContext(name).toBeFalse();
  });
  it('says truly why it is that one', () => {
    expect(likelyValue([number('tiefe', 'ft'), { name: 'ort', type: 'text' }])!.reason).toBe(
      'the only column of numbers',
    );
    expect(likelyValue([number('id'), number('lon'), number('tiefe')])).toEqual({
      column: number('tiefe'),
      reason: 'the only column of numbers that is no id, code or coordinate',
    });
    expect(likelyValue([number('count'), number('depth', 'm')])).toEqual({
      column: number('depth', 'm'),
      reason: 'the first column of numbers with a unit',
    });
    expect(likelyValue([number('a'), number('b')])!.reason).toContain('that measures something');
    expect(likelyValue([number('id'), number('x'), { name: 'n', type: 'text' }])).toBeNull();
  });
});
