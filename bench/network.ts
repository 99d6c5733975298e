// npm run bench:network [pieces]: joining streets, one to all, matrix 100 × 1 000, reach of 50 facilities in 3 limits; ratios to SciPy's csgraph and NetworkX.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { crsOfCode, dataOf, FeaturesBuilder, methodOf, Random, runMethod, type Features } from '@helk/core';
import { nodeCount, pieceCount, type Network } from '@helk/core/data/network';
import { graphOf } from '@helk/core/numeric/graph';
import { ShortestPaths } from '@helk/core/numeric/shortest';
import { setupNode } from '@helk/node';

setupNode();
const PIECES = Number(process.argv[2] ?? 1_000_000);
const print = (s: string): void => void process.stdout.write(`${s}\n`);
const dir = mkdtempSync(join(tmpdir(), 'helk-bench-'));
const r = new Random(3);

/** A net of streets of some 100 m, about one in ten left out. */
function town(pieces: number): { streets: Features; at: (i: number, j: number) => [number, number]; side: number } {
  const side = Math.ceil(Math.sqrt(pieces / 1.8));
  const x = Float64Array.from({ length: side * side }, (_, k) => 400_000 + 100 * (k % side) + 40 * r.uniform());
  const y = Float64Array.from(
    { length: side * side },
    (_, k) => 5_700_000 + 100 * Math.floor(k / side) + 40 * r.uniform(),
  );
  const b = new FeaturesBuilder();
  for (let j = 0; j < side; j++)
    for (let i = 0; i < side; i++)
      for (const [u, v] of [
        [1, 0],
        [0, 1],
      ] as const) {
        if (i + u >= side || j + v >= side || r.uniform() < 0.1) continue;
        for (const k of [j * side + i, (j + v) * side + i + u]) b.coordinate(x[k]!, y[k]!);
        b.endRing();
        b.endPart();
        b.endFeature();
      }
  return { streets: b.build('line', crsOfCode(25832), []), side, at: (i, j) => [x[j * side + i]!, y[j * side + i]!] };
}

const ours: Record<string, number> = {};
async function clock<T>(name: string, f: () => T | Promise<T>): Promise<T> {
  const t = process.hrtime.bigint();
  const made = await f();
  ours[name] = Number(process.hrtime.bigint() - t) / 1e9;
  print(`${name}: ${ours[name].toFixed(2)} s`);
  return made;
}
const places = (n: number, side: number, at: (i: number, j: number) => [number, number]): Features => {
  const b = new FeaturesBuilder();
  for (let k = 0; k < n; k++) b.point(...at(Math.floor(side * r.uniform()), Math.floor(side * r.uniform())));
  return b.build('point', crsOfCode(25832), []);
};

try {
  const { streets, side, at } = town(PIECES);
  const network = await clock('joining the streets', async (): Promise<Network> => {
    const o = await runMethod(methodOf('network.build'), { streets: [streets] }, {});
    return dataOf('network', o.outputs[0]!.data)!;
  });
  print(`${pieceCount(network)} pieces, ${nodeCount(network)} nodes`);
  const { there, back } = network.seconds.walk;
  const graph = graphOf(nodeCount(network), network.from, network.to, there, back);
  const source = nodeCount(network) >> 1;
  const paths = new ShortestPaths(graph);
  await clock('one to all', () => paths.run([[source, 0]]));
  let sum = 0;
  for (const c of paths.cost) if (c < Infinity) sum += c;
  const [origins, destinations] = [places(100, side, at), places(1000, side, at)];
  await clock('matrix', () =>
    runMethod(methodOf('network.matrix'), { network: [network], origins: [origins], destinations: [destinations] }, {}),
  );
  await clock('reach of 50 facilities, 5, 10 and 15 min on foot', () =>
    runMethod(methodOf('network.reach'), { network: [network], facilities: [places(50, side, at)] }, {}),
  );
  const edges: number[] = [];
  for (let i = 0; i < pieceCount(network); i++) {
    edges.push(network.from[i]!, network.to[i]!, there[i]!);
    edges.push(network.to[i]!, network.from[i]!, back[i]!);
  }
  writeFileSync(join(dir, 'edges.bin'), Buffer.from(Float64Array.from(edges).buffer));
  const from = Array.from({ length: 100 }, () => Math.floor(nodeCount(network) * r.uniform()));
  writeFileSync(join(dir, 'meta.json'), JSON.stringify({ nodes: nodeCount(network), source, origins: from }));
  const env = { ...process.env };
  delete env['OPENBLAS_CORETYPE'];
  delete env['OPENBLAS_L2_SIZE'];
  const py = spawnSync('/usr/bin/python3', [join(import.meta.dirname, 'network.py'), dir], { env, encoding: 'utf8' });
  if (py.status !== 0) print(`SciPy: not measured (${py.stderr.trim().split('\n').at(-1)})`);
  else {
    const theirs = JSON.parse(py.stdout) as Record<string, number>;
    print(`sums of costs agree to ${Math.abs(sum / theirs['sum']! - 1).toExponential(1)}`);
    for (const [name, s] of Object.entries(theirs))
      if (name !== 'sum') {
        const own = ours[name.split(',')[0]!]!;
        print(`${name}: theirs ${s.toFixed(2)} s, ours ${(own / s).toFixed(2)} times as long`);
      }
  }
} finally {
  rmSync(dir, { recursive: true, force: true });
}
