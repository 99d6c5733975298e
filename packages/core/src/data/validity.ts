import { featureCount, type Features } from './features';
import { withGeos } from '../numeric/geos';
import { plural, type Note } from './check';

/** Above this many corners validity is left to the methods, which repair on the way. */
const MOST_CORNERS = 20_000_000;

/** What an analyst should know of areas on arrival: which outlines are invalid (cross themselves, holes outside), by feature number. */
export async function validityNotes(f: Features): Promise<Note[]> {
  if (f.geometry !== 'polygon' || f.xy.length > 2 * MOST_CORNERS) return [];
  const bad: number[] = [];
  let why = '';
  await withGeos((g) => {
    for (let i = 0; i < featureCount(f); i++) {
      if (f.featureOffsets[i] === f.featureOffsets[i + 1]) continue;
      const s = g.shape(f, i);
      if (!g.isValid(s)) {
        if (!bad.length) why = g.whyInvalid(s);
        bad.push(i + 1);
      }
      g.free(s);
    }
  });
  if (!bad.length) return [];
  return [
    {
      level: 'look',
      code: 'features.invalid',
      message: `${plural(bad.length, 'polygon')} ${bad.length === 1 ? 'is' : 'are'} invalid: number ${bad.slice(0, 5).join(', ')}${bad.length > 5 ? ' …' : ''} (the first: ${why}). features.repair mends them; overlays do so on the way.`,
    },
  ];
}
