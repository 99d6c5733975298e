import { namedBy, pathOf } from './place';

describe('the address', () => {
  it('names a project and a dataset, and nothing else', () => {
    expect(namedBy('/p/abc123def4')).toEqual({ project: 'abc123def4', dataset: null });
    expect(namedBy('/p/abc123def4/xyz987')).toEqual({ project: 'abc123def4', dataset: 'xyz987' });
    for (const path of ['/', '/p/', '/p/../etc', '/p/ABC123', '/p/abc123/x/y', '/p/abc123/<b>'])
      expect(namedBy(path)).withContext(path).toEqual({ project: null, dataset: null });
    for (const named of [
      { project: 'abc123', dataset: 'xyz987' },
      { project: 'abc123', dataset: null },
    ])
      expect(namedBy(pathOf(named))).toEqual(named);
    expect(pathOf({ project: null, dataset: null })).toBe('/');
  });
});
