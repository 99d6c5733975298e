import * as z from 'zod';
import { numberColumn } from '../../data/table';
import { stepLabel, stepMeant } from '../../data/time-steps';
import { plural } from '../../data/check';
import { defineMethod, input, output, shown } from '../../method/define';
import { date } from '../../method/time-params';
import { checking, onGrid, withColumns } from './common';

export const slice = defineMethod({
  id: 'time.slice',
  version: 1,
  title: 'One moment',
  question: 'How was it at one moment?',
  about:
    'The places of a time stack with the values of all its variables at one step, as features; places that are cells as a grid too.',
  keywords: ['step', 'snapshot', 'time slice', 'extract', 'date'],
  sources: ['common practice, no source'],
  inputs: { stack: input.stack({ label: 'Time stack', parts: true }) },
  params: z.object({ step: date({ label: 'Step', help: 'A step, or a date within it.' }) }),
  outputs: {
    slice: shown(output.features('Slice'), { like: 'stack', rows: 'stack', first: true }),
    grid: output.maybeRaster('Slice by cell'),
  },
  named: ({ stack: [name] = ['it'] }, p) => `${name}, ${p.step}`,
  figures: { locations: { label: 'Places' }, missing: { label: 'Places without a value' } },
  checks: ({ stack }, p) => checking(() => stepMeant(stack.steps, p.step, 'step')),
  suggest: ({ stack }) => ({
    step: { value: stepLabel(stack.steps, stack.steps.count - 1), reason: 'the last' },
  }),
  estimate: ({ stack }) => ({
    cells: stack.count,
    of: 'places',
    bytes: stack.count * 60,
    seconds: 0.1 + stack.count / 2e6,
  }),
  run: async ({ stack }, p, job) => {
    const { head: info } = stack;
    const at = stepMeant(info.steps, p.step, 'step');
    const values = await Promise.all(
      info.variables.map(async (v, k) => ({ name: v.name, unit: v.unit, values: await stack.step(k, at) })),
    );
    const places = await stack.places();
    const missing = values[0]!.values.filter((v) => v !== v).length;
    if (missing)
      job.note(
        'look',
        'slice.missing',
        `${plural(missing, 'place')} of ${info.count} have no value of ${values[0]!.name} at ${stepLabel(info.steps, at)}.`,
      );
    return {
      slice: withColumns(
        places,
        values.map((v) => numberColumn(v.name, v.values, v.unit)),
      ),
      grid: onGrid(info.grid, places, values),
      figures: { locations: info.count, missing },
    };
  },
});
