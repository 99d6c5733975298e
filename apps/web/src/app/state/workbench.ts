import * as z from 'zod';
import { remember, remembered } from '../parts/remembered';
import { clientKind } from '../kinds';
import type { BenchState } from './bench.store';
import type { Layer } from './looks';
import { emptyPane, type Pane } from './panes';
import type { DatasetItem } from './project.store';

/** What is kept of the workbench with a project, so that it opens as it was left. */
const KEPT = [
  'panes',
  'activePane',
  'selected',
  'linkedView',
  'linkedCursor',
  'linkedTime',
  'sharedScale',
  'background',
  'backgroundStrength',
  'evidence',
  'evidenceHeight',
  'work',
  'leftApart',
] as const;
type Kept = Pick<BenchState, (typeof KEPT)[number]>;

export const keptOf = (s: { [K in keyof Kept]: () => Kept[K] }): { version: 1 } & Kept =>
  ({ version: 1, ...Object.fromEntries(KEPT.map((k) => [k, s[k]()])) }) as { version: 1 } & Kept;

const OWN = 'helk.bench.';

/** The workbench of a project as this tab last had it; null where it had none. */
export const ownBench = (project: string): unknown => remembered(OWN + project, z.unknown(), null, sessionStorage);

/** Without it, the tab opens as the project was left. */
export const keepOwn = (project: string, kept: object): void => remember(OWN + project, kept, sessionStorage);

/** A layer as it was kept before drawing belonged to the dataset: with its own, and whether it is seen among it. */
type OldLayer = Partial<Layer> & { dataset: string; raster?: OldLook; vector?: OldLook };
type OldLook = object & { visible?: boolean };

interface Restored {
  state: Partial<BenchState>;
  /** Ways of drawing to be given to datasets that have none. */
  looks: { id: string; look: object }[];
  /** What to show where nothing was kept. */
  last: string | null;
}

/** The workbench of a project as it was left, whatever Helk kept it. */
export function restored(stored: unknown, all: readonly DatasetItem[]): Restored {
  const blank: Partial<BenchState> = {
    panes: [emptyPane(1)],
    activePane: 1,
    selected: null,
    sheet: null,
    work: null,
    leftApart: [],
    readout: null,
    pins: [],
    stage: all.length ? 'ledger' : 'gather',
  };
  const w = stored as (Partial<Kept> & { version?: number }) | null;
  const there = new Map(all.map((d) => [d.id, d]));
  const looks: Restored['looks'] = [];
  const layer = (old: OldLayer): Layer => {
    const look = old.raster ?? old.vector;
    if (look && there.get(old.dataset) && !there.get(old.dataset)!.look && !looks.some((l) => l.id === old.dataset)) {
      const { visible: _, ...rest } = look;
      // What has come since takes its usual value.
      const d = there.get(old.dataset)!;
      looks.push({ id: d.id, look: { ...clientKind(d.info).look(d.info as never, null, '#2d88a6'), ...rest } });
    }
    return {
      dataset: old.dataset,
      visible: old.visible ?? look?.visible ?? true,
      ...(old.own ? { own: old.own } : {}),
    };
  };
  const panes = w?.version === 1 && Array.isArray(w.panes) ? w.panes : [];
  if (panes.some((p) => p.layers.length || p.panel)) {
    const kept = Object.fromEntries(KEPT.flatMap((k) => (w![k] === undefined ? [] : [[k, w![k]]])));
    const whole = panes.map((p): Pane => ({ ...emptyPane(p.id), ...p, layers: p.layers.map(layer) }));
    // A work goes on where it was left, with the room that it takes.
    const stage = kept['work'] ? { stage: null } : {};
    return { state: { ...blank, ...kept, ...stage, panes: whole }, looks, last: null };
  }
  const last = [...all].reverse().find((d) => clientKind(d.info).goes === 'beneath');
  return { state: blank, looks, last: last?.id ?? null };
}
