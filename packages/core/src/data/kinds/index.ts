import type { WriteFormat } from '../../formats/write-formats';
import { cloud } from './cloud';
import { features } from './features';
import type { DataOf, HandleOf, InfoOf, KindRecord } from './kind';
import { raster } from './raster';
import { network } from './network';
import type { ColumnInfo, FeaturesInfo } from '../features';
import { stack } from './stack';
import { table } from './table';
import { timetable } from './timetable';
import { weights } from './weights';

/** The kinds of data there are. A new one is its file and a line here; every type below follows from this list. */
export const KINDS = { raster, features, table, cloud, network, timetable, weights, stack };

type Records = typeof KINDS;
export type DatasetKind = keyof Records;
/** Of each kind: the dataset in memory, its description, its handle. */
export type Kinds = {
  [K in DatasetKind]: { data: DataOf<Records[K]>; info: InfoOf<Records[K]>; handle: HandleOf<Records[K]> };
};
/** What methods take and make. */
export type Dataset = Kinds[DatasetKind]['data'];
/** What checks, suggestions and estimates see of an input: everything but the bulk. */
export type DatasetInfo = Kinds[DatasetKind]['info'];
export type AnyHandle = Kinds[DatasetKind]['handle'];

type AnyRecord = KindRecord<DatasetKind, Dataset, DatasetInfo, AnyHandle>;

/** The record of a kind, for whoever does not know which it is. */
export const kindOf = (of: { kind: DatasetKind }): AnyRecord => KINDS[of.kind] as unknown as AnyRecord;
export const isKind = (text: string): text is DatasetKind => Object.hasOwn(KINDS, text);
export const KIND_NAMES = Object.keys(KINDS) as [DatasetKind, ...DatasetKind[]];

/** A description, where it is one of that kind. */
export const ofKind = <K extends DatasetKind>(
  kind: K,
  info: DatasetInfo | null | undefined,
): Kinds[K]['info'] | null => (info?.kind === kind ? (info as Kinds[K]['info']) : null);
/** What is in memory, where it is of that kind. */
export const dataOf = <K extends DatasetKind>(kind: K, data: Dataset | null | undefined): Kinds[K]['data'] | null =>
  data?.kind === kind ? (data as Kinds[K]['data']) : null;
/** The features that a dataset is drawn as; null for what is drawn otherwise, or not at all. */
export const featuresOf = (info: DatasetInfo | null | undefined): FeaturesInfo | null =>
  (info && kindOf(info).asFeatures?.(info)) ?? null;
/** Columns of a description, none where it has none. */
export const columnsOf = (info: DatasetInfo | null | undefined): ColumnInfo[] =>
  (info && kindOf(info).rows?.(info).columns) ?? [];

export const infoOf = (d: Dataset): DatasetInfo => kindOf(d).info(d);
/** System of a dataset; null when it is not known, and for what lies nowhere. */
export const systemOf = (info: DatasetInfo) => kindOf(info).system(info);
/** Extent of a dataset in its own system; null for what lies nowhere and for empty sets. */
export const extentOf = (info: DatasetInfo) => kindOf(info).extent(info);
export const handleOn = (d: Dataset): AnyHandle => kindOf(d).wrap(d);
/** What a format cannot keep of a dataset, in words; nothing when it keeps all. */
export const lossesOf = (info: DatasetInfo, format: WriteFormat): string[] => kindOf(info).losses(info, format);
