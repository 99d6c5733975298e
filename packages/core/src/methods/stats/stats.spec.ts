import { setupNode } from '../../../../node/src/index';
import { infoOf, type Dataset } from '../../data/kinds';
import { takeFeatures, valueOf, type Features } from '../../data/features';
import { crsOfCode } from '../../data/crs';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { rowsFor, type Weights } from '../../data/weights';
import { weightsInfo } from '../../data/weights-facts';
import { readFile } from '../../formats';
import { writeDataset } from '../../formats/write';
import { methodOf } from '../../method/registry';
import { runMethod, type Outcome } from '../../method/run';
import { columbus, listsOf, northCarolina, numbers, reference } from './columbus-fixture';
import { middles } from '../../numeric/middles';
import { refusalOf, run } from '../../testing';
import { distanceName } from './local-g';

beforeAll(setupNode);

const R = reference.columbus;
const out = <T extends Dataset>(o: Outcome, role: string): T => o.outputs.find((x) => x.role === role)!.data as T;
const words = (f: Features, name: string): string[] => f.columns.find((c) => c.name === name)!.values as string[];
const close = (a: ArrayLike<number>, b: ArrayLike<number>, within = 1e-6): void => {
  expect(a.length).toBe(b.length);
  for (let i = 0; i < a.length; i++)
    expect(Math.abs(a[i]! - b[i]!)).toBeLessThan(within * Math.max(1, Math.abs(b[i]!)));
};
const withColumn = (f: Features, c: Features['columns'][number]): Features => ({ ...f, columns: [...f.columns, c] });
const middlePoints = (f: Features): Features => {
  const n = f.featureOffsets.length - 1;
  const each = Uint32Array.from({ length: n + 1 }, (_, i) => i);
  return { ...f, geometry: 'point', xy: middles(f), ringOffsets: each, partOffsets: each, featureOffsets: each };
};

describe('stats.weights', () => {
  it('makes neighbours by corner or edge, edge, number and distance, as spdep does', async () => {
    const features = await columbus();
    const made = async (p: Record<string, unknown>): Promise<Weights> =>
      out<Weights>(await run('stats.weights', { features }, p), 'weights');
    expect(listsOf((await made({})).rows)).toEqual(R.queen);
    expect(listsOf((await made({ neighbours: 'rook' })).rows)).toEqual(R.rook);
    expect(listsOf((await made({ neighbours: 'nearest', k: 4 })).rows)).toEqual(R.nearest4);
    const o = await run('stats.weights', { features }, { neighbours: 'distance', power: 1, standardise: 'no' });
    expect(o.figures['distance']).toBeCloseTo(R.alone, 6);
    const inverse = out<Weights>(o, 'weights');
    expect(listsOf(inverse.rows)).toEqual(R.band);
    close(inverse.rows.values, R.inverse.flat());
    expect(listsOf((await made({ order: 2 })).rows)).toEqual(R.second);
  });

  it('tells how connected they are', async () => {
    const o = await run('stats.weights', { features: await columbus() }, { self: true });
    expect(o.figures).toEqual({
      features: 49,
      links: 236,
      meanNeighbours: 236 / 49,
      minNeighbours: Math.min(...R.queen.map((l) => l.length)),
      maxNeighbours: Math.max(...R.queen.map((l) => l.length)),
      islands: 0,
      components: 1,
      distance: null,
    });
    const info = weightsInfo(out<Weights>(o, 'weights'));
    expect(info.self).toBeTrue();
    expect(info.standardised).toBeTrue();
    expect(info.connectivity.reduce((s, v) => s + v, 0)).toBe(49);
  });

  it('goes through a CSV and back, and is then taken in the order of the features', async () => {
    const features = await columbus();
    const w = out<Weights>(await run('stats.weights', { features }), 'weights');
    const csv = new TextDecoder().decode(await writeDataset(w, 'csv'));
    expect(csv.split('\n')[0]!.trim()).toBe('from,to,weight');
    expect(csv.trim().split('\n').length).toBe(237);
    const { layers } = await readFile('near.csv', new TextEncoder().encode(csv));
    const again = layers[0]!.data as Weights;
    expect(again.kind).toBe('weights');
    expect(again.rows.neighbours).toEqual(w.rows.neighbours);
    close(again.rows.values, w.rows.values, 1e-12);
    const [a, b] = [
      await run('stats.moran', { features, weights: w }, { column: 'CRIME' }),
      await run('stats.moran', { features, weights: again }, { column: 'CRIME' }),
    ];
    expect(b.figures['i']).toBeCloseTo(a.figures['i'] as number, 12);
    expect(
      (await refusalOf(readFile('bad.csv', new TextEncoder().encode('from,to,weight\n1,2,1\n1,0,1\n')))).message,
    ).toContain('counted from 1');
    expect(
      (await refusalOf(readFile('bad.csv', new TextEncoder().encode('from,to,weight\n1,2,1\n1,2,1\n')))).message,
    ).toContain('twice');
  });

  it('is refused for other features, however alike in number', async () => {
    const features = await columbus();
    const weights = out<Weights>(await run('stats.weights', { features }), 'weights');
    const turned = takeFeatures(
      features,
      Array.from({ length: 49 }, (_, i) => 48 - i),
    );
    expect((await refusalOf(run('stats.moran', { features: turned, weights }, { column: 'CRIME' }))).message).toContain(
      'made from other features',
    );
    const fewer = takeFeatures(features, [0, 1, 2, 3, 4]);
    expect((await refusalOf(run('stats.moran', { features: fewer, weights }, { column: 'CRIME' }))).message).toContain(
      'are of 49 features',
    );
    // The same features with other columns are the same.
    expect(rowsFor(weights, withColumn(features, numberColumn('new', new Array<number>(49).fill(1))))).toBe(
      weights.rows,
    );
  });

  it('refuses borders of points, powers of nothing, and too many neighbours, with a mend', async () => {
    const points = middlePoints(await columbus());
    expect((await refusalOf(run('stats.weights', { features: points }))).message).toContain('no borders');
    expect(
      (await refusalOf(run('stats.weights', { features: points }, { neighbours: 'nearest', k: 49 }))).message,
    ).toContain('no 49 others');
    const doubled = takeFeatures(points, [0, 0, 1, 2, 3]);
    expect(
      (await refusalOf(run('stats.weights', { features: doubled }, { neighbours: 'nearest', k: 2, power: 1 }))).message,
    ).toContain('at one place');
  });

  it('measures geodesic distances in degrees', async () => {
    const o = await run(
      'stats.weights',
      { features: await northCarolina('own') },
      { neighbours: 'distance', distance: '60 km' },
    );
    expect(listsOf(out<Weights>(o, 'weights').rows)).toEqual(reference.northCarolina.within60km);
  });
});

describe('measures of the whole', () => {
  it('give figures and the same draws for the same seed', async () => {
    const features = await columbus();
    const o = await run('stats.moran', { features }, { column: 'CRIME' });
    expect(o.figures['i']).toBeCloseTo(R.moran.estimate, 8);
    expect(o.figures['z']).toBeCloseTo(R.moran.z, 6);
    expect(o.figures['pPermutation']).toBe(0.001);
    const again = await run('stats.moran', { features }, { column: 'CRIME' });
    expect(out<Table>(again, 'chance').columns[1]!.values).toEqual(out<Table>(o, 'chance').columns[1]!.values);
    const scatter = out<Features>(o, 'scatter');
    // The slope of one over the other is I.
    const [v, l] = [numbers(scatter, 'value'), numbers(scatter, 'lag')];
    const mean = v.reduce((s, a) => s + a, 0) / 49;
    const slope = v.reduce((s, a, i) => s + (a - mean) * l[i]!, 0) / v.reduce((s, a) => s + (a - mean) ** 2, 0);
    expect(slope).toBeCloseTo(R.moran.estimate, 9);
    expect(new Set(words(scatter, 'quadrant'))).toEqual(new Set(['high-high', 'low-low', 'high-low', 'low-high']));
  });
  it('take formulas, leave out missing values and say so', async () => {
    const nc = await northCarolina();
    const o = await run('stats.moran', { features: nc }, { column: 'SID74 / BIR74 * 1000' });
    expect(o.figures['i']).toBeCloseTo(reference.northCarolina.moran.estimate, 8);
    const d = await columbus();
    const gaps = {
      ...numberColumn(
        'gaps',
        Array.from(numbers(d, 'CRIME'), (v, i) => (i < 5 ? NaN : v)),
      ),
    };
    const g = await run('stats.geary', { features: withColumn(d, gaps) }, { column: 'gaps' });
    expect(g.notes.some((n) => n.message.startsWith('5 features without a value'))).toBeTrue();
    const c = await run('stats.globalG', { features: d }, { column: 'CRIME', neighbours: 'distance' });
    expect(c.figures['g']).toBeCloseTo(R.globalG.estimate, 8);
    expect(c.outputs).toEqual([]);
  });
  it('refuse text, values that are all equal, and fewer than three', async () => {
    const d = await columbus();
    const t = withColumn(
      d,
      textColumn(
        'name',
        Array.from({ length: 49 }, (_, i) => `p${i}`),
      ),
    );
    expect((await refusalOf(run('stats.moran', { features: t }, { column: 'name' }))).message).toContain(
      'no numbers but text',
    );
    const same = withColumn(d, numberColumn('same', new Array<number>(49).fill(7)));
    expect((await refusalOf(run('stats.moran', { features: same }, { column: 'same' }))).message).toContain(
      'All values of "same" are 7',
    );
    expect((await refusalOf(run('stats.moran', { features: d }, { column: 'CRIME +' }))).message).toContain(
      'neither a column',
    );
    expect(
      (await refusalOf(run('stats.moran', { features: takeFeatures(d, [0, 1]) }, { column: 'CRIME' }))).message,
    ).toContain('2 features');
    expect((await refusalOf(run('stats.globalG', { features: d }, { column: '-CRIME' }))).message).toContain('below 0');
  });
});

describe('measures of each place', () => {
  it('finds clusters, keeps them apart from what is not significant, and corrects', async () => {
    const features = await columbus();
    const o = await run('stats.localMoran', { features }, { column: 'CRIME', prefix: 'c_' });
    const f = out<Features>(o, 'clusters');
    close(numbers(f, 'c_i'), R.localMoran);
    const all = words(f, 'c_cluster');
    const f1 = o.figures as Record<string, number>;
    expect(all.filter((w) => w === 'high-high').length).toBe(f1['highHigh']!);
    expect(f1['highHigh']! + f1['lowLow']! + f1['highLow']! + f1['lowHigh']! + f1['notSignificant']!).toBe(49);
    numbers(f, 'c_p').forEach((p, i) => expect(all[i] === 'not significant').toBe(p > 0.05));
    const strict = (await run('stats.localMoran', { features }, { column: 'CRIME', correction: 'bonferroni' })).figures;
    const fdr = (await run('stats.localMoran', { features }, { column: 'CRIME', correction: 'fdr' })).figures;
    expect(strict['notSignificant'] as number).toBeGreaterThanOrEqual(fdr['notSignificant'] as number);
    expect(fdr['notSignificant'] as number).toBeGreaterThanOrEqual(f1['notSignificant']!);
  });
  it('makes the same map of the same seed, and hardly another of another', async () => {
    const features = await columbus();
    const p = async (seed: number): Promise<Float64Array> => {
      const made = await runMethod(
        methodOf('stats.localMoran'),
        { features: [features] },
        { column: 'CRIME' },
        { seed },
      );
      return numbers(out<Features>(made, 'clusters'), 'p');
    };
    const first = await p(7);
    expect(await p(7)).toEqual(first);
    const other = await p(8);
    expect(other).not.toEqual(first);
    close(other, first, 0.06);
  });
  it('sets those without neighbours apart', async () => {
    const d = await columbus();
    // Its neighbours have no value.
    const lone = 0;
    const gone = new Set(R.queen[lone]!.map((j) => j - 1));
    const c = numberColumn(
      'v',
      Array.from(numbers(d, 'CRIME'), (v, i) => (gone.has(i) ? NaN : v)),
    );
    const f = out<Features>(await run('stats.localMoran', { features: withColumn(d, c) }, { column: 'v' }), 'clusters');
    const cluster = f.columns.find((o) => o.name === 'cluster')!;
    expect(valueOf(cluster, lone)).toBe('no neighbours');
    expect(valueOf(cluster, [...gone][0]!)).toBeNull();
  });
  it('finds gatherings at several distances, with columns named by them', async () => {
    const features = middlePoints({ ...(await columbus()), crs: crsOfCode(32617) });
    const o = await run('stats.localG', { features }, { column: 'CRIME', distances: '0.8, 1.5 m', prefix: 'y_' });
    const f = out<Features>(o, 'gathered');
    expect(f.columns.map((c) => c.name).slice(-6)).toEqual([
      'y_g_0.8m',
      'y_p_0.8m',
      'y_cluster_0.8m',
      'y_g_1.5m',
      'y_p_1.5m',
      'y_cluster_1.5m',
    ]);
    expect([1000, 1500, 500, 12_345.6].map(distanceName)).toEqual(['1km', '1.5km', '500m', '12.3456km']);
    const star = out<Features>(
      await run('stats.localG', { features: await columbus() }, { column: 'CRIME', neighbours: 'distance' }),
      'gathered',
    );
    close(numbers(star, 'g'), R.localGStar);
    const rows = out<Features>(
      await run('stats.localG', { features: await columbus() }, { column: 'CRIME', self: 'no' }),
      'gathered',
    );
    close(numbers(rows, 'g'), R.localGRows);
    const starRows = out<Features>(
      await run('stats.localG', { features: await columbus() }, { column: 'CRIME' }),
      'gathered',
    );
    close(numbers(starRows, 'g'), R.localGStarRows);
  });
  it('holds the clusters of two runs against each other', async () => {
    const features = await columbus();
    const a = out<Features>(await run('stats.localMoran', { features }, { column: 'CRIME' }), 'clusters');
    const b = out<Features>(await run('stats.localMoran', { features }, { column: 'INC' }), 'clusters');
    const o = await run('stats.compareClusters', { a, b });
    const m = out<Table>(o, 'matrix');
    const total = m.columns.slice(1).reduce((s, c) => s + (c.values as Float64Array).reduce((x, v) => x + v, 0), 0);
    expect(total).toBe(49);
    const same = await run('stats.compareClusters', { a, b: a });
    expect(same.figures['sameShare']).toBe(1);
    const turned = takeFeatures(
      b,
      Array.from({ length: 49 }, (_, i) => 48 - i),
    );
    expect((await refusalOf(run('stats.compareClusters', { a, b: turned }))).message).toContain(
      'not the same features',
    );
  });
});

describe('stats.smoothRate', () => {
  it('comes to the rates of spdep, towards all and towards neighbours', async () => {
    const features = await northCarolina();
    const p = { cases: 'SID74', population: 'BIR74' };
    const all = out<Features>(await run('stats.smoothRate', { features }, p), 'features');
    close(numbers(all, 'rate'), reference.northCarolina.raw, 1e-9);
    close(numbers(all, 'smoothed'), reference.northCarolina.global, 1e-9);
    const near = out<Features>(await run('stats.smoothRate', { features }, { ...p, local: true }), 'features');
    close(numbers(near, 'smoothed'), reference.northCarolina.local, 1e-9);
    const o = await run('stats.smoothRate', { features }, { ...p, per: 1000 });
    expect(o.notes.some((n) => n.code === 'rate.few')).toBeTrue();
    expect(numbers(out<Features>(o, 'features'), 'rate')[0]).toBeCloseTo((1 / 1091) * 1000, 6);
  });
});

describe('stats.regression', () => {
  const p = { dependent: 'CRIME', predictors: 'INC,HOVAL' };
  const G = R.regression;
  const table = (o: Outcome, role: string): Record<string, Record<string, number>> => {
    const [names, ...rest] = out<Table>(o, role).columns;
    return Object.fromEntries(
      (names!.values as string[]).map((n, i) => [
        n,
        Object.fromEntries(rest.map((c) => [c.name, c.values[i] as number])),
      ]),
    );
  };
  it('gives least squares with its diagnostics', async () => {
    const o = await run('stats.regression', { features: await columbus() }, p);
    const c = table(o, 'coefficients');
    ['constant', 'INC', 'HOVAL'].forEach((v, k) => close(Object.values(c[v]!), G.coefficients[k]!, 1e-6));
    const d = table(o, 'diagnostics');
    expect(Object.keys(d)).toEqual([
      'jarqueBera',
      'breuschPagan',
      'koenkerBassett',
      'white',
      'conditionNumber',
      'vif:INC',
      'vif:HOVAL',
      'moran',
      'lmLag',
      'lmError',
      'robustLmLag',
      'robustLmError',
      'sarma',
    ]);
    expect(d['moran']!['value']).toBeCloseTo(G.moran.estimate, 8);
    expect(d['lmLag']!['p']).toBeCloseTo(G.lm.LMlag.p, 8);
    const figures = o.figures as Record<string, number>;
    close(
      [figures['r2']!, figures['sigma2']!, figures['logLikelihood']!, figures['aic']!, figures['n']!],
      [G.r2, G.sigma2, G.logLikelihood, G.aic, 49],
    );
    expect(o.notes.some((n) => n.code === 'model.dependence' && n.message.includes('spatial lag'))).toBeTrue();
  });
  it('gives lag and error models, and what left it', async () => {
    const features = await columbus();
    for (const [model, r, name] of [
      ['lag', G.lag, 'rho'],
      ['error', G.error, 'lambda'],
    ] as const) {
      const o = await run('stats.regression', { features }, { ...p, model });
      const f = o.figures as Record<string, number>;
      close(
        [f[name]!, f['logLikelihood']!, f['aic']!, f['sigma2']!],
        [r.parameter, r.logLikelihood, r.aic, r.sigma2],
        1e-5,
      );
      const d = table(o, 'diagnostics');
      expect(d['likelihoodRatio']!['value']).toBeCloseTo(r.likelihoodRatio.value, 6);
      expect(d['breuschPagan']!['value']).toBeCloseTo(r.breuschPagan.value, 3);
      expect(table(o, 'coefficients')[name]!['standardError']).toBeCloseTo(r.se, 5);
      const left = out<Features>(o, 'residuals');
      close(
        numbers(left, 'fitted').map((v, i) => v + numbers(left, 'residual')[i]!),
        numbers(features, 'CRIME'),
        1e-9,
      );
    }
  });
  it('refuses what explains itself, says nothing new, or has too few features', async () => {
    const features = await columbus();
    expect(
      (await refusalOf(run('stats.regression', { features }, { dependent: 'CRIME', predictors: 'CRIME' }))).message,
    ).toContain('cannot explain itself');
    expect(
      (await refusalOf(run('stats.regression', { features }, { dependent: 'CRIME', predictors: 'INC,INC * 2 + 1' })))
        .message,
    ).toContain('combination');
    expect(
      (await refusalOf(run('stats.regression', { features: takeFeatures(features, [0, 1, 2, 3]) }, p))).message,
    ).toContain('too few');
    const logs = await run(
      'stats.regression',
      { features },
      { dependent: 'log(CRIME)', predictors: 'hypot(INC, 1), HOVAL' },
    );
    expect(Object.keys(table(logs, 'coefficients'))).toEqual(['constant', 'hypot(INC, 1)', 'HOVAL']);
  });
  it('advises by the usual rule, with all models in one table', async () => {
    const o = await run('stats.compareModels', { features: await columbus() }, p);
    expect(o.figures['advised']).toBe('lag');
    const [term, what, ols, lag, error] = out<Table>(o, 'models').columns;
    const at = (t: string, w: string): number =>
      (term!.values as string[]).findIndex((v, i) => v === t && (what!.values as string[])[i] === w);
    expect(ols!.values[at('INC', 'coefficient')]).toBeCloseTo(G.coefficients[1]![0]!, 6);
    expect(lag!.values[at('rho', 'coefficient')]).toBeCloseTo(G.lag.parameter, 5);
    expect(error!.values[at('lambda', 'standardError')]).toBeCloseTo(G.error.se, 5);
    expect(lag!.values[at('aic', 'figure')]).toBeCloseTo(G.lag.aic, 5);
  });
  it('tests whether coefficients hold in parts: Chow, and its forms with space', async () => {
    const features = await columbus();
    const chow = async (model: string) =>
      (await run('stats.stability', { features }, { ...p, groups: 'EW', model })).figures as Record<string, number>;
    const ols = await chow('ols');
    close([ols['chow']!, ols['p']!], [G.chow.value, G.chow.p]);
    expect((await chow('lag'))['chow']).toBeCloseTo(G.chowLag, 4);
    expect((await chow('error'))['chow']).toBeCloseTo(G.chowError, 4);
    expect((await refusalOf(run('stats.stability', { features }, { ...p, groups: 'POLYID' }))).message).toContain(
      '49 values',
    );
  });
});

it('describes weights that were read as lying nowhere', async () => {
  const { layers } = await readFile('w.csv', new TextEncoder().encode('from,to,weight\n1,2,1\n2,1,1\n2,3,0.5\n'));
  const info = infoOf(layers[0]!.data);
  expect(info).toEqual(
    jasmine.objectContaining({ kind: 'weights', places: 3, links: 3, islands: 1, extent: null, crs: null }),
  );
});
