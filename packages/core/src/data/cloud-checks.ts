import { plural, type Check } from './check';
import { suggestUtm } from './crs';
import { isClassified } from '../render/cloud-style';
import { GROUND, type CloudInfo } from './cloud';
import { placeOfExtent } from './place';
import { round } from './raster-checks';

/** Share of the middle 96 % of heights beyond which single points lie far off (common practice, no source). */
const FAR = 4;

/** What an analyst should know of a cloud: degrees, points on one another, heights that cannot be, classes that are wanting or unknown. */
export function cloudChecks(info: CloudInfo): Check[] {
  const checks: Check[] = [];
  const { count, crs, heights, classes } = info;
  if (count === 0) return [{ level: 'look', code: 'cloud.none', message: 'There is no point in it.' }];
  if (crs?.geographic && info.extent) {
    const place = placeOfExtent(crs, info.extent);
    const utm = place ? suggestUtm(place[0], place[1]) : null;
    checks.push({
      level: 'look',
      code: 'crs.degrees',
      message: `Points are in degrees; ground, trees and buildings want metres${utm ? `: ${utm.name} fits this place` : ''}. Project the cloud at its source.`,
    });
  }
  if (info.spacing === null && count > 1)
    checks.push({
      level: 'look',
      code: 'cloud.place',
      message: 'All points lie on one line, or in one place; no spacing can be told.',
    });
  if (info.doubled)
    checks.push({
      level: 'look',
      code: 'points.doubled',
      message: `${plural(info.doubled, 'point')} ${info.doubled === 1 ? 'lies' : 'lie'} exactly where another lies: taken in twice?`,
    });
  const middle = heights ? heights.high - heights.low : 0;
  if (heights && middle > 0)
    for (const [value, off, side] of [
      [heights.min, heights.low - heights.min, 'below'],
      [heights.max, heights.max - heights.high, 'above'],
    ] as const)
      if (off > FAR * middle)
        checks.push({
          level: 'look',
          code: 'cloud.strays',
          message: `Points reach ${round(value)} ${info.heightUnit}, far ${side} the rest (96 % are between ${round(heights.low)} and ${round(heights.high)} ${info.heightUnit}): points that cannot be?`,
          mend: { label: 'Mark them as noise', run: { method: 'cloud.noise', role: 'cloud', input: 'cloud' } },
        });
  const unknown = classes.filter((c) => c.value > 22);
  if (unknown.length) {
    const shown = unknown.slice(0, 5).map((c) => c.value);
    checks.push({
      level: 'look',
      code: 'cloud.classes',
      message: `${unknown.length === 1 ? 'Class' : 'Classes'} ${shown.join(', ')}${unknown.length > 5 ? ' …' : ''} ${unknown.length === 1 ? 'is' : 'are'} not in the standard list; whoever made the file says what ${unknown.length === 1 ? 'it means' : 'they mean'}.`,
    });
  }
  if (!isClassified(info))
    checks.push({
      level: 'look',
      code: 'cloud.unclassified',
      message:
        'No point has a class yet: trees, buildings and ground grids want ground and what stands on it told apart.',
      mend: {
        label: 'Find the ground',
        run: { method: 'cloud.classifyGround', role: 'cloud', input: 'cloud' },
      },
    });
  else if (!classes.some((c) => c.value === GROUND))
    checks.push({
      level: 'look',
      code: 'cloud.noGround',
      message: 'There are classes, but no ground (2) among them.',
      mend: {
        label: 'Find the ground',
        run: { method: 'cloud.classifyGround', role: 'cloud', input: 'cloud' },
      },
    });
  return checks;
}
