import * as z from 'zod';
import { HelkError } from '../../errors';
import { BAND_ROLES, roleOf, type BandRole } from '../../data/band-roles';
import type { Check } from '../../data/check';
import { cellCount, measureHead, missingOf, type BandInfo, type Cells } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { choice, number, text } from '../../method/params';
import { blockBytes, defineRowKernel, overRows } from '../../method/rows';
import { summaryOf, momentsOf } from '../../numeric/statistics';
import { sceneChecks } from './scene';

/** Roles that an index is made from, in the order in which its formula has them. */
const INDEXES = {
  ndvi: { label: 'NDVI: how green', roles: ['nir', 'red'] },
  ndwi: { label: 'NDWI: open water', roles: ['green', 'nir'] },
  mndwi: { label: 'MNDWI: open water, built land kept apart', roles: ['green', 'swir1'] },
  ndbi: { label: 'NDBI: how built-up', roles: ['swir1', 'nir'] },
  nbr: { label: 'NBR: burnt land', roles: ['nir', 'swir2'] },
  savi: { label: 'SAVI: how green where soil shows', roles: ['nir', 'red'] },
  evi: { label: 'EVI: how green where it is dense', roles: ['nir', 'red', 'blue'] },
} as const satisfies Record<string, { label: string; roles: BandRole[] }>;

type IndexName = keyof typeof INDEXES;
const CHOICES = Object.fromEntries(Object.entries(INDEXES).map(([k, v]) => [k, v.label])) as Record<IndexName, string>;
type Overruled = 'blue' | 'green' | 'red' | 'nir' | 'swir1' | 'swir2';

/** SAVI and EVI have constants in reflectance, so the scale of the values matters to them. */
const needsScale = (name: IndexName): boolean => name === 'savi' || name === 'evi';

const given = (role: BandRole) =>
  text({
    label: `Band for ${role}`,
    help: 'Its name, or its number from 1; where its role is not known.',
    most: 200,
  }).default('');

/** The band that stands for a role: the one that is named, else the one that has it. */
function bandFor(bands: readonly BandInfo[], role: BandRole, name: string): number | string {
  if (name) {
    const byName = bands.findIndex((b) => b.name === name);
    const k = byName >= 0 ? byName : /^\d+$/.test(name) ? Number(name) - 1 : -1;
    if (bands[k]) return k;
    return `${role}: there is no band "${name}"; there are ${bands.map((b, i) => `${i + 1} ${b.name}`).join(', ')}.`;
  }
  const known = bands.flatMap((b, k) => (roleOf(b) === role ? [k] : []));
  if (known.length === 1) return known[0]!;
  const range = BAND_ROLES[role];
  const [low, high] = range ?? [0, 0];
  return known.length
    ? `${known.length} bands are ${role} (${known.map((k) => bands[k]!.name).join(', ')}); say which is meant, ${role}=…`
    : `No band is known to be ${role} (${low} to ${high} nm); say which is, ${role}=1 to ${bands.length}, or give the scene its roles.`;
}

type Named = { index: IndexName } & Record<Overruled, string>;

const bandsFor = (bands: readonly BandInfo[], p: Named): (number | string)[] =>
  INDEXES[p.index].roles.map((r) => bandFor(bands, r, p[r]));

export const index = defineMethod({
  id: 'imagery.index',
  version: 1,
  title: 'Spectral index',
  question: 'How green, how wet, how built-up?',
  about:
    'An index of two or three bands of a scene, from -1 to 1 for the normalised differences. With N near infrared, R red, G green, B blue, S shortwave infrared 1 and T 2: NDVI (N - R) / (N + R); NDWI (G - N) / (G + N); MNDWI (G - S) / (G + S); NDBI (S - N) / (S + N); NBR (N - T) / (N + T); SAVI 1.5 (N - R) / (N + R + 0.5); EVI 2.5 (N - R) / (N + 6 R - 7.5 B + 1). Where the lower part is 0 the result is missing. SAVI and EVI want reflectances: values are divided by what stands for a reflectance of 1.',
  keywords: [
    'ndvi',
    'ndwi',
    'mndwi',
    'ndbi',
    'nbr',
    'savi',
    'evi',
    'vegetation index',
    'water index',
    'burn',
    'greenness',
  ],
  sources: [
    'Rouse et al. 1974 (NDVI)',
    'McFeeters 1996, doi:10.1080/01431169608948714 (NDWI)',
    'Xu 2006, doi:10.1080/01431160600589179 (MNDWI)',
    'Zha, Gao and Ni 2003, doi:10.1080/01431160304987 (NDBI)',
    'Key and Benson 2006 (NBR)',
    'Huete 1988, doi:10.1016/0034-4257(88)90106-X (SAVI)',
    'Huete et al. 2002, doi:10.1016/S0034-4257(02)00096-2 (EVI)',
  ],
  inputs: { scene: input.raster({ label: 'Scene', bands: 'all', parts: true }) },
  params: z.object({
    index: choice(CHOICES, { label: 'Index' }).default('ndvi'),
    blue: given('blue'),
    green: given('green'),
    red: given('red'),
    nir: given('nir'),
    swir1: given('swir1'),
    swir2: given('swir2'),
    scale: number({
      label: 'Value of a reflectance of 1',
      help: 'SAVI and EVI have constants in reflectance.',
      above: 0,
    }).default(1),
  }),
  outputs: { index: output.raster('Index', undefined, { band: 'measure', unit: 'no unit' }) },
  figures: { min: { label: 'Lowest' }, max: { label: 'Highest' }, mean: { label: 'Mean' } },
  checks: ({ scene }, p): Check[] => {
    const odd = sceneChecks(scene, 2);
    if (odd[0]?.level === 'refused') return odd;
    const roles = INDEXES[p.index].roles;
    const found = bandsFor(scene.bands, p);
    const wrong = found.flatMap((f, k): Check[] =>
      typeof f === 'string' ? [{ level: 'refused', code: 'index.role', about: roles[k]!, message: f }] : [],
    );
    if (wrong.length) return wrong;
    if (new Set(found).size < found.length)
      return [
        {
          level: 'refused',
          code: 'index.twice',
          about: roles[1],
          message: `One band stands for ${roles.join(' and ')}: the index would be the same everywhere.`,
        },
      ];
    return [
      ...odd,
      {
        level: 'fine',
        code: 'index.bands',
        message: `Taken: ${roles.map((r, k) => `${r} ${scene.bands[found[k] as number]!.name}`).join(', ')}.`,
      },
    ];
  },
  suggest: ({ scene }, p) => {
    const name = p.index ?? 'ndvi';
    if (!needsScale(name)) return {};
    const most = Math.max(...scene.bands.map((b) => b.facts?.summary.max ?? 1));
    return most > 2
      ? { scale: { value: 10000, reason: 'the values go beyond 2, so they are no reflectances; 10 000 is usual' } }
      : { scale: { value: 1, reason: 'the values are reflectances already' } };
  },
  estimate: ({ scene }) => ({
    cells: cellCount(scene.grid),
    bytes: blockBytes(scene.grid, 4),
    seconds: cellCount(scene.grid) / 4e7,
  }),
  run: async ({ scene }, p, job) => {
    const { grid, bands } = scene.head;
    const used = bandsFor(bands, p).map((f) => {
      if (typeof f === 'string') throw new HelkError('method.parameter', f);
      return f;
    });
    const sink = job.raster('index', measureHead(grid, { name: p.index, unit: '', role: 'difference' }));
    const params = { index: p.index, scale: p.scale, missing: used.map((k) => missingOf(bands[k]!)) };
    const inputs = used.map((band) => ({ of: scene, band }));
    const told = await overRows(job, 'computing', grid, inputs, indexRows, params, sink, ['float32']);
    const { min, max, mean, count } = summaryOf(told);
    if (count === 0) job.note('look', 'index.empty', 'Every cell of the result is missing.');
    return { index: sink, figures: { min, max, mean } };
  },
});

interface Indexing {
  index: IndexName;
  scale: number;
  missing: number[];
}

const indexRows = defineRowKernel('imagery.index', ({ index: name, scale, missing }: Indexing, block) => {
  const [a, b, c] = [0, 1, 2].map((k) => (block.inputs[k] ?? block.inputs[0]!).cells) as [Cells, Cells, Cells];
  const [ma, mb, mc] = [0, 1, 2].map((k) => missing[k] ?? NaN) as [number, number, number];
  const out = block.out[0]!;
  for (let i = 0; i < out.length; i++) {
    const x = a[i]!;
    const y = b[i]!;
    const z = c[i]!;
    if (x === ma || y === mb || z === mc) {
      out[i] = NaN;
      continue;
    }
    let over = x - y;
    let under = x + y;
    if (name === 'savi') {
      over *= 1.5;
      under += 0.5 * scale;
    } else if (name === 'evi') {
      over *= 2.5;
      under = x + 6 * y - 7.5 * z + scale;
    }
    // Values of 0 in both bands are what is left where a scene ends.
    out[i] = under === 0 ? NaN : over / under;
  }
  return momentsOf(out);
});
