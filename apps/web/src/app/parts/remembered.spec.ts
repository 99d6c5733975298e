import * as z from 'zod';
import { remember, remembered } from './remembered';

/** A store that holds one text, or throws as a full or forbidden one does. */
const holding = (text: string | null, full = false) => {
  let held = text;
  return {
    getItem: () => held,
    setItem: (_: string, v: string) => {
      if (full) throw new DOMException('full', 'QuotaExceededError');
      held = v;
    },
  } as unknown as Storage;
};
const names = z.array(z.string());

describe('what a browser remembers', () => {
  it('comes back as it was', () => {
    const store = holding(null);
    remember('a', ['x', 'y'], store);
    expect(remembered('a', names, [], store)).toEqual(['x', 'y']);
  });

  it('is the plain value where there is none, where it is damaged, and where it is something else', () => {
    for (const text of [null, '{"a', '{"a":1}', '[1,2]', '"x"'])
      expect(remembered('a', names, ['plain'], holding(text)))
        .withContext(String(text))
        .toEqual(['plain']);
  });

  it('is forgotten without a word where the store is full', () => {
    const store = holding('["x"]', true);
    expect(() => remember('a', ['y'], store)).not.toThrow();
    expect(remembered('a', names, [], store)).toEqual(['x']);
  });
});
