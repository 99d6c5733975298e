// Writes docs/reference from the registry: npm run docs. A spec fails when it is out of date.
import { mkdirSync, writeFileSync } from 'node:fs';
import { referencePages } from './reference-pages';

mkdirSync('docs/reference', { recursive: true });
for (const [name, text] of Object.entries(referencePages())) writeFileSync(`docs/reference/${name}`, text);
