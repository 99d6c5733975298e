import type { Type } from '@angular/core';
import type OlMap from 'ol/Map';
import type { Crs, DatasetKind, Extent, Kinds, Scale, Shows } from '@helk/core';
import type { TimeSteps } from '@helk/core/data/time-steps';
import type { CloudParts } from '../draw/cloud-parts';
import type { DisplayItem } from '../draw/display';
import type { Drawing } from '../draw/drawing';
import type { Theme } from '../draw/theme';
import type { PaperView, Taken } from '../draw/vector-items';
import type { FeatureData } from '../state/feature-data';
import type { PaneTime } from '../state/panes';
import type { Picks } from '../state/picks';
import type { StackData } from '../state/stack-data';
import type { DatasetItem } from '../state/project.store';
import type { Body, BodyMadeOf } from '../scene/body';
import type { Legend } from './legend';

/** Where somebody points, in the panes' system. */
export interface Place {
  x: number;
  y: number;
}

/** What the records work with. */
export interface Tools {
  /** Id of the open project. */
  project(): string;
  drawing: Drawing;
  clouds: CloudParts;
  data: FeatureData;
  stacks: StackData;
  picks: Picks;
  /** What the method that made a dataset says of how it is shown. */
  shows(item: DatasetItem): Shows | null;
}

/** A value at a place. */
export interface Reading {
  /** The band or column it is of, where there are several. */
  of: string;
  value: string;
  unit: string;
  /** It is the value that is drawn. */
  drawn: boolean;
  /** There is something at the place: a value, or a missing one. */
  there: boolean;
}

/** How a layer stands in its pane at this moment. */
export interface LayerState<L> {
  item: DatasetItem;
  look: L;
  visible: boolean;
  /** Its height in the stack. */
  z: number;
  /** Its own, or the one it shares. */
  scale: Scale | null;
  /** Of the uppermost layer of the pane that has one. */
  below: Scale | null;
  /** It lies over another picture that is seen. */
  over: boolean;
  /** Share of the pane's width at which it begins, where it is being swiped. */
  swipe: number | null;
  /** Where time stands in the pane. */
  time: PaneTime | null;
  theme: Theme;
}

/** What a layer is on a page: its shapes from back to front, and its labels, while there is room for them. */
export interface OnPaper {
  shapes: DisplayItem[];
  labels: (taken: Taken) => DisplayItem[];
}

/** One dataset in one map. */
export interface LayerDriver<L = object> {
  update(state: LayerState<L>): void;
  /** When what it draws has come. */
  readonly ready?: Promise<unknown>;
  /** What its legend needs to know beside its way of drawing, once that has been worked out. */
  symbols?(): unknown;
  /** The row under a pixel, or -1. */
  hit?(pixel: number[]): number;
  /** The same as lines and letters of a page; null where it is a picture, or would be too much. */
  items?(view: PaperView): OnPaper | null;
  dispose(): void;
}

export interface MadeOf<L> {
  map: OlMap;
  crs: Crs;
  tools: Tools;
  first: LayerState<L>;
  /** Pixels of its picture to one of the map: 1 on a screen. */
  finer: number;
  /** To be called when its legend has changed. */
  changed: () => void;
  failed: (e: unknown) => void;
}

/** What an editor of drawing is given, as its input `of`. */
export interface EditorOf<L> {
  item: DatasetItem;
  look: L;
  scale: Scale | null;
  /** Something in the pane has a scale, whose colours can be worn. */
  over: boolean;
  put: (patch: Partial<L>) => void;
  /** Values of a column over all steps, where there are steps. */
  spread?: (column: string) => Float64Array | null;
  /** Stretches it to what is in view. */
  stretch: () => void;
}

/** How a dataset becomes a thing in space. */
export interface BodyOf<L> {
  /** The column that heights are taken from, where there is one. */
  lift: string | null;
  load(): Promise<(made: BodyMadeOf<L>) => Body<L>>;
}

export interface LegendOf<L> {
  item: DatasetItem;
  look: L;
  scale: Scale | null;
  shared: boolean;
  symbols: unknown;
  /** Every class, however many there are. */
  all?: boolean;
}

/**
 * Everything in the client that depends on what kind a dataset is, beside its record in the core. `L` is its way of drawing; what has no
 * picture in a map has no driver and goes to the evidence.
 */
export interface ClientKind<N extends DatasetKind, L extends object> {
  readonly kind: N;
  /**
   * Where a new one goes: beneath what stands in a pane, in place of others of its kind; in their place but above what lies beneath; on top; or
   * to be read in the evidence.
   */
  readonly goes: 'beneath' | 'in place' | 'on top' | 'evidence';
  /** Its left part can be drawn aside to see what lies below. */
  readonly swipes: boolean;

  /** How it is drawn until somebody says otherwise. @param colour one that no other beside it has */
  look(info: Kinds[N]['info'], shows: Shows | null, colour: string): L;
  /** The one colour by which it is told from others; null where it has many. */
  colour(look: L): string | null;
  recoloured(look: L, colour: string): L;
  /** Whether, drawn so, it hides what lies beneath it. */
  hides?(info: Kinds[N]['info'], look: L): boolean;
  /** Whether the values of both mean the same, so that one is drawn as the other is. */
  alike(a: Kinds[N]['info'], b: Kinds[N]['info']): boolean;
  /** What its colours mean, and what means the same. */
  scale?(info: Kinds[N]['info'], look: L): { scale: Scale; group: string } | null;

  /** The steps of time that it has. */
  steps?(info: Kinds[N]['info']): TimeSteps;
  /** Values of a column over all steps, ascending, a sample: what classes are made of where not of what is seen at this moment. */
  spread?(info: Kinds[N]['info'], column: string): Float64Array | null;

  /** The band that can be the ground of a scene, and metres in its unit; null where it is no surface of heights. */
  ground?(info: Kinds[N]['info'], look: L): { band: number; metres: number } | null;
  /** Lowest and highest of what stands in space by itself, m. */
  heights?(info: Kinds[N]['info']): [number, number] | null;
  /** The same way of drawing without light of its own: a scene has a lamp. */
  unlit?(look: L): L;
  /**
   * What it is in a scene: what makes it a thing in space; null where it only lies on the ground, as its picture.
   *
   * @param lift the column that was chosen for heights, empty for none
   */
  body?(info: Kinds[N]['info'], lift: string | undefined): BodyOf<L> | null;

  /** A small picture of it, or what stands for one. @param frame in its own system; all of it where not given */
  thumbnail(
    canvas: HTMLCanvasElement,
    item: DatasetItem,
    look: L,
    tools: Tools,
    signal: AbortSignal,
    frame?: Extent,
  ): Promise<void>;
  /** The same way of drawing with its colours between two values. */
  between?(look: L, low: number, high: number): L;
  driver?(made: MadeOf<L>): LayerDriver<L>;
  legend?(of: LegendOf<L>): Legend;
  /** Picks what an entry of its legend stands for. */
  pickEntry?(of: LegendOf<L>, entry: number, tools: Tools): void;
  /** How it is drawn once an entry of its legend has been switched on or off; null where that makes no sense. */
  switched?(of: LegendOf<L>, entry: number): Partial<L> | null;
  /** A way of drawing by what of it lies within a box of a system; null where nothing does. */
  stretched?(item: DatasetItem, look: L, box: Extent, crs: Crs, tools: Tools): Promise<Partial<L> | null>;
  /** Its input is `of`. */
  editor?(): Promise<Type<unknown>>;
  /** Values at a place of a system, as they are stored. @param time where time stands in the pane */
  readout?(
    item: DatasetItem,
    look: L,
    place: Place,
    crs: Crs,
    tools: Tools,
    time?: PaneTime | null,
  ): Promise<Reading[]>;
  /** What is picked of it, in words. */
  told(item: DatasetItem, tools: Tools): string;
}
