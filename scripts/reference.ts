// Writes docs/reference from the registry: npm run docs. A spec fails when it is out of date.
import { mkdirSync, writeFileSync } from 'node:fs';
import { clientTypes } from './client-types';
import { referencePages } from './reference-pages';

mkdirSync('docs/reference', { recursive: true });
for (const [name, text] of Object.entries(referencePages())) writeFileSync(`docs/reference/${name}`, text);
writeFileSync('packages/client/src/operations.ts', clientTypes());
