import * as z from 'zod';
import { plainHeld } from '../../data/cells';
import { plural, type Check } from '../../data/check';
import { cellCount } from '../../data/raster';
import { room } from '../../data/room';
import { numberColumn, type Table } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { choice, flag, number } from '../../method/params';
import { blockBytes } from '../../method/rows';
import { bestStarts, within, type Labels, type Vectors } from '../../numeric/clusters';
import { covarianceOf } from '../../numeric/comoments';
import type { IsodataRules } from '../../numeric/isodata';
import { brightest, byLabels, byMeans, clustered } from './cluster-passes';
import {
  bandUnit,
  classBand,
  gathered,
  MOST_VALUES,
  sampled,
  sceneChecks,
  sceneMoments,
  sceneOf,
  vectorBytes,
} from './scene';

/** Vectors on which starts are tried. */
const TRIED = 20_000;
const MOST_CLUSTERS = 255;

export const cluster = defineMethod({
  id: 'imagery.cluster',
  version: 1,
  title: 'Clusters',
  question: 'Which kinds of surface are there?',
  about:
    'Sorts the cells of a scene into k clusters of like values, without examples. Nearest means: every cell goes to the nearest mean and the means follow, in turns, until no cell changes; starts are spread by k-means++ and the best of ten on a sample is taken. Exchange: cell by cell goes to where the sum of squared distances falls most, the means following at once; both does one after the other. ISODATA begins like nearest means, gives up clusters that are too small, splits those that spread too far and joins those that are too near. Clusters are numbered from the darkest (sum of the means) to the brightest. Cells without a value in every band are left out. Where a scene is too large to be held, the means come from a sample spread evenly over it, which is said.',
  keywords: [
    'k-means',
    'kmeans',
    'unsupervised classification',
    'isodata',
    'segmentation',
    'minimum distance',
    'land cover',
  ],
  sources: [
    'Forgy 1965 (nearest means); Lloyd 1982, doi:10.1109/TIT.1982.1056489',
    'Arthur and Vassilvitskii 2007 (k-means++)',
    'Rubin 1967, doi:10.1016/0022-5193(67)90155-3 (exchange)',
    'Ball and Hall 1965; Tou and Gonzalez 1974, section 3.3.4 (ISODATA)',
  ],
  inputs: { scene: input.raster({ label: 'Scene', bands: 'all', parts: true }) },
  params: z.object({
    method: choice(
      { kmeans: 'nearest means', exchange: 'exchange', both: 'nearest means, then exchange', isodata: 'ISODATA' },
      { label: 'Method' },
    ).default('kmeans'),
    k: number({ label: 'Clusters', min: 2, max: MOST_CLUSTERS, widget: 'clusters' }).default(10),
    maxIterations: number({ label: 'Iterations at most', min: 1, max: 1000 }).default(20),
    standardise: flag({ label: 'Standardise', help: 'Every band counts alike, whatever its spread.' }).default(false),
    sample: number({
      label: 'Cells that the means come from',
      help: 'At most, spread evenly; all that can be held where not given.',
      min: 100,
    }).optional(),
    minCells: number({
      label: 'Least cells of a cluster',
      help: 'Smaller ones are given up.',
      min: 1,
      when: { method: 'isodata' },
    }).optional(),
    maxSd: number({
      label: 'Greatest spread of a cluster',
      help: 'Standard deviation in a band, in its unit (of the whole scene’s, standardised); wider ones are split.',
      above: 0,
      when: { method: 'isodata' },
    }).optional(),
    minDistance: number({
      label: 'Least distance of means',
      help: 'Nearer clusters are joined.',
      min: 0,
      when: { method: 'isodata' },
    }).optional(),
  }),
  outputs: {
    clusters: output.raster('Clusters', undefined, { band: 'category' }),
    statistics: output.table('Statistics of the clusters', 'statistics'),
  },
  figures: {
    clusters: { label: 'Clusters' },
    iterations: { label: 'Iterations' },
    withinVariance: { label: 'Variance within the clusters' },
    cells: { label: 'Cells' },
  },
  checks: ({ scene }, p) => {
    const checks: Check[] = sceneChecks(scene);
    const spreads = scene.bands.flatMap((b) => (b.kind === 'measure' && b.facts ? [b.facts.summary.sd] : []));
    const [least, most] = [Math.min(...spreads), Math.max(...spreads)];
    if (!p.standardise && spreads.length > 1 && most > 20 * least)
      checks.push({
        level: 'look',
        code: 'cluster.scale',
        about: 'standardise',
        message: 'The bands spread very unlike: the widest alone decides which cells are alike.',
        mend: { label: 'Standardise', set: { standardise: true } },
      });
    return checks;
  },
  suggest: ({ scene }, p) => {
    if (p.method !== 'isodata') return {};
    const measures = scene.bands.filter((b) => b.kind === 'measure');
    const sd = p.standardise ? 1 : Math.max(0, ...measures.map((b) => b.facts?.summary.sd ?? 0));
    const n = Math.min(...measures.map((b) => b.facts?.summary.count ?? cellCount(scene.grid)));
    const of = (share: number): number => Number((share * sd).toPrecision(3));
    return {
      minCells: {
        value: Math.max(1, Math.round(n / (20 * (p.k ?? 10)))),
        reason: 'a twentieth of what each would have were they alike',
      },
      ...(sd > 0
        ? {
            maxSd: { value: of(0.5), reason: 'half of the widest band’s standard deviation' },
            minDistance: { value: of(0.25), reason: 'a quarter of the widest band’s standard deviation' },
          }
        : {}),
    };
  },
  estimate: ({ scene }, p) => {
    const n = cellCount(scene.grid);
    const b = scene.bands.length;
    return {
      cells: n,
      bytes:
        Math.min(vectorBytes(scene), 2 ** 30) +
        9 * Math.min(n, 2 ** 28 / b) +
        2 * blockBytes(scene.grid, b + 1) +
        2 ** 25,
      seconds: 1 + (Math.min(n, 2 ** 28 / b) * b * p.k * Math.min(20, p.maxIterations)) / 8e8,
    };
  },
  run: async ({ scene: given }, p, job) => {
    const scene = sceneOf(given);
    const b = scene.bands.length;
    const m = await sceneMoments(job, scene, (s) => 0.1 * s);
    const covariance = covarianceOf(m);
    const sd = Float64Array.from({ length: b }, (_, j) => Math.sqrt(covariance[j * b + j]!));
    // Values are held about the mean of the scene, which keeps their digits in single precision.
    const factor = sd.map((s) => (p.standardise && s > 0 ? 1 / s : 1));
    const most = Math.min(MOST_VALUES, Math.floor(p.sample ?? Infinity) * b);
    const g = await gathered(job, scene, m.n, m.mean, factor, (s) => 0.1 + 0.1 * s, most);
    const v: Vectors = { x: g.x, b };
    const held = g.x.length / b;
    if (!g.cells)
      job.note(
        'look',
        'cluster.sample',
        `The means come from ${plural(held, 'cell')}, spread evenly over the ${plural(m.n, 'cell')} of the scene; every cell is given the nearest.`,
      );
    const k = Math.min(Math.floor(p.k), held);
    const rules = rulesOf(
      p,
      k,
      held,
      sd.map((s, j) => s * factor[j]!),
    );
    const starts = bestStarts({ x: sampled(g.x, b, TRIED), b }, k, job.random);
    const labels: Labels = room(Uint8Array, held).fill(MOST_CLUSTERS);
    const found = await clustered(job, p.method, v, starts, labels, Math.floor(p.maxIterations), rules);
    if (found.left > 0)
      job.note(
        'look',
        'cluster.limit',
        `Stopped at the limit of ${plural(Math.floor(p.maxIterations), 'iteration')}: in the last one ${plural(found.left, 'cell')} of ${plural(held, 'cell')} still changed. More iterations let it settle.`,
      );
    const order = brightest(found, b, factor);
    const sink = job.raster('clusters', {
      grid: given.head.grid,
      bands: [clusterBand(order.length)],
    });
    const last = g.cells
      ? await byLabels(job, given.head.grid, g.cells, v, labels, found.means, order, sink)
      : await byMeans(job, scene, found.means, m.mean, factor, order, sink);
    if (order.length < k && p.method !== 'isodata')
      job.note(
        'look',
        'cluster.fewer',
        `There are only ${plural(order.length, 'kind')} of cells, so there are ${plural(order.length, 'cluster')}.`,
      );
    const spread = within(last, b);
    const cells = last.counts.reduce((s, n) => s + n, 0);
    const statistics: Table = {
      kind: 'table',
      columns: [
        numberColumn(
          'cluster',
          order.map((_, i) => i + 1),
        ),
        numberColumn(
          'cells',
          order.map((c) => last.counts[c]!),
        ),
        ...scene.names.map((name, j) =>
          numberColumn(
            `mean_${name}`,
            order.map(
              (c) => m.mean[j]! + (found.means[c * b + j]! + last.sums[c * b + j]! / last.counts[c]!) / factor[j]!,
            ),
            bandUnit(scene, j),
          ),
        ),
        ...scene.names.map((name, j) =>
          numberColumn(
            `sd_${name}`,
            order.map((c) => Math.sqrt(spread[c * b + j]! / Math.max(1, last.counts[c]! - 1)) / factor[j]!),
            bandUnit(scene, j),
          ),
        ),
      ],
    };
    return {
      clusters: sink,
      statistics,
      figures: {
        clusters: order.length,
        iterations: found.iterations,
        withinVariance: spread.reduce((s, q, i) => s + q / factor[i % b]! ** 2, 0) / cells,
        cells,
      },
    };
  },
});

/** What a band of clusters is before it has cells. */
function clusterBand(n: number) {
  const classes = Array.from({ length: n }, (_, i) => ({ value: i + 1, label: `cluster ${i + 1}`, colour: null }));
  const band = classBand('cluster', classes);
  return { ...band, held: plainHeld(band) };
}

type Params = { minCells?: number | undefined; maxSd?: number | undefined; minDistance?: number | undefined };

const rulesOf = (p: Params, k: number, n: number, sd: Float64Array): IsodataRules => {
  const widest = Math.max(...sd);
  return {
    k,
    minCells: p.minCells ?? Math.max(1, Math.round(n / (20 * k))),
    maxSd: p.maxSd ?? (widest > 0 ? 0.5 * widest : Infinity),
    minDistance: p.minDistance ?? 0.25 * widest,
  };
};
