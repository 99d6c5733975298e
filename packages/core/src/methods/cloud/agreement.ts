import * as z from 'zod';
import { metresOfPlace } from '../../data/cloud';
import { featureCount, featuresIn, takeFeatures, type Column, type Features } from '../../data/features';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { column, number, quantity } from '../../method/params';
import { BoxIndex } from '../../numeric/boxes';
import { withGeos } from '../../numeric/geos';
import { NearPoints } from '../../numeric/near';
import { columnChecks } from '../features/common';

interface Pair {
  found: number;
  reference: number;
  /** How far apart, or what share they have in common: by it the best pairs are taken first. */
  measure: number;
}

export const agreement = defineMethod({
  id: 'cloud.agreement',
  version: 1,
  title: 'How many were found',
  question: 'How many were found?',
  about:
    'Holds things that were found (trees, buildings) against a reference set: each is matched with one at most, the nearest points within the tolerance first, or the areas that have the largest share in common (the intersection by the union). What has no partner was missed, or is extra. Recall is the share of the reference that was found, precision the share of the found that is there. The error is that of a column of numbers that both have (height, where nothing else is said), else that of the places.',
  keywords: [
    'accuracy',
    'validate',
    'recall',
    'precision',
    'matched',
    'intersection over union',
    'tree detection accuracy',
  ],
  sources: [
    'Everingham et al. 2010, doi:10.1007/s11263-009-0275-4 (overlap of areas)',
    'common practice, no source (nearest first)',
  ],
  inputs: {
    found: input.features({ label: 'Found' }),
    reference: input.features({ label: 'Reference' }),
  },
  params: z.object({
    tolerance: quantity('length', { label: 'Tolerance', unit: 'm', above: 0, help: 'Of points.' }).default(2),
    overlap: number({
      label: 'Least share in common',
      help: 'Of areas: intersection by union.',
      above: 0,
      max: 1,
    }).default(0.5),
    value: column({ label: 'Column to compare', of: 'found', numeric: true }).optional(),
  }),
  outputs: {
    matched: shown(output.features('Matched', 'matched'), { first: true }),
    missed: output.features('Missed', 'missed'),
    extra: output.features('Extra', 'extra'),
  },
  figures: {
    matched: { label: 'Matched' },
    missed: { label: 'Missed' },
    extra: { label: 'Extra' },
    recall: { label: 'Recall', unit: 'share' },
    precision: { label: 'Precision', unit: 'share' },
    rmse: { label: 'Error (RMSE)', unit: 'm' },
  },
  checks: ({ found, reference }, p) => [
    ...(found.geometry !== reference.geometry || found.geometry === 'line'
      ? [
          {
            level: 'refused' as const,
            code: 'agreement.kinds',
            about: 'reference',
            message: `Points are held against points and areas against areas; these are ${found.geometry}s and ${reference.geometry}s.`,
          },
        ]
      : []),
    ...(p.value
      ? [...columnChecks(found, [p.value], 'value', true), ...columnChecks(reference, [p.value], 'value', true)]
      : []),
    ...(found.crs?.geographic
      ? [
          {
            level: 'refused' as const,
            code: 'crs.degrees',
            about: 'found',
            message: 'The features are in degrees; project them first.',
          },
        ]
      : []),
  ],
  suggest: ({ found, reference }) => {
    const both = (name: string): boolean =>
      [found, reference].every((f) => f.columns.some((c) => c.name === name && c.type === 'number'));
    return both('height') ? { value: { value: 'height', reason: 'both have it' } } : {};
  },
  estimate: ({ found, reference }) => {
    const n = found.count + reference.count;
    return { cells: n, bytes: 32e6 + n * 600, seconds: n / 5e4 };
  },
  run: async ({ found, reference: given }, p) => {
    const reference = featuresIn(given, found.crs);
    const candidates =
      found.geometry === 'point'
        ? nearPairs(found, reference, p.tolerance / metresOfPlace(found.crs))
        : await overlappingPairs(found, reference, p.overlap);
    const partner = new Int32Array(featureCount(found)).fill(-1);
    const taken = new Uint8Array(featureCount(reference));
    const measure = new Float64Array(partner.length);
    for (const c of candidates) {
      if (partner[c.found] !== -1 || taken[c.reference]) continue;
      partner[c.found] = c.reference;
      taken[c.reference] = 1;
      measure[c.found] = c.measure;
    }
    const rows = [...partner.keys()].filter((i) => partner[i]! >= 0);
    const extra = [...partner.keys()].filter((i) => partner[i]! < 0);
    const missed = [...taken.keys()].filter((i) => !taken[i]);
    const points = found.geometry === 'point';
    const metres = metresOfPlace(found.crs);
    const far = rows.map((i) => (points ? measure[i]! * metres : 1 - measure[i]!));
    const off = p.value === undefined ? null : differences(found, reference, p.value, rows, partner);
    const errors = (off ?? (points ? far : [])).filter((d) => d === d);
    const matched = takeFeatures(found, rows);
    const added: Column[] = [
      numberColumn(
        'reference',
        rows.map((i) => partner[i]! + 1),
      ),
      points
        ? numberColumn('distance', far, 'm')
        : numberColumn(
            'shareInCommon',
            rows.map((i) => measure[i]!),
          ),
      ...(off ? [numberColumn(`${p.value!}Difference`, off, found.columns.find((c) => c.name === p.value)!.unit)] : []),
    ];
    const n = rows.length;
    return {
      matched: {
        ...matched,
        columns: [...matched.columns.filter((c) => !added.some((a) => a.name === c.name)), ...added],
      },
      missed: takeFeatures(reference, missed),
      extra: takeFeatures(found, extra),
      figures: {
        matched: n,
        missed: missed.length,
        extra: extra.length,
        recall: taken.length ? n / taken.length : null,
        precision: partner.length ? n / partner.length : null,
        rmse: errors.length ? Math.sqrt(errors.reduce((s, d) => s + d * d, 0) / errors.length) : null,
      },
    };
  },
});

const placeOf = (f: Features, axis: 0 | 1): Float64Array =>
  Float64Array.from({ length: featureCount(f) }, (_, i) => {
    const part = f.featureOffsets[i]!;
    return f.featureOffsets[i + 1] === part ? NaN : f.xy[2 * f.ringOffsets[f.partOffsets[part]!]! + axis]!;
  });

/** Pairs of points no further apart than a distance, nearest first. */
function nearPairs(found: Features, reference: Features, within: number): Pair[] {
  const [x, y] = [placeOf(reference, 0), placeOf(reference, 1)];
  const [u, v] = [placeOf(found, 0), placeOf(found, 1)];
  const pairs: Pair[] = [];
  const there = [...x.keys()].filter((i) => x[i] === x[i]);
  const near = new NearPoints(
    there.map((i) => x[i]!),
    there.map((i) => y[i]!),
  );
  const most = Math.min(there.length, 64);
  const index = new Uint32Array(most);
  const square = new Float64Array(most);
  for (let i = 0; most > 0 && i < u.length; i++) {
    if (u[i] !== u[i]) continue;
    const n = near.find(u[i]!, v[i]!, most, within, index, square);
    for (let k = 0; k < n; k++) pairs.push({ found: i, reference: there[index[k]!]!, measure: Math.sqrt(square[k]!) });
  }
  return pairs.sort((a, b) => a.measure - b.measure || a.found - b.found || a.reference - b.reference);
}

/** Pairs of areas whose intersection is at least that share of their union, the largest share first. */
async function overlappingPairs(found: Features, reference: Features, least: number): Promise<Pair[]> {
  const index = new BoxIndex(reference);
  const boxes = new BoxIndex(found).boxes;
  const pairs: Pair[] = [];
  await withGeos((g) => {
    const shapes = new Map<number, number>();
    const shapeOf = (k: number): number => {
      const there = shapes.get(k);
      if (there !== undefined) return there;
      const shape = g.shape(reference, k);
      shapes.set(k, shape);
      return shape;
    };
    for (let i = 0; i < featureCount(found); i++) {
      const near = index.near(boxes[4 * i]!, boxes[4 * i + 1]!, boxes[4 * i + 2]!, boxes[4 * i + 3]!);
      if (!near.length) continue;
      const own = g.shape(found, i);
      for (const k of near) {
        const shared = g.intersection(own, shapeOf(k));
        const both = g.area(shared);
        const union = g.area(own) + g.area(shapeOf(k)) - both;
        g.free(shared);
        const share = union > 0 ? both / union : 0;
        if (share >= least) pairs.push({ found: i, reference: k, measure: share });
      }
    }
  });
  return pairs.sort((a, b) => b.measure - a.measure || a.found - b.found || a.reference - b.reference);
}

function differences(
  found: Features,
  reference: Features,
  name: string,
  rows: readonly number[],
  partner: Int32Array,
): number[] {
  const [a, b] = [found, reference].map((f) => f.columns.find((c) => c.name === name)!);
  return rows.map((i) =>
    a!.missing?.[i] || b!.missing?.[partner[i]!] ? NaN : (a!.values[i] as number) - (b!.values[partner[i]!] as number),
  );
}
