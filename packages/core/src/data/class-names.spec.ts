import { groupsOf, isNamed, suggestedNames } from './class-names';

const c = (value: number, label: string, colour: string | null = null) => ({ value, label, colour });

describe('names of classes', () => {
  it('are names when they are more than a number', () => {
    expect([c(3, '3'), c(3, ''), c(3, 'cluster 3'), c(3, ' ')].some(isNamed)).toBe(false);
    expect([c(3, 'reed'), c(3, 'cluster 4'), c(3, '4')].every(isNamed)).toBe(true);
  });

  it('that are alike make one class, in the order in which they come; the rest have none', () => {
    const all = [
      c(1, 'Water', '#4f88b3'),
      c(2, 'conifer'),
      c(3, 'cluster 3'),
      c(4, 'water ', '#000000'),
      c(7, 'Conifer'),
    ];
    expect(groupsOf(all)).toEqual({
      groups: [
        { value: 1, label: 'Water', colour: '#4f88b3', from: [1, 4] },
        { value: 2, label: 'conifer', colour: null, from: [2, 7] },
      ],
      unnamed: [3],
    });
  });

  it('are suggested from those used before, each once with its latest colour', () => {
    const known = [c(1, 'arable', '#e0bf69'), c(2, 'moor'), c(3, 'Arable', '#111111'), c(4, 'wet moor'), c(5, 'built')];
    expect(suggestedNames('ar', known).map((k) => [k.label, k.colour])).toEqual([['arable', '#e0bf69']]);
    expect(suggestedNames('MO', known).map((k) => k.label)).toEqual(['moor', 'wet moor']);
    expect(suggestedNames('', known, 2).map((k) => k.label)).toEqual(['arable', 'moor']);
    expect(suggestedNames('x', known)).toEqual([]);
  });
});
