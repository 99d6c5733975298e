import { existsSync, readFileSync } from 'node:fs';
import { referencePages } from './reference-pages';

describe('the method reference', () => {
  it('is what the definitions make (npm run docs writes it anew)', () => {
    for (const [name, text] of Object.entries(referencePages())) {
      const path = `docs/reference/${name}`;
      expect(existsSync(path) && readFileSync(path, 'utf8') === text)
        .withContext(`${path} is out of date`)
        .toBeTrue();
    }
  });
});
