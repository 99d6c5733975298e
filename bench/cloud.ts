// npm run bench:cloud [million points]: reading, taking in, classifying and gridding of clouds, 50 million points by default; ratios to what reading
// the bytes alone takes, and to NumPy where it is installed. Memory is the most the process held.
import { spawnSync } from 'node:child_process';
import { closeSync, mkdtempSync, openSync, readFileSync, readSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import {
  crsOfCode,
  handleOn,
  kindOf,
  methodOf,
  room,
  runOn,
  pointValues,
  type AnyHandle,
  type Cloud,
  type PieceStore,
} from '@helk/core';
import { openFile } from '@helk/core/formats';
import { writeTo } from '@helk/core/formats/write';
import { fileSink, fileSource, setupNode } from '@helk/node';

setupNode();
const million = Number(process.argv[2] ?? 50);
const print = (s: string): void => void process.stdout.write(`${s}\n`);
const dir = mkdtempSync(join(tmpdir(), 'helk-bench-'));
const status = (name: string): number =>
  1024 * Number(new RegExp(`^${name}:\\s+(\\d+) kB`, 'm').exec(readFileSync('/proc/self/status', 'utf8'))![1]);
const gib = (b: number): string => (b / 2 ** 30).toFixed(2);
const collect = (globalThis as { gc?: () => void }).gc ?? (() => undefined);

/** Rolling land with blocks on it, a quarter of a metre a point, flown over in lines. */
function landscape(n: number): Cloud {
  const side = Math.floor(Math.sqrt(n));
  const count = side * side;
  const [x, y, z] = [room(Int32Array, count), room(Int32Array, count), room(Int32Array, count)];
  const classes = pointValues('uint8', count);
  const intensity = pointValues('uint16', count);
  const time = pointValues('float64', count);
  for (let j = 0, i = 0; j < side; j++)
    for (let c = 0; c < side; c++, i++) {
      const [u, v] = [c * 25 + ((i * 7919) % 23), j * 25 + ((i * 104_729) % 23)];
      const ground = 5000 + 2000 * Math.sin(u / 60_000) * Math.cos(v / 45_000) + ((i * 31) % 7);
      const block = Math.floor(u / 3000) % 3 === 1 && Math.floor(v / 2500) % 3 === 1;
      const tree = !block && (i * 2_654_435_761) % 97 < 9;
      x[i] = u;
      y[i] = v;
      z[i] = ground + (block ? 700 : tree ? 200 + ((i * 17) % 900) : 0);
      classes[i] = block ? 6 : tree ? 5 : 2;
      intensity[i] = (i * 13) % 4000;
      time[i] = 3e8 + i / 5e5;
    }
  const attribute = (
    name: string,
    type: 'uint8' | 'uint16' | 'float64',
    values: Cloud['attributes'][number]['values'],
  ) => ({
    name,
    type,
    unit: null,
    values,
  });
  return {
    kind: 'cloud',
    crs: crsOfCode(32627),
    heightUnit: 'm',
    scale: [0.01, 0.01, 0.01],
    offset: [500_000, 6_400_000, 0],
    x,
    y,
    z,
    attributes: [
      attribute('classification', 'uint8', classes),
      attribute('intensity', 'uint16', intensity),
      attribute('time', 'float64', time),
    ],
  };
}

async function timed<T>(
  name: string,
  n: number,
  work: () => Promise<T>,
  against?: number,
): Promise<{ made: T; seconds: number }> {
  collect();
  writeFileSync('/proc/self/clear_refs', '5');
  const start = performance.now();
  const made = await work();
  const seconds = (performance.now() - start) / 1000;
  const ratio = against ? `, ${(seconds / against).toFixed(2)} of the reference` : '';
  print(
    `${name}: ${seconds.toFixed(1)} s, ${(n / 1e6 / seconds).toFixed(2)} million points a second, up to ${gib(status('VmHWM'))} GiB${ratio}`,
  );
  return { made, seconds };
}

/** Seconds NumPy takes for the highest point of each cell, from arrays in memory; null where it is not installed. */
function numpyGrid(n: number): number | null {
  const code = `
import numpy as np, time
n=${n}
side=int(n**.5); i=np.arange(side*side)
u=(i%side)*25+(i*7919)%23; v=(i//side)*25+(i*104729)%23; z=(5000+2000*np.sin(u/60000)).astype(np.float32)
t=time.perf_counter()
c=(v//50)*(side//2+1)+u//50
out=np.full(c.max()+1,-np.inf,np.float32)
np.maximum.at(out,c,z)
print(time.perf_counter()-t)`;
  const r = spawnSync('/usr/bin/python3', ['-c', code], { encoding: 'utf8' });
  return r.status === 0 ? Number(r.stdout) : null;
}

/** Pieces in a table as a project file has them. */
function projectPieces(path: string): { pieces: PieceStore; close(): void } {
  const db = new Database(path);
  db.pragma('journal_mode = WAL');
  db.pragma('synchronous = NORMAL');
  db.exec(
    'CREATE TABLE pieces (array TEXT, level INTEGER, key INTEGER, bytes BLOB, PRIMARY KEY (array, level, key)) WITHOUT ROWID',
  );
  const put = db.prepare('INSERT INTO pieces VALUES (?, ?, ?, ?)');
  const get = db.prepare('SELECT bytes FROM pieces WHERE array = ? AND level = ? AND key = ?');
  return {
    pieces: {
      put: (array, level, key, bytes) => Promise.resolve(void put.run(array, level, key, Buffer.from(bytes))),
      get: (array, level, key) =>
        Promise.resolve((get.get(array, level, key) as { bytes: Uint8Array } | undefined)?.bytes),
    },
    close: () => db.close(),
  };
}

async function main(): Promise<void> {
  const file = join(dir, 'cloud.las');
  const n = Math.floor(Math.sqrt(million * 1e6)) ** 2;
  {
    const cloud = landscape(million * 1e6);
    const fd = openSync(file, 'w');
    await timed('writing LAS 1.4', n, () => writeTo(fileSink(fd), handleOn(cloud), 'las'));
    closeSync(fd);
  }
  print(`${(n / 1e6).toFixed(1)} million points, ${(statSync(file).size / 1e9).toFixed(2)} GB of LAS`);
  const bytes = await timed('reading the bytes', n, () => {
    const fd = openSync(file, 'r');
    const buffer = new Uint8Array(2 ** 22);
    let sum = 0;
    for (let got = 1; got > 0;) {
      got = readSync(fd, buffer);
      for (let k = 0; k < got; k += 64) sum += buffer[k]!;
    }
    closeSync(fd);
    return Promise.resolve(sum);
  });
  const open = async (): Promise<AnyHandle> =>
    (await openFile('cloud.las', fileSource(openSync(file, 'r')))).layers[0]!.handle;
  await timed('reading the points', n, async () => (await open()).load(), bytes.seconds);
  const store = projectPieces(join(dir, 'project.db'));
  const taken = await timed('taking in (levels, packing, project file)', n, async () => {
    const h = await open();
    return kindOf(h).pack(h, store.pieces, () => undefined);
  });
  const stored = kindOf(taken.made).open(taken.made, store.pieces);
  const run = (id: string, params: Record<string, unknown>) => () =>
    runOn(methodOf(id), { cloud: [stored] }, params, {});
  const reference = numpyGrid(n);
  if (reference !== null) print(`NumPy, highest of each cell from arrays in memory: ${reference.toFixed(1)} s`);
  await timed(
    'grid, highest of cells of 0.5 m',
    n,
    run('cloud.grid', { statistic: 'max', cellSize: '0.5 m' }),
    reference ?? undefined,
  );
  store.close();
  const ten = Math.min(10, million);
  const small = landscape(ten * 1e6);
  for (const method of ['cloth', 'morphological'])
    await timed(`ground of ${ten} million, ${method}`, small.x.length, () =>
      runOn(methodOf('cloud.classifyGround'), { cloud: [handleOn(small)] }, { method, cellSize: '1 m' }, {}),
    );
}

main().finally(() => rmSync(dir, { recursive: true, force: true }));
