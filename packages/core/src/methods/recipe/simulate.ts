import * as z from 'zod';
import { HelkError } from '../../errors';
import { defineMethod, output } from '../../method/define';
import { number, quantity, text } from '../../method/params';
import { SIMULATE } from '../../recipe/names';

/** What it takes is what the recipe takes that it is given. */
export const simulate = defineMethod({
  id: SIMULATE,
  version: 1,
  title: 'Draws from the errors',
  question: 'How sure is the end of the chain?',
  about:
    'Runs a recipe many times, each time with what goes in changed by an error that it may have, and tells how far the result hangs on it. Errors of a grid are normal with the given standard deviation, their correlation falls with distance d as exp(−(d/L)²), and are the same everywhere in kind; errors of points are normal in each direction, each point by itself; a setting lies anywhere between two values with equal chance. All are independent of each other. Of a grid of measures the mean, the standard deviation and, with a limit, the share of draws above it; of a grid of classes the share of draws in a class; of areas the share of draws in which a place lies inside. Draws that fail are counted and left out. What is not stated to be wrong is taken to be right: the result tells of the stated errors, and of no others. With n draws a share p is itself known to about √(p(1−p)/n).',
  keywords: ['monte carlo', 'uncertainty', 'error propagation', 'probability', 'sensitivity', 'confidence'],
  sources: [
    'Heuvelink 1998, Error Propagation in Environmental Modelling with GIS',
    'Oliver 1995, doi:10.1007/BF02083493',
  ],
  inputs: {},
  params: z.object({
    recipe: text({
      label: 'Recipe',
      help: 'A recipe of the project; on the command line its file.',
      widget: 'recipe',
      most: 400,
    }),
    errors: text({
      label: 'How wrong it may be',
      help: 'Like tiles: 2 m over 300 m; gauge: 15 m; drains.snap: 100 m to 300 m.',
      widget: 'errors',
    }),
    draws: number({ label: 'Draws', min: 2, max: 10_000 }).default(100),
    result: text({
      label: 'Result',
      help: 'STEP.ROLE; the first that the recipe keeps when not given.',
      most: 130,
    }).optional(),
    above: number({ label: 'Limit', help: 'Of a grid of measures: the share of draws above it.' }).optional(),
    class: number({ label: 'Class', help: 'Of a grid of classes: the share of draws in it.' }).optional(),
    cellSize: quantity('length', {
      label: 'Cells',
      help: 'Of areas: size of the cells in which the share is told; that of the grid that goes in when not given.',
      unit: 'm',
      above: 0,
    }).optional(),
  }),
  outputs: {
    probability: { ...output.maybeRaster('Probability'), suffix: '=Probability' },
    mean: { ...output.maybeRaster('Mean of the draws'), suffix: '=Mean of the draws' },
    sd: { ...output.maybeRaster('Spread of the draws'), suffix: '=Spread of the draws' },
    draws: { ...output.table('Draws'), suffix: '=Draws' },
  },
  figures: {
    draws: { label: 'Draws' },
    failed: { label: 'Failed draws' },
    sure: { label: 'In at least 95 % of the draws', unit: 'm2' },
    possible: { label: 'In at least 5 % of the draws', unit: 'm2' },
    expected: { label: 'Expected area', unit: 'm2' },
    meanSpread: { label: 'Mean spread' },
  },
  random: 'the errors of each draw',
  run: () => {
    throw new HelkError('method.parameter', 'recipe: say which recipe is run.', 'recipe');
  },
});
