import fc from 'fast-check';
import { crsOfCode } from '../../data/crs';
import { FeaturesBuilder, valueOf, type Features } from '../../data/features';
import { numberColumn, textColumn } from '../../data/table';
import { refusalOf, run } from '../../testing';
import { readEdits, writeEdits } from './edit';

function probes(): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < 5; i++) b.point(500000 + i, 6400000);
  return b.build('point', crsOfCode(32627), [
    textColumn('class', ['reed', 'moor', 'moor', 'water', 'reed']),
    numberColumn('depth', Float64Array.of(1, 2, NaN, 4, 5), 'cm'),
    { name: 'wet', type: 'boolean', unit: null, values: Float64Array.of(0, 1, 1, 0, 0) },
  ]);
}
const rowsOf = (f: Features, name: string): unknown[] => {
  const c = f.columns.find((x) => x.name === name)!;
  return Array.from({ length: 5 }, (_, i) => valueOf(c, i));
};

describe('edited values', () => {
  it('change the cells that are named and nothing else; the original stays', async () => {
    const before = probes();
    const o = await run(
      'features.edit',
      { features: before },
      { edits: 'class @ 2-3 = heath; depth @ 3 = 7,5; wet @ 1 = yes' },
    );
    const f = o.outputs[0]!.data as Features;
    expect(rowsOf(f, 'class')).toEqual(['reed', 'heath', 'heath', 'water', 'reed']);
    expect(rowsOf(f, 'depth')).toEqual([1, 2, 7.5, 4, 5]);
    expect(rowsOf(f, 'wet')).toEqual([true, true, true, false, false]);
    expect(f.columns[1]!.unit).toBe('cm');
    expect(o.figures).toEqual({ changed: 4, emptied: 0 });
    expect(rowsOf(before, 'class')).toEqual(['reed', 'moor', 'moor', 'water', 'reed']);
    expect(rowsOf(before, 'depth')[2]).toBeNull();
    expect(f.xy).toBe(before.xy);
  });

  it('can be emptied, and later ones win', async () => {
    const o = await run(
      'features.edit',
      { features: probes() },
      { edits: 'depth @ 1-5 = ; depth @ 2 = 9; class @ 1 = ""' },
    );
    const f = o.outputs[0]!.data as Features;
    expect(rowsOf(f, 'depth')).toEqual([null, 9, null, null, null]);
    // Quotes with nothing between are an empty text, not a missing one.
    expect(rowsOf(f, 'class')[0]).toBe('');
    expect(o.figures).toEqual({ changed: 5, emptied: 3 });
  });

  it('can stand in a column that is added for them, empty elsewhere', async () => {
    const o = await run('features.edit', { features: probes() }, { edits: 'found @ 2, 5 = reed', add: 'found' });
    expect(rowsOf(o.outputs[0]!.data as Features, 'found')).toEqual([null, 'reed', null, null, 'reed']);
    expect(o.figures).toEqual({ changed: 2, emptied: 0 });
    const twice = refusalOf(run('features.edit', { features: probes() }, { edits: 'wet @ 1 = yes', add: 'wet' }));
    expect((await twice).message).toContain('a column "wet" already');
  });

  it('that are the same as before are said to be', async () => {
    const o = await run('features.edit', { features: probes() }, { edits: 'class @ 4 = water' });
    expect(o.figures['changed']).toBe(0);
    expect(o.notes.map((n) => n.code)).toContain('edit.same');
  });

  it('are refused with the part that is wrong', async () => {
    const no = (edits: string): Promise<string> =>
      refusalOf(run('features.edit', { features: probes() }, { edits })).then((e) => e.message);
    expect(await no('height @ 1 = 3')).toContain('no column "height"; there is class, depth, wet');
    expect(await no('depth @ 1 = deep')).toContain('"deep" is no number');
    expect(await no('depth @ 9 = 1')).toContain('no number between 1 and 5');
    expect(await no('depth = 1')).toContain('not of the form');
    expect(await no('class @ 1 = "open')).toContain('do not close');
    expect(await no('wet @ 1 = perhaps')).toContain('no yes or no');
    expect(await no('  ')).toContain('nothing to set');
  });

  it('written as text read back as they were, whatever they hold', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            column: fc.string({ minLength: 1 }).filter((s) => s.trim() !== ''),
            row: fc.nat(40),
            value: fc.option(fc.string()),
          }),
        ),
        (cells) => {
          const back = new Map<string, string | null>();
          for (const e of readEdits(writeEdits(cells, 41)))
            for (const part of e.rows.split(', ')) {
              const [a, b = a] = part.split('-').map(Number);
              for (let r = a!; r <= b!; r++) back.set(JSON.stringify([e.column, r - 1]), e.value);
            }
          // Two values for one cell keep one of the two, as the groups are written one after the other.
          for (const c of cells) {
            const all = cells.filter((x) => x.column === c.column && x.row === c.row).map((x) => x.value);
            if (!all.includes(back.get(JSON.stringify([c.column, c.row])) as string | null)) return false;
          }
          return true;
        },
      ),
    );
  });
});
