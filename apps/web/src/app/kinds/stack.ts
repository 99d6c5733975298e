import { extentOf, featuresOf, formatNumber, displayUnit, valueOf, type VectorStyle } from '@helk/core';
import type { StackInfo } from '@helk/core/data/stack-facts';
import { numberColumn } from '@helk/core/data/table';
import { stepLabel } from '@helk/core/data/time-steps';
import { overAllSteps, spreadOf, StackDrawn } from '../draw/stack-layer';
import type { DatasetItem } from '../state/project.store';
import { stepsSeen } from '../state/stack-data';
import { areaAt, drawSmall, features, hiding } from './features';
import type { ClientKind, Reading } from './kind';
import { rowWords } from './rows';

/** The places as they are drawn. */
const asPlaces = (item: DatasetItem): DatasetItem => ({ ...item, info: featuresOf(item.info)! });

/** Whole numbers that are few take a class each; others five of equal steps. */
function firstClasses(info: StackInfo): VectorStyle['by'] {
  const v = info.variables[0]!;
  const high = v.spread[98] ?? 0;
  const few = v.unit === '' && high <= 12 && v.spread.every((x) => Number.isInteger(x));
  // Of counts most are 0: what is none stands apart.
  const own = few ? [...new Set([1, 2, 3, 5, 8].filter((b) => b <= Math.max(2, high)))] : [];
  return {
    kind: 'classes',
    column: v.name,
    rule: few ? 'own' : 'equal',
    classes: few ? own.length + 1 : 6,
    own,
    ramp: 'tide',
    reversed: false,
  };
}

/** Places through time: drawn as they are at the moment of their pane, on one scale over all steps. */
export const stack: ClientKind<'stack', VectorStyle> = {
  kind: 'stack',
  goes: 'on top',
  swipes: false,

  hides: (info, look) => hiding(info.geometry, look),
  look: (info, shows, colour) => ({
    ...features.look(featuresOf(info)!, shows, colour),
    by: firstClasses(info),
    fill: 1,
    width: info.geometry === 'polygon' ? 0.6 : 2,
    outline: info.geometry === 'polygon' && info.count <= 2000 ? '#fbf8f2' : null,
  }),
  colour: features.colour,
  recoloured: features.recoloured,
  alike: (a, b) => a.variables[0]?.name === b.variables[0]?.name && a.count === b.count,
  steps: (info) => info.steps,
  spread: (info, column) => spreadOf(info, column),

  async thumbnail(canvas, item, look, tools, signal) {
    const e = extentOf(item.info);
    const info = item.info as StackInfo;
    const f = await tools.data.get(item.id);
    if (f.kind !== 'features' || signal.aborted || !e) return;
    const { by } = look;
    const k = by.kind === 'one' ? -1 : info.variables.findIndex((v) => v.name === by.column);
    const columns =
      k < 0 ? [] : [numberColumn(info.variables[k]!.name, await tools.stacks.seen(item.id, info, k, null))];
    if (!signal.aborted) drawSmall(canvas, { ...f, columns: [...columns, ...f.columns] }, e, overAllSteps(look, info));
  },

  driver: (made) => new StackDrawn(made),
  legend: (of) => {
    const l = features.legend!({ ...of, item: asPlaces(of.item) });
    return { ...l, notes: [...l.notes, 'one scale over all steps'] };
  },
  pickEntry: features.pickEntry!,
  editor: features.editor!,

  /** The place under the cursor: its value at the moment of its pane. */
  async readout(item, look, place, crs, tools, time = null): Promise<Reading[]> {
    const info = item.info as StackInfo;
    if (info.geometry !== 'polygon') return [];
    const f = await tools.data.get(item.id);
    if (f.kind !== 'features') return [];
    const i = areaAt(f, place, crs);
    const { from, to } = stepsSeen(info.steps, time);
    const when =
      from === to ? stepLabel(info.steps, to) : `mean ${stepLabel(info.steps, from)} to ${stepLabel(info.steps, to)}`;
    const { by } = look;
    const out: Reading[] = [];
    if (i < 0) return [{ of: when, value: 'outside', unit: '', drawn: true, there: false }];
    const named = f.columns.find((c) => c.name === info.key) ?? f.columns.find((c) => c.type === 'text');
    for (const [k, v] of info.variables.entries()) {
      const x = (await tools.stacks.seen(item.id, info, k, time))[i]!;
      out.push({
        of: `${v.name}, ${when}`,
        value: x === x ? formatNumber(x, (v.max ?? 0) - (v.min ?? 0)) : 'missing',
        unit: x === x ? displayUnit(v.unit) : '',
        drawn: by.kind !== 'one' && by.column === v.name,
        there: true,
      });
    }
    const name = named ? valueOf(named, i) : i + 1;
    return [...out, { of: 'place', value: String(name ?? i + 1), unit: '', drawn: false, there: true }];
  },

  told: rowWords,
};
