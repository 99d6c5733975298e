import fc from 'fast-check';
import { describeMethod } from '../method/describe';
import { methods } from '../method/registry';
import { checkRecipe } from './check';
import {
  addStep,
  atHand,
  canMove,
  emptyRecipe,
  goesOn,
  moveStep,
  offersFor,
  removeStep,
  renameInput,
  repeatStep,
  toggleKept,
  wire,
} from './edit';
import { WATERSHED } from './recipe-fixture';
import type { Recipe } from './shape';

const all = methods().map(describeMethod);
const library = new Map(all.map((m) => [m.id, m]));
const method = (id: string) => library.get(id)!;
const refused = (r: Recipe): string[] =>
  checkRecipe(r)
    .filter((c) => c.level === 'refused')
    .map((c) => c.message);

describe('editing a recipe', () => {
  it('builds one from nothing, step by step', () => {
    let r = emptyRecipe('Steep land');
    r = addStep(r, library, method('raster.mosaic'));
    expect(r.inputs).toEqual([{ name: 'tiles', kind: 'raster', label: 'Tiles', many: true }]);
    r = addStep(r, library, method('terrain.fill'));
    r = addStep(r, library, method('terrain.watersheds'));
    expect(r.steps.map((s) => s.inputs)).toEqual([
      { tiles: 'tiles' },
      { elevation: 'mosaic.mosaic' },
      { elevation: 'fill.filled' },
    ]);
    r = wire(r, 'watersheds', 'outlets', null, method('terrain.watersheds').inputs['outlets']!);
    expect(r.inputs.map((i) => i.name)).toEqual(['tiles', 'outlets']);
    expect(r.keep).toEqual(['watersheds.watersheds']);
    expect(refused(r)).toEqual([]);
  });

  it('branches from what an earlier step makes', () => {
    const r = addStep(WATERSHED, library, method('terrain.slope'), 'mosaic.mosaic');
    expect(r.steps.at(-1)!.inputs).toEqual({ elevation: 'mosaic.mosaic' });
    expect(r.keep).toEqual(['watersheds.watersheds', 'slope.slope']);
    expect(refused(r)).toEqual([]);
  });

  it('removes a step with what depends on it, and inputs that nobody reads any more', () => {
    const r = removeStep(WATERSHED, 'fill');
    expect(r.steps.map((s) => s.id)).toEqual(['mosaic']);
    expect(r.inputs.map((i) => i.name)).toEqual(['tiles']);
    expect(r.keep).toEqual([]);
  });

  it('moves a step only where the flow allows it', () => {
    const r = addStep(WATERSHED, library, method('terrain.slope'), 'mosaic.mosaic');
    expect(canMove(r, 'slope', -1)).toBeTrue();
    expect(canMove(r, 'fill', -1)).toBeFalse();
    expect(canMove(r, 'mosaic', -1)).toBeFalse();
    const moved = moveStep(moveStep(r, 'slope', -1), 'slope', -1);
    expect(moved.steps.map((s) => s.id)).toEqual(['mosaic', 'slope', 'fill', 'watersheds']);
    expect(moveStep(moved, 'slope', -1)).toBe(moved);
    expect(refused(moved)).toEqual([]);
  });

  it('repeats a step, keeps and forgets, renames inputs wherever they are read', () => {
    const twice = repeatStep(WATERSHED, 'watersheds');
    expect(twice.steps.at(-1)!.id).toBe('watersheds2');
    expect(twice.keep).toEqual(['watersheds.watersheds', 'watersheds2.watersheds']);
    expect(toggleKept(twice, 'fill.depth').keep).toContain('fill.depth');
    expect(toggleKept(twice, 'watersheds.watersheds').keep).toEqual(['watersheds2.watersheds']);
    const named = renameInput(WATERSHED, 'outlets', 'the gauge');
    expect(named.inputs[1]!.name).toBe('theGauge');
    expect(named.steps[2]!.inputs['outlets']).toBe('theGauge');
    expect(renameInput(WATERSHED, 'outlets', 'tiles').inputs[1]!.name).toBe('tiles2');
    expect(refused(named)).toEqual([]);
  });

  it('offers what stands before a step and fits', () => {
    const elevation = method('terrain.fill').inputs['elevation']!;
    expect(offersFor(WATERSHED, library, 1, elevation).map((o) => o.from)).toEqual(['mosaic.mosaic']);
    expect(atHand(WATERSHED, library, 0).map((o) => o.from)).toEqual(['tiles', 'outlets']);
    expect(goesOn(WATERSHED, library, method('features.buffer'))).toBeTrue();
    expect(goesOn(emptyRecipe('x'), library, method('features.buffer'))).toBeFalse();
  });

  it('never makes a recipe that cannot run, whatever steps are added and taken away', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat(all.length - 1), fc.boolean()), { maxLength: 12 }), (acts) => {
        let r = emptyRecipe('Any');
        for (const [k, away] of acts) {
          if (away && r.steps.length) r = removeStep(r, r.steps[k % r.steps.length]!.id);
          else r = addStep(r, library, all[k]!);
        }
        expect(refused(r)).toEqual(r.steps.length ? [] : ['The recipe has no steps yet.']);
      }),
      { numRuns: 60 },
    );
  });
});
