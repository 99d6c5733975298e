import { Changes, type Change } from './changes';

describe('what was done can be taken back', () => {
  let changes: Changes;
  let text: string;
  const set = (to: string, of?: string): void => {
    const was = text;
    text = to;
    const change: Change = { words: `“${to}”`, undo: () => void (text = was), redo: () => void (text = to) };
    changes.done(of ? { ...change, of } : change);
  };
  beforeEach(() => {
    changes = new Changes();
    text = 'a';
  });

  it('one after the other, and done again until something else is done', async () => {
    set('b');
    set('c');
    expect(await changes.undo()).toBe('“c”');
    expect(await changes.undo()).toBe('“b”');
    expect([text, await changes.undo()]).toEqual(['a', null]);
    await changes.redo();
    expect([text, changes.next(), changes.again()]).toEqual(['b', '“b”', '“c”']);
    set('d');
    expect(changes.again()).toBeNull();
    await changes.undo();
    expect(text).toBe('b');
  });

  it('what follows closely and is of one name goes together', async () => {
    set('b');
    for (const t of ['c', 'd', 'e']) set(t, 'slider');
    await changes.undo();
    expect(text).toBe('b');
    await changes.redo();
    expect(text).toBe('e');
    await changes.undo();
    set('x', 'slider');
    set('y', 'another');
    await changes.undo();
    expect(text).toBe('x');
  });

  it('what taking back does is no change of its own, and one that fails is gone', async () => {
    changes.done({ words: 'odd', undo: () => set('z') });
    await changes.undo();
    expect([text, changes.next(), changes.again()]).toEqual(['z', null, null]);
    changes.done({ words: 'bad', undo: () => Promise.reject(new Error('gone')) });
    await expectAsync(changes.undo()).toBeRejected();
    set('q');
    await changes.undo();
    expect(text).toBe('z');
  });

  it('one is taken back whatever was done since', async () => {
    let there = false;
    const removal: Change = { words: 'removed', undo: () => void (there = true) };
    changes.done(removal);
    set('b');
    await changes.back(removal);
    expect([there, text, changes.next()]).toEqual([true, 'b', '“b”']);
    await changes.back(removal);
    await changes.undo();
    expect(text).toBe('a');
  });
});
