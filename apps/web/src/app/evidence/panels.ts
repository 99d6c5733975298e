import type { Type } from '@angular/core';
import { columnsOf, kindOf, ofKind, systemOf, type Shows } from '@helk/core';
import type { DatasetItem } from '../state/project.store';

/** A panel of evidence: it answers a question about one dataset, its input `item`. */
export interface EvidencePanel {
  id: string;
  /** @param shows what the method that made the dataset says of how it is shown */
  title(d: DatasetItem, shows: Shows | null): string;
  fits(d: DatasetItem, shows: Shows | null): boolean;
  load(): Promise<Type<unknown>>;
  /** Least height to work in, pixels. */
  room?: number;
  /** It draws, and can be taken along as a picture. */
  draws?: true;
}

const hasNumbers = (d: DatasetItem): boolean => columnsOf(d.info).some((c) => c.type === 'number');
const bandKinds = (d: DatasetItem): string[] => ofKind('raster', d.info)?.bands.map((b) => b.kind) ?? [];
/** Its method says that it is to be read in the panel. */
const shownIn =
  (id: string) =>
  (_: DatasetItem, shows: Shows | null): boolean =>
    shows?.panel?.id === id;

/** The panels there are, in the order in which they are offered. A new one is its component and an entry here. */
export const PANELS: readonly EvidencePanel[] = [
  {
    id: 'variogram',
    draws: true,
    title: () => 'How alike near places are',
    fits: shownIn('variogram'),
    load: () => import('./variogram-chart').then((m) => m.VariogramChart),
  },
  {
    id: 'matrix',
    title: () => 'What became what',
    fits: shownIn('matrix'),
    load: () => import('./change-matrix').then((m) => m.ChangeMatrix),
  },
  {
    id: 'errors',
    title: () => 'How right the map is',
    fits: shownIn('errors'),
    load: () => import('./error-matrix').then((m) => m.ErrorMatrix),
    room: 264,
  },
  {
    id: 'quarters',
    draws: true,
    title: (_, shows) => shows?.panel?.title ?? 'A place and its neighbours',
    fits: shownIn('quarters'),
    load: () => import('./quarters-panel').then((m) => m.QuartersPanel),
    room: 300,
  },
  {
    id: 'several',
    draws: true,
    title: () => 'Side by side',
    fits: (_, shows) => ['quarters', 'several'].includes(shows?.panel?.id ?? ''),
    load: () => import('./several-panel').then((m) => m.SeveralPanel),
    room: 232,
  },
  {
    id: 'chance',
    draws: true,
    title: (_, shows) => shows?.panel?.title ?? 'By chance alone',
    fits: shownIn('chance'),
    load: () => import('./chance-panel').then((m) => m.ChancePanel),
  },
  {
    id: 'connectivity',
    title: () => 'How many neighbours',
    fits: (d) => ofKind('weights', d.info) !== null,
    load: () => import('./connectivity-panel').then((m) => m.ConnectivityPanel),
  },
  {
    id: 'correlations',
    title: () => 'Which go together',
    fits: shownIn('correlations'),
    load: () => import('./correlations-panel').then((m) => m.CorrelationsPanel),
    room: 280,
  },
  {
    id: 'crossing',
    title: () => 'Which became which',
    fits: shownIn('crossing'),
    load: () => import('./crossing-panel').then((m) => m.CrossingPanel),
    room: 232,
  },
  {
    id: 'model',
    draws: true,
    title: () => 'How well it fits',
    fits: shownIn('model'),
    load: () => import('./model-panel').then((m) => m.ModelPanel),
    room: 264,
  },
  {
    id: 'model-table',
    title: (_, shows) => shows?.panel?.title ?? 'The model as printed',
    fits: shownIn('model-table'),
    load: () => import('./model-table').then((m) => m.ModelTable),
    room: 300,
  },
  {
    id: 'groups',
    draws: true,
    title: (_, shows) => shows?.panel?.title ?? 'What the groups are like',
    fits: shownIn('groups'),
    load: () => import('./groups-panel').then((m) => m.GroupsPanel),
    room: 264,
  },
  {
    id: 'series',
    draws: true,
    title: () => 'How it went',
    fits: (d, shows) => ofKind('stack', d.info) !== null || ['series', 'groups'].includes(shows?.panel?.id ?? ''),
    load: () => import('./series-panel').then((m) => m.SeriesPanel),
  },
  {
    id: 'strip',
    draws: true,
    title: () => 'All at once',
    fits: (d, shows) => ofKind('stack', d.info) !== null || ['series', 'groups'].includes(shows?.panel?.id ?? ''),
    load: () => import('./strip-panel').then((m) => m.StripPanel),
    room: 232,
  },
  {
    id: 'moments',
    draws: true,
    title: () => 'Step by step',
    fits: (d) => ofKind('stack', d.info) !== null,
    load: () => import('./moments-panel').then((m) => m.MomentsPanel),
    room: 232,
  },
  {
    id: 'profile',
    draws: true,
    title: () => 'Profile',
    fits: shownIn('profile'),
    load: () => import('./profile-chart').then((m) => m.ProfileChart),
  },
  {
    id: 'changed',
    title: (_, shows) => shows?.panel?.title ?? 'What changed',
    fits: shownIn('changed'),
    load: () => import('./changed-panel').then((m) => m.ChangedPanel),
  },
  {
    id: 'values',
    draws: true,
    title: (d) => (bandKinds(d)[0] === 'category' ? 'Classes' : 'Values'),
    fits: (d) => ofKind('raster', d.info) !== null,
    load: () => import('./values-panel').then((m) => m.ValuesPanel),
  },
  {
    id: 'spectra',
    draws: true,
    title: (d) => (bandKinds(d)[0] === 'category' ? 'What its classes look like' : 'Spectra'),
    fits: (d) => bandKinds(d)[0] === 'category' || bandKinds(d).filter((k) => k === 'measure').length > 1,
    load: () => import('./spectra-panel').then((m) => m.SpectraPanel),
  },
  {
    id: 'section',
    title: () => 'Seen from the side',
    fits: (d) => (ofKind('cloud', d.info)?.count ?? 0) > 0,
    load: () => import('./section-panel').then((m) => m.SectionPanel),
    // What is judged there is as high as it is long, and marked by hand.
    room: 264,
  },
  {
    id: 'spread',
    draws: true,
    title: () => 'How high, and what',
    fits: (d) => (ofKind('cloud', d.info)?.count ?? 0) > 0,
    load: () => import('./cloud-values').then((m) => m.CloudValues),
  },
  {
    id: 'gaps',
    title: () => 'Holes',
    fits: (d) => ofKind('raster', d.info)?.bands.some((b) => (b.facts?.enclosedGaps ?? 0) > 0) ?? false,
    load: () => import('./gaps-panel').then((m) => m.GapsPanel),
  },
  {
    id: 'faults',
    title: () => 'What may be wrong',
    fits: (d) => {
      const info = ofKind('network', d.info);
      return info !== null && (info.components > 1 || info.nearly.count + info.traps.count > 0);
    },
    load: () => import('./faults-panel').then((m) => m.FaultsPanel),
  },
  {
    id: 'served',
    title: () => 'Who is served',
    fits: shownIn('served'),
    load: () => import('./served-panel').then((m) => m.ServedPanel),
  },
  {
    id: 'multiples',
    draws: true,
    title: () => 'Limit by limit',
    fits: shownIn('multiples'),
    load: () => import('./multiples-panel').then((m) => m.MultiplesPanel),
  },
  {
    id: 'through',
    draws: true,
    title: () => 'Through the window',
    fits: shownIn('through'),
    load: () => import('./through-panel').then((m) => m.ThroughPanel),
  },
  {
    id: 'service',
    title: () => 'What runs on a day',
    fits: (d) => ofKind('timetable', d.info) !== null,
    load: () => import('./service-panel').then((m) => m.ServicePanel),
  },
  {
    id: 'feed-faults',
    title: () => 'What may be wrong',
    fits: (d) => (ofKind('timetable', d.info)?.faults.count ?? 0) > 0,
    load: () => import('./feed-faults').then((m) => m.FeedFaults),
  },
  {
    id: 'table',
    title: () => 'Table',
    fits: (d) => kindOf(d.info).rows !== undefined,
    load: () => import('./table-view').then((m) => m.TableView),
  },
  {
    id: 'charts',
    draws: true,
    title: () => 'Charts',
    fits: hasNumbers,
    load: () => import('./column-charts').then((m) => m.ColumnCharts),
  },
  {
    id: 'alike',
    title: () => 'How alike near places are',
    // Points with numbers in a plane: how alike near ones are can be worked out.
    fits: (d) => {
      const info = ofKind('features', d.info);
      return info?.geometry === 'point' && info.count >= 10 && !systemOf(info)?.geographic && hasNumbers(d);
    },
    load: () => import('./variogram-work').then((m) => m.VariogramWork),
    // A model is not judged, nor dragged, on a strip.
    room: 300,
  },
];

/** The panels of a dataset: first the one that its method says, then the others. */
export function panelsOf(d: DatasetItem, shows: Shows | null): EvidencePanel[] {
  return PANELS.filter((p) => p.fits(d, shows));
}
