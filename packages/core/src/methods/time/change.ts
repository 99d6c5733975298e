import * as z from 'zod';
import { numberColumn } from '../../data/table';
import { stepLabel, stepMeant } from '../../data/time-steps';
import { plural } from '../../data/check';
import { defineMethod, input, output, shown } from '../../method/define';
import { date } from '../../method/time-params';
import { checking, onGrid, variableAt, firstVariable, variableParam, withColumns } from './common';

export const change = defineMethod({
  id: 'time.change',
  version: 1,
  title: 'Change between moments',
  question: 'How far from one moment to another?',
  about:
    'For each place the value at one step and at another, the difference (after less before) and the ratio (after by before). Missing where either is; the ratio also where the value before is 0.',
  keywords: ['difference', 'growth', 'before after', 'increase', 'time'],
  sources: ['common practice, no source'],
  inputs: { stack: input.stack({ label: 'Time stack', parts: true }) },
  params: z.object({
    variable: variableParam(),
    before: date({ label: 'Before', help: 'A step, or a date within it.' }),
    after: date({ label: 'After' }),
  }),
  outputs: {
    change: shown(output.features('Change'), {
      features: {
        by: {
          kind: 'classes',
          column: 'difference',
          rule: 'equal',
          classes: 7,
          own: [],
          ramp: 'scales',
          reversed: false,
          around: 0,
        },
        fill: 1,
        width: 0.5,
        outline: '#fbf8f2',
      },
      panel: { id: 'charts' },
      rows: 'stack',
      tells: ['before', 'after', 'ratio'],
      first: true,
    }),
    grid: output.maybeRaster('Change by cell'),
  },
  named: ({ stack: [name] = ['it'] }, p) => `Change of ${p.variable ?? name}, ${p.before} to ${p.after}`,
  figures: {
    mean: { label: 'Mean difference' },
    grown: { label: 'Places that grew' },
    shrunk: { label: 'Places that shrank' },
  },
  checks: ({ stack }, p) => {
    const out = checking(
      () => variableAt(stack, p.variable),
      () => stepMeant(stack.steps, p.before, 'before'),
      () => stepMeant(stack.steps, p.after, 'after'),
    );
    if (out.length) return out;
    const [a, b] = [stepMeant(stack.steps, p.before, 'before'), stepMeant(stack.steps, p.after, 'after')];
    return a === b
      ? [
          {
            level: 'refused',
            code: 'change.same',
            about: 'after',
            message: `Both lie in the step ${stepLabel(stack.steps, a)}.`,
          },
        ]
      : a > b
        ? [
            {
              level: 'look',
              code: 'change.back',
              about: 'after',
              message: 'The second moment lies before the first: the difference is told backwards.',
            },
          ]
        : [];
  },
  suggest: ({ stack }) => ({
    variable: firstVariable(stack),
    before: { value: stepLabel(stack.steps, 0), reason: 'the first step' },
    after: { value: stepLabel(stack.steps, stack.steps.count - 1), reason: 'the last step' },
  }),
  estimate: ({ stack }) => ({
    cells: stack.count,
    of: 'places',
    bytes: stack.count * 100,
    seconds: 0.1 + stack.count / 2e6,
  }),
  run: async ({ stack }, p, job) => {
    const { head: info } = stack;
    const k = variableAt(info, p.variable);
    const before = await stack.step(k, stepMeant(info.steps, p.before, 'before'));
    const after = await stack.step(k, stepMeant(info.steps, p.after, 'after'));
    const { unit } = info.variables[k]!;
    const difference = after.map((v, i) => v - before[i]!);
    const ratio = after.map((v, i) => (before[i] === 0 ? NaN : v / before[i]!));
    const there = difference.filter((v) => v === v);
    const zero = before.filter((v, i) => v === 0 && after[i] === after[i]).length;
    if (there.length < info.count)
      job.note('look', 'change.missing', `${plural(info.count - there.length, 'place')} lack one of the two values.`);
    if (zero)
      job.note('info', 'change.zero', `At ${plural(zero, 'place')} the value before is 0; there is no ratio there.`);
    const places = await stack.places();
    return {
      change: withColumns(places, [
        numberColumn('before', before, unit),
        numberColumn('after', after, unit),
        numberColumn('difference', difference, unit),
        numberColumn('ratio', ratio, ''),
      ]),
      grid: onGrid(info.grid, places, [
        { name: 'difference', unit, values: difference },
        { name: 'ratio', unit: '', values: ratio },
      ]),
      figures: {
        mean: there.length ? there.reduce((s, v) => s + v, 0) / there.length : null,
        grown: there.filter((v) => v > 0).length,
        shrunk: there.filter((v) => v < 0).length,
      },
    };
  },
});
