import * as z from 'zod';
import { FreeNames } from '../../data/names';
import { copyParts, featureCount, featuresIn, FeaturesBuilder, type Column } from '../../data/features';
import { defineMethod, input, output } from '../../method/define';
import { sourceNames } from '../../method/job';
import { text } from '../../method/params';
import type { Check } from '../../data/check';

export const merge = defineMethod({
  id: 'features.merge',
  version: 1,
  title: 'Merge sets',
  question: 'What are these sets as one?',
  about:
    'Features of several sets one after the other, in the system of the first, with a column source that names where each comes from. Columns of the same name become one; where one set has numbers and another texts, all become texts. What a set lacks is missing.',
  keywords: ['append', 'combine', 'union all', 'stack', 'put together'],
  sources: ['common practice, no source'],
  inputs: { features: input.featureSets({ label: 'Sets', least: 2 }) },
  params: z.object({
    names: text({
      label: 'Names for the source',
      help: 'Apart by commas, in the order of the sets; their own names otherwise.',
    }).default(''),
  }),
  outputs: { merged: output.features('Merged') },
  figures: { features: { label: 'Features' } },
  checks: ({ features }): Check[] => {
    const kinds = new Set(features.map((f) => f.geometry));
    if (kinds.size > 1)
      return [
        {
          level: 'refused',
          code: 'merge.kinds',
          about: 'features',
          message: `Sets of one kind are wanted; these are ${[...kinds].map((k) => `${k}s`).join(' and ')}.`,
        },
      ];
    return features.some((f) => !f.crs !== !features[0]!.crs)
      ? [
          {
            level: 'look',
            code: 'crs.missing',
            about: 'features',
            message: 'Some sets have no coordinate system; they are taken as lying in that of the first.',
          },
        ]
      : [];
  },
  estimate: ({ features }) => {
    const n = features.reduce((s, f) => s + f.count, 0);
    return { cells: n, bytes: n * 500, seconds: n / 5e5 };
  },
  run: ({ features }, p, job) => {
    const first = features[0]!;
    const called = sourceNames(
      p.names,
      job.names['features'],
      features.map((_, k) => String(k + 1)),
    );
    const b = new FeaturesBuilder();
    const source: string[] = [];
    const names = [...new Set(features.flatMap((f) => f.columns.map((c) => c.name)))];
    features.forEach((set, k) => {
      const f = featuresIn(set, first.crs);
      for (let i = 0; i < featureCount(f); i++) {
        copyParts(f, i, b);
        b.endFeature();
        source.push(called[k]!);
      }
    });
    const columns = names.map((name): Column => {
      const parts = features.map((f) => f.columns.find((c) => c.name === name));
      const types = new Set(parts.filter((c) => c !== undefined).map((c) => c.type));
      const type = types.size === 1 ? [...types][0]! : 'text';
      const unit = parts.find((c) => c)!.unit;
      const values: (number | string)[] = [];
      const missing: number[] = [];
      features.forEach((f, k) => {
        const c = parts[k];
        for (let i = 0; i < featureCount(f); i++) {
          const gone = !c || c.missing?.[i] === 1;
          missing.push(gone ? 1 : 0);
          values.push(
            type === 'text'
              ? gone
                ? ''
                : String(c.values[i])
              : gone
                ? type === 'number'
                  ? NaN
                  : 0
                : (c.values[i] as number),
          );
        }
      });
      return {
        name,
        type,
        unit: type === 'number' ? unit : null,
        values: type === 'text' ? (values as string[]) : Float64Array.from(values as number[]),
        ...(missing.includes(1) ? { missing: Uint8Array.from(missing) } : {}),
      };
    });
    const name = new FreeNames(names, '_').take('source');
    const merged = b.build(first.geometry, first.crs, [...columns, { name, type: 'text', unit: null, values: source }]);
    return { merged, figures: { features: source.length } };
  },
});
