import { HelkError } from '../errors';
import { cloudSpread } from './cloud-spread';
import { cloudWindow } from './cloud-window';
import { clusterCounts } from './cluster-counts';
import { examplePlaces } from './example-places';
import { examples } from './examples';
import type { Glance } from './glance';
import { matrixPlaces } from './matrix-places';
import { networkReached } from './network-reached';
import { spectra } from './spectra';
import { timeSeries, timeStrip } from './time-series';
import { timetableDay } from './timetable-day';

/** The only list of glances. */
export const GLANCES: readonly Glance[] = [
  spectra,
  examplePlaces,
  clusterCounts,
  examples,
  matrixPlaces,
  cloudWindow,
  cloudSpread,
  timetableDay,
  networkReached,
  timeSeries,
  timeStrip,
] as never;

/** @throws HelkError `method.unknown` for one that there is not */
export function glanceOf(id: string): Glance {
  const found = GLANCES.find((g) => g.id === id);
  if (!found) throw new HelkError('method.unknown', `There is no glance "${id}".`, 'glance');
  return found;
}
