import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setupNode } from '@helk/node';
import type { Features, Raster } from '@helk/core';
import { readFile, writeGeoJson, writeGeoTiff } from '@helk/core/formats';
import { valley, WATERSHED } from '@helk/core/recipe/recipe-fixture';
import { writeRecipe } from '@helk/core/recipe/shape';

setupNode();

describe('recipes and run tables on the command line', () => {
  const dir = mkdtempSync(join(tmpdir(), 'helk-recipes-'));
  const at = (name: string): string => join(dir, name);
  const { tiles, outlet } = valley();
  const data = [
    '--in',
    `tiles=${at('west.tif')}`,
    '--in',
    `tiles=${at('east.tif')}`,
    '--in',
    `outlets=${at('gauge.geojson')}`,
  ];
  beforeAll(async () => {
    writeFileSync(at('west.tif'), await writeGeoTiff(tiles[0]!));
    writeFileSync(at('east.tif'), await writeGeoTiff(tiles[1]!));
    writeFileSync(at('gauge.geojson'), writeGeoJson(outlet));
    writeFileSync(at('watershed.json'), writeRecipe(WATERSHED));
  });
  afterAll(() => rmSync(dir, { recursive: true, force: true }));

  const helk = (...args: string[]): { code: number; out: string; err: string } => {
    const r = spawnSync(process.execPath, ['dist/cli/main.js', ...args], { encoding: 'utf8', cwd: process.cwd() });
    return { code: r.status ?? -1, out: r.stdout, err: r.stderr };
  };
  const read = async (path: string): Promise<unknown> =>
    (await readFile(path, new Uint8Array(readFileSync(path)))).layers[0]!.data;

  it('tells what goes in, the steps and what comes out', () => {
    const r = helk('recipe', 'check', at('watershed.json'));
    expect(r.code).toBe(0);
    for (const words of [
      'tiles  rasters, one or more',
      '2. fill',
      '--set watersheds.snap  30 m',
      'watersheds.watersheds',
    ])
      expect(r.out).toContain(words);
    const j = JSON.parse(helk('recipe', 'check', at('watershed.json'), '--json').out) as {
      makes: string[];
      checks: [];
    };
    expect(j.makes).toEqual(['watersheds.watersheds']);
    expect(j.checks).toEqual([]);
  });

  it('refuses one that cannot run, with the step and the reason', () => {
    writeFileSync(at('broken.json'), writeRecipe(WATERSHED).replace('terrain.fill', 'terrain.drown'));
    for (const args of [
      ['check', at('broken.json')],
      ['run', at('broken.json'), ...data, '--out', at('never')],
    ]) {
      const r = helk('recipe', ...args);
      expect(r.code).toBe(2);
      expect(r.err).toContain('Step 2 (fill): There is no method "terrain.drown"');
    }
    expect(existsSync(at('never'))).toBeFalse();
    expect(helk('recipe', 'check', at('gone.json')).code).toBe(2);
    expect(
      helk('recipe', 'run', at('watershed.json'), '--in', `lid=${at('west.tif')}`, '--out', at('never')).err,
    ).toContain('no input "lid"; it takes tiles, outlets');
  });

  it('gives what the single commands give', async () => {
    const r = helk('recipe', 'run', at('watershed.json'), ...data, '--set', 'keep=all', '--out', at('whole'), '--json');
    expect(r.err).toBe('');
    expect(r.code).toBe(0);
    const told = JSON.parse(r.out) as { recipe: string; outputs: { role: string; file: string }[]; steps: unknown[] };
    expect(told.recipe).toBe('Watershed of a gauge');
    expect(told.steps.length).toBe(3);
    expect(told.outputs.map((o) => o.role)).toContain('fill.filled');
    helk('run', 'raster.mosaic', ...data.slice(0, 4), '--out', at('single'));
    helk('run', 'terrain.fill', '--in', `elevation=${at('single/mosaic.tif')}`, '--out', at('single'));
    helk(
      ...[
        'run',
        'terrain.watersheds',
        '--in',
        `elevation=${at('single/filled.tif')}`,
        '--in',
        `outlets=${at('gauge.geojson')}`,
      ],
      ...['--set', 'snap=30 m', '--out', at('single')],
    );
    const cells = (r: unknown): unknown => (r as Raster).bands[0]!.cells;
    expect(cells(await read(at('whole/fill.filled.tif')))).toEqual(cells(await read(at('single/filled.tif'))));
    expect(((await read(at('whole/watersheds.watersheds.geojson'))) as Features).xy).toEqual(
      ((await read(at('single/watersheds.geojson'))) as Features).xy,
    );
  });

  it('runs a table, the failing row among the others', async () => {
    const files = 'west.tif; east.tif';
    writeFileSync(
      at('runs.csv'),
      [
        'in:tiles,in:outlets,snap',
        `${files},gauge.geojson,30 m`,
        `${files},gauge.geojson,30 kg`,
        `${files},gauge.geojson,0 m`,
        'gone.tif,gauge.geojson,1 m',
        '',
      ].join('\n'),
    );
    const r = helk(
      ...['table', 'run', at('runs.csv'), '--recipe', at('watershed.json'), '--out', at('table')],
      ...['--names', 'land {snap}', '--json'],
    );
    expect(r.code).toBe(1);
    expect(r.err).toContain('2 of 4 rows failed');
    const told = JSON.parse(r.out) as { done: number; failed: number; rows: { state: string; reason: string }[] };
    expect([told.done, told.failed]).toEqual([2, 2]);
    expect(told.rows[1]!.reason).toContain('"kg"');
    expect(told.rows[3]!.reason).toContain('gone.tif');
    expect(readdirSync(at('table')).sort()).toEqual(['land 0 m.geojson', 'land 30 m.geojson', 'report.csv']);
    const report = readFileSync(at('table/report.csv'), 'utf8').split('\n');
    expect(report[0]).toMatch(/^row,state,reason,seconds,/);
    expect(report[1]).toMatch(/^1,done,,[\d.]+,/);
    expect(report[2]).toMatch(/^2,failed,/);
    helk('recipe', 'run', at('watershed.json'), ...data, '--set', 'watersheds.snap=0 m', '--out', at('alone'));
    expect(readFileSync(at('table/land 0 m.geojson'))).toEqual(readFileSync(at('alone/watersheds.watersheds.geojson')));
  });

  it('refuses a column that is neither before anything runs', () => {
    writeFileSync(at('odd.csv'), 'in:elevation,colour\nwest.tif,red\n');
    const r = helk('table', 'run', at('odd.csv'), '--method', 'terrain.slope', '--out', at('odd'));
    expect(r.code).toBe(2);
    expect(r.err).toContain('"colour" is neither an input nor a setting of Slope');
    expect(existsSync(at('odd'))).toBeFalse();
    expect(helk('table', 'run', at('odd.csv'), '--out', at('odd')).err).toContain('--method ID or --recipe FILE');
  });

  it('names several results of a row by their roles, and nothing of a name acts as a path', () => {
    writeFileSync(at('fill.csv'), 'in:elevation,minSlope\nwest.tif,0\nwest.tif,0.01\n');
    const r = helk(
      ...[
        'table',
        'run',
        at('fill.csv'),
        '--method',
        'terrain.fill',
        '--out',
        at('fills'),
        '--names',
        '../../{elevation}/{minSlope}',
      ],
    );
    expect(r.err).toBe('');
    expect(readdirSync(at('fills')).sort()).toEqual(
      ['west-0.01.depth.tif', 'west-0.01.filled.tif', 'west-0.depth.tif', 'west-0.filled.tif', 'report.csv'].sort(),
    );
  });

  it('leaves whole files when it is killed, and a report of what is done', async () => {
    const rows = Array.from({ length: 60 }, (_, k) => `west.tif; east.tif,gauge.geojson,${k} m`);
    writeFileSync(at('long.csv'), ['in:tiles,in:outlets,snap', ...rows, ''].join('\n'));
    const child = spawn(process.execPath, [
      ...['dist/cli/main.js', 'table', 'run', at('long.csv'), '--recipe', at('watershed.json')],
      ...['--out', at('long'), '--names', 'row {row}'],
    ]);
    while (!existsSync(at('long/row 3.geojson')) && child.exitCode === null) await new Promise((r) => setTimeout(r, 5));
    child.kill('SIGKILL');
    await new Promise((r) => child.once('exit', r));
    const whole = readdirSync(at('long')).filter((f) => f.endsWith('.geojson'));
    expect(whole.length).toBeGreaterThanOrEqual(3);
    for (const f of whole) expect(() => JSON.parse(readFileSync(at(`long/${f}`), 'utf8')) as unknown).not.toThrow();
    expect(readFileSync(at('long/report.csv'), 'utf8').trim().split('\n').length).toBeGreaterThanOrEqual(3);
  });
});
