import { readFileSync } from 'node:fs';
import { clientTypes } from './client-types';

describe('the types of the client package', () => {
  it('are those of the OpenAPI document', () => {
    expect(readFileSync('packages/client/src/operations.ts', 'utf8'))
      .withContext('run npm run docs')
      .toBe(clientTypes());
  });
});
