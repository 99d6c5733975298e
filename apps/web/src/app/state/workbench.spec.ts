import {
  defaultStyle,
  FeaturesBuilder,
  infoOf,
  measureRaster,
  numberColumn,
  PLAIN_VECTOR,
  type RasterInfo,
} from '@helk/core';
import { crsOfCode } from '@helk/core';
import { datasetOf } from '../testing';
import { emptyPane } from './panes';
import type { DatasetItem } from './project.store';
import { keptOf, restored } from './workbench';

const crs = crsOfCode(32627);
const hill = measureRaster({ crs, x: 0, y: 0, dx: 1, dy: 1, columns: 2, rows: 2 }, Float32Array.of(1, 2, 3, 4), {
  name: 'hill',
  unit: 'm',
});
function wells() {
  const b = new FeaturesBuilder();
  b.point(1, 1);
  return b.build('point', crs, [numberColumn('n', [1])]);
}
const item = (id: string, data: Parameters<typeof infoOf>[0], look: object | null = null): DatasetItem =>
  datasetOf(id, { data }, { look: look as never }) as unknown as DatasetItem;
const all = [item('hill', hill), item('wells', wells())];

describe('the workbench of a project', () => {
  it('is kept whole and comes back as it was', () => {
    const own = { ...PLAIN_VECTOR, colour: '#123456' };
    const state = {
      panes: [
        { ...emptyPane(1), layers: [{ dataset: 'hill', visible: false }], swipe: 0.4 },
        { ...emptyPane(2), layers: [{ dataset: 'wells', visible: true, own }] },
        { ...emptyPane(3), kind: 'panel', panel: { id: 'table', dataset: 'wells' } },
      ],
      activePane: 2,
      selected: 'wells',
      linkedView: false,
      linkedCursor: true,
      linkedTime: false,
      sharedScale: true,
      background: 'none',
      backgroundStrength: 0.2,
      evidence: false,
      evidenceHeight: 240,
      work: { id: 'label', dataset: 'wells' },
      leftApart: ['hill'],
    };
    const kept = keptOf(Object.fromEntries(Object.entries(state).map(([k, v]) => [k, () => v])) as never);
    const back = restored(JSON.parse(JSON.stringify(kept)), all);
    expect(back.state).toEqual(jasmine.objectContaining(state));
    expect(back.looks).toEqual([]);
    expect(back.last).toBeNull();
  });

  it('that an older Helk kept hands its ways of drawing to the datasets, the first one that a pane had', () => {
    const raster = { ...defaultStyle(infoOf(hill) as RasterInfo), ramp: 'ember', visible: false };
    // What has come since was not kept then.
    const { label: _, emphasis: __, ...vector } = { ...PLAIN_VECTOR, colour: '#00aa00', visible: true };
    const old = {
      version: 1,
      panes: [
        { id: 1, layers: [{ dataset: 'hill', raster }], swipe: null },
        {
          id: 2,
          layers: [
            { dataset: 'hill', raster: { ...raster, ramp: 'tide', visible: true } },
            { dataset: 'wells', vector },
          ],
          swipe: null,
        },
      ],
    };
    const { state, looks } = restored(old, all);
    expect(state.panes!.map((p) => p.layers)).toEqual([
      [{ dataset: 'hill', visible: false }],
      [
        { dataset: 'hill', visible: true },
        { dataset: 'wells', visible: true },
      ],
    ]);
    expect(looks.map((l) => l.id)).toEqual(['hill', 'wells']);
    expect(looks[0]!.look).toEqual(jasmine.objectContaining({ ramp: 'ember', band: 0 }));
    expect(looks[0]!.look).not.toEqual(jasmine.objectContaining({ visible: jasmine.anything() as never }));
    expect(looks[1]!.look).toEqual(jasmine.objectContaining({ colour: '#00aa00', label: null, emphasis: null }));
  });

  it('leaves a way of drawing that a dataset has by now as it is', () => {
    const drawn = { ...defaultStyle(infoOf(hill) as RasterInfo), ramp: 'slate' };
    const raster = { ...drawn, ramp: 'ember', visible: true };
    const { looks } = restored({ version: 1, panes: [{ id: 1, layers: [{ dataset: 'hill', raster }], swipe: null }] }, [
      item('hill', hill, drawn),
    ]);
    expect(looks).toEqual([]);
  });

  it('that was never kept, or not by any Helk, begins with the last thing that has a picture', () => {
    for (const odd of [
      null,
      5,
      'x',
      {},
      { version: 2, panes: [] },
      { version: 1, panes: 'none' },
      { version: 1, panes: [] },
    ]) {
      const { state, last } = restored(odd, all);
      expect(state.panes).toEqual([emptyPane(1)]);
      expect(last).toBe('hill');
      expect(state.stage).toBe('ledger');
    }
    expect(restored(null, []).last).toBeNull();
    expect(restored(null, []).state.stage).toBe('gather');
  });
});
