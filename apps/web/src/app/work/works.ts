import type { Type } from '@angular/core';
import { ofKind } from '@helk/core';
import type { DatasetItem } from '../state/project.store';

/** A work of the hand and the eye on one dataset, its input `item`: it stands where the run sheet does, beside the panes. */
export interface Work {
  id: string;
  /** What is asked, as a heading. */
  question: string;
  /** What one does, in a menu. */
  does: string;
  fits(d: DatasetItem): boolean;
  /** Role of a result after which it is offered. */
  after?: string;
  load(): Promise<Type<unknown>>;
}

const bandsOf = (d: DatasetItem) => ofKind('raster', d.info)?.bands ?? [];

/** The works there are. A new one is its component and an entry here. */
export const WORKS: readonly Work[] = [
  {
    id: 'interpret',
    question: 'What are these clusters?',
    does: 'Name its classes',
    fits: (d) => bandsOf(d)[0]?.kind === 'category' && (bandsOf(d)[0]!.facts?.values?.length ?? 0) <= 256,
    after: 'clusters',
    load: () => import('./interpret').then((m) => m.Interpret),
  },
  {
    id: 'train',
    question: 'What does each class look like?',
    does: 'Draw examples of classes',
    fits: (d) => bandsOf(d).filter((b) => b.kind === 'measure').length > 1,
    load: () => import('./train').then((m) => m.Train),
  },
  {
    id: 'label',
    question: 'What is really there?',
    does: 'Label its places',
    fits: (d) => {
      const info = ofKind('features', d.info);
      return info?.geometry === 'point' && info.count > 0 && info.count <= 20_000;
    },
    after: 'places',
    load: () => import('./label').then((m) => m.Label),
  },
];

export const worksOf = (d: DatasetItem): Work[] => WORKS.filter((w) => w.fits(d));
