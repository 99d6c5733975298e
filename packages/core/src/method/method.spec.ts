import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { setupNode } from '../../../node/src/index';
import * as z from 'zod';
import { sourceNames } from './job';
import { paramSpecs, plainParam, several } from './params';
import { ERRORS, toProblem, HelkError } from '../errors';
import { rasterOf, refusalOf, run } from '../testing';
import { describeMethod } from './describe';
import { FAMILIES, familyOf, methodOf, methods } from './registry';
import { forecast, resolveParams } from './resolve';
import { runMethod } from './run';
import { bandFacts } from '../data/band-facts';
import type { Check } from '../data/check';
import { infoOf } from '../data/kinds';
import type { RasterInfo } from '../data/raster';

beforeAll(setupNode);

const CATALOGUE = [
  'raster.mosaic',
  'raster.gaps',
  'raster.fillGaps',
  'raster.reproject',
  'raster.clip',
  'raster.difference',
  'raster.rescale',
  'raster.statistics',
  'terrain.fill',
  'terrain.slope',
  'terrain.aspect',
  'terrain.hillshade',
  'imagery.stack',
  'imagery.index',
  'imagery.components',
  'imagery.cluster',
  'imagery.separability',
  'imagery.classify',
  'imagery.samplePlaces',
  'imagery.accuracy',
  'imagery.classAreas',
  'imagery.sieve',
  'raster.changeMatrix',
];

describe('the registry', () => {
  it('holds the methods of the catalogue, each described for people', () => {
    const ids = methods().map((m) => m.id);
    for (const id of CATALOGUE) expect(ids).toContain(id);
    expect(new Set(ids).size).toBe(ids.length);
    for (const m of methods()) {
      const d = describeMethod(m);
      expect(d.question.endsWith('?')).withContext(m.id).toBeTrue();
      expect(d.about.length).withContext(m.id).toBeGreaterThan(40);
      expect(d.sources.length).withContext(m.id).toBeGreaterThan(0);
      expect(Object.keys(FAMILIES)).toContain(familyOf(m));
      for (const p of Object.values(d.params)) expect(p.label.length).toBeGreaterThan(1);
      expect(JSON.parse(JSON.stringify(d)))
        .withContext(`${m.id} survives JSON`)
        .toEqual(d as never);
    }
  });
  it('says of methods only what there is: inputs of previews, roles, settings and jobs of the workbench', () => {
    const served = methods().flatMap((m) => (m.serves ? [m.serves] : []));
    expect(new Set(served).size).withContext('one method a job').toBe(served.length);
    for (const m of methods()) {
      const { preview } = m;
      if (preview) {
        expect(Object.keys(m.inputs)).withContext(m.id).toContain(preview.input);
        for (const name of [...('param' in preview ? [preview.param] : []), ...Object.keys(preview.when ?? {})])
          expect(Object.keys(m.params.shape)).withContext(m.id).toContain(name);
      }
      for (const o of Object.values(m.outputs)) {
        const { like, parts, judged, panel } = o.shows ?? {};
        for (const role of [like, parts, judged?.input])
          if (role) expect(Object.keys(m.inputs)).withContext(m.id).toContain(role);
        for (const role of [judged?.doubt, panel?.of])
          if (role) expect(Object.keys(m.outputs)).withContext(m.id).toContain(role);
        if (judged) expect(Object.keys(m.params.shape)).withContext(m.id).toContain(judged.param);
      }
    }
  });
  it('calls every family by a name', () => {
    for (const m of methods()) expect(describeMethod(m).familyTitle).not.toBe(familyOf(m));
  });
  it('tells inputs apart by the names given, their own, or numbers', () => {
    expect(sourceNames('a, b', ['x', 'y'], ['u', 'v'])).toEqual(['a', 'b']);
    expect(sourceNames('', ['x', 'y'], ['u', 'v'])).toEqual(['x', 'y']);
    expect(sourceNames('', undefined, ['u', 'u', 'v'])).toEqual(['u 1', 'u 2', 'v']);
    expect(() => sourceNames('a', undefined, ['u', 'v'])).toThrowError(/1 names are given for 2/);
  });
  it('names near ids when asked for one that is not there', () => {
    expect(() => methodOf('terrain.slop')).toThrowError(/terrain\.slope/);
  });
});

describe('parameters', () => {
  it('of several out of a few take texts and lists, each once, and name what there is', () => {
    const schema = several({ mean: 'mean', sd: 'standard deviation', median: 'median' }, { label: 'Statistics' });
    expect(schema.parse('sd, mean,sd')).toEqual(['sd', 'mean']);
    expect(schema.parse(['median'])).toEqual(['median']);
    expect(schema.safeParse('mean, mode').error!.issues[0]!.message).toBe(
      'there is no "mode"; there are mean, sd, median.',
    );
    expect(schema.safeParse(' , ').error!.issues[0]!.message).toBe('choose at least one of mean, sd, median.');
    const spec = paramSpecs(z.object({ statistics: schema }))['statistics']!;
    expect(spec.choices!.map((c) => c.label)).toEqual(['mean', 'standard deviation', 'median']);
    expect(schema.parse(plainParam(spec, ['sd', 'mean']))).toEqual(['sd', 'mean']);
  });
  const r = { raster: [infoOf(rasterOf(3, [1, 2, 3, 4, 5, 6, 7, 8, 9]))] };
  it('resolve to plain values that resolve to the same again', () => {
    for (const [id, given] of [
      ['raster.reproject', { crs: 'EPSG:3035', cellSize: '0.5 km' }],
      ['raster.fillGaps', { maxDistance: '1 km', method: 'idw' }],
      ['raster.clip', { bounds: '400000, 6459970; 400020 6459990' }],
      ['raster.statistics', { percentiles: '10 90' }],
    ] as const) {
      const once = resolveParams(methodOf(id), r, given);
      expect(resolveParams(methodOf(id), r, once.plain).plain)
        .withContext(id)
        .toEqual(once.plain);
    }
  });
  it('take an empty field as not given', () => {
    expect(resolveParams(methodOf('raster.reproject'), r, { crs: '', cellSize: '' }).plain['crs']).toBe('EPSG:32627');
  });
  it('are refused by name: unknown, out of range, not a number, missing', async () => {
    const z = { elevation: rasterOf(2, [1, 2, 3, 4]) };
    for (const [params, path] of [
      [{ zfactor: 1 }, 'zfactor'],
      [{ zFactor: 0 }, 'zFactor'],
      [{ zFactor: '1e' }, 'zFactor'],
      [{ unit: 'mil' }, 'unit'],
    ] as const) {
      const e = await refusalOf(run('terrain.slope', z, params));
      expect([e.code, e.path]).toEqual(['method.parameter', path]);
    }
    const e = await refusalOf(run('raster.reproject', { raster: rasterOf(1, [1], { crs: null }) }));
    expect(e.path).toBe('crs');
  });
});

describe('runs', () => {
  it('stop at cancel and never return half a result', async () => {
    const e = await refusalOf(
      runMethod(
        methodOf('terrain.fill'),
        { elevation: [rasterOf(3, [1, 2, 3, 4, 5, 6, 7, 8, 9])] },
        {},
        { isCancelled: () => true },
      ),
    );
    expect(e.code).toBe('run.cancelled');
  });
  it('refuse what would not fit into memory, with both figures', async () => {
    const e = await refusalOf(
      runMethod(
        methodOf('terrain.slope'),
        { elevation: [rasterOf(3, [1, 2, 3, 4, 5, 6, 7, 8, 9])] },
        {},
        { memoryLimit: 10 },
      ),
    );
    expect(e.code).toBe('method.memory');
    expect(e.message).toContain('GiB');
  });
  it('report progress from nothing to the end', async () => {
    const seen: number[] = [];
    await runMethod(
      methodOf('raster.reproject'),
      {
        raster: [
          rasterOf(
            40,
            Array.from({ length: 4000 }, (_, i) => i),
          ),
        ],
      },
      { crs: 3035 },
      { onProgress: (s) => seen.push(s) },
    );
    expect(seen[0]).toBe(0);
    expect(seen.every((s, i) => i === 0 || s >= seen[i - 1]!)).toBeTrue();
  });
  it('refuse wrong inputs: unknown role, too many, wrong kind', async () => {
    const z = rasterOf(2, [1, 2, 3, 4]);
    expect((await refusalOf(run('terrain.slope', { height: z }))).message).toContain('elevation');
    expect((await refusalOf(run('terrain.slope', { elevation: [z, z] }))).code).toBe('method.input');
    const table = (await run('raster.statistics', { raster: z })).outputs[0]!.data;
    expect((await refusalOf(run('terrain.slope', { elevation: table }))).message).toContain('raster');
  });
  it('forecast checks without cells: nearest for elevations offers bilinear', () => {
    const f = forecast(
      methodOf('raster.reproject'),
      { raster: [infoOf(rasterOf(2, [1, 2, 3, 4]))] },
      { crs: 'EPSG:3035', resampling: 'nearest' },
    );
    expect(f.checks.find((c) => c.code === 'resampling.nearest')?.mend?.set).toEqual({ resampling: 'bilinear' });
  });
});

describe('the error catalogue', () => {
  const sources = (dir: string): string[] =>
    readdirSync(dir).flatMap((f) =>
      statSync(join(dir, f)).isDirectory()
        ? sources(join(dir, f))
        : /\.ts$/.test(f) && !/\.spec\.ts$/.test(f)
          ? [join(dir, f)]
          : [],
    );
  it('holds no code that nothing throws', () => {
    const text =
      ['packages/core/src', 'packages/node/src', 'apps/server/src', 'apps/cli/src']
        .flatMap(sources)
        .filter((f) => !f.endsWith('core/src/errors.ts'))
        .map((f) => readFileSync(f, 'utf8'))
        .join('\n') + readFileSync('packages/core/src/errors.ts', 'utf8').split('toProblem')[1];
    for (const code of Object.keys(ERRORS))
      expect(text.includes(`'${code}'`))
        .withContext(code)
        .toBeTrue();
  });
  it('keeps kind and sentence across threads, and turns full disks and failed allocations into words', () => {
    const e = new HelkError('file.empty', 'x', 'p');
    expect(toProblem(structuredClone({ name: 'HelkError', code: e.code, message: e.message, path: e.path }))).toEqual({
      code: 'file.empty',
      message: 'x',
      path: 'p',
    });
    expect(toProblem(Object.assign(new Error('database or disk is full'), { code: 'SQLITE_FULL' })).code).toBe(
      'store.full',
    );
    expect(toProblem(new RangeError('Array buffer allocation failed')).code).toBe('method.memory');
  });
});

describe('a missing-value code in the data', () => {
  const coded = (): ReturnType<typeof rasterOf> =>
    rasterOf(
      40,
      Array.from({ length: 1600 }, (_, i) => (i % 40 < 2 ? -9999 : 100 + (i % 37))),
    );
  const sound = (): ReturnType<typeof rasterOf> =>
    rasterOf(
      40,
      Array.from({ length: 1600 }, (_, i) => 100 + (i % 37)),
    );
  const known = (d: ReturnType<typeof rasterOf>): RasterInfo => {
    const info = infoOf(d) as RasterInfo;
    return { ...info, bands: [{ ...info.bands[0]!, facts: bandFacts(d.bands[0]!, d.grid) }] };
  };
  const codes = (id: string, infos: Record<string, ReturnType<typeof rasterOf>[]>, params = {}): Check[] =>
    forecast(
      methodOf(id),
      Object.fromEntries(Object.entries(infos).map(([r, l]) => [r, l.map(known)])),
      params,
    ).checks.filter((c) => c.code === 'band.suspectCode');

  it('is said before any run that would take it for a value, with its mend', () => {
    for (const [id, role] of [
      ['terrain.slope', 'elevation'],
      ['raster.smooth', 'raster'],
      ['raster.toPoints', 'rasters'],
    ] as const) {
      const [c] = codes(id, { [role]: [coded()] });
      expect(c?.message).withContext(id).toContain('-9999 stands apart');
      expect(c?.mend?.run).toEqual({
        method: 'raster.formula',
        role: 'rasters',
        input: role,
        params: { formula: 'a == -9999 ? 0 / 0 : a', unit: 'm' },
      });
    }
  });

  it('is said once of many, which are mended each by itself', () => {
    const all = codes('raster.mosaic', { tiles: [coded(), sound(), coded()] });
    expect(all.map((c) => [c.message.slice(0, 15), c.mend?.run?.each])).toEqual([['In 2 of 3: -999', [0, 2]]]);
  });

  it('is not said by what mends it', () => {
    expect(codes('raster.formula', { rasters: [coded()] }, { formula: 'a == -9999 ? 0 / 0 : a' })).toEqual([]);
  });
});
