// What drains to the gauge, from a script: node --import tsx packages/client/examples/watershed.ts ADDRESS PROJECT
import { writeFileSync } from 'node:fs';
import { connect } from '@helk/client';

const [address = 'http://127.0.0.1:4780', name = 'Veyra landscape plan', out = ''] = process.argv.slice(2);

const helk = await connect(address);
const project = await helk.project(name);
const [elevation] = await project.datasets({ find: 'filled', kind: 'raster' });
const [gauge] = await project.datasets({ find: 'gauge', kind: 'features' });
if (!elevation || !gauge) throw new Error(`There are ${(await project.datasets()).map((d) => d.name).join(', ')}.`);
const done = await project.run('terrain.watersheds', {
  inputs: { elevation, outlets: gauge },
  params: { snap: '200 m' },
  onProgress: (share, stage) => process.stderr.write(`${Math.round(share * 100)} % ${stage}\n`),
});
console.log(JSON.stringify({ figures: done.figures, results: done.results.map((d) => d.name) }));
if (out) writeFileSync(out, await project.fetch(done.results[0]!, 'geojson'));
